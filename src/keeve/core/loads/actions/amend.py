"""Put a figure or a reading of another event right."""

import math
from collections.abc import Iterator
from typing import Annotated, Literal, Self
from uuid import UUID

from pydantic import Field, model_validator

from keeve.core.errors import InputError, validated
from keeve.core.loads.actions.action import ALWAYS, Action, Moment
from keeve.core.loads.actions.charge import Charged
from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    MOST_TIMES,
)
from keeve.core.loads.actions.test_fresh import FRESH_FIGURES
from keeve.core.loads.event import (
    E,
    LoadEvent,
    event_json,
)
from keeve.core.loads.next_step import last_judge
from keeve.core.mixes.model import Reading
from keeve.core.planning.plan import Plan
from keeve.core.texts import Line


class Amended(LoadEvent):
    """A figure or a reading of another event was written down wrong: what it was, and why it is known.

    The other event counts as if it had said so. The last one counts.
    """

    kind: Literal["amended"]
    amends: Annotated[UUID, Field(strict=False)]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]
    value: Annotated[float | None, Field(ge=0, le=100_000)] = None
    reading: Reading | None = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if (self.value is None) == (self.reading is None):
            raise ValueError("needs value or reading: what it was")
        return self


_NOTHING = "This entry has nothing to correct. Undo it, or add a note."
# Figures of an event that can be put right, the first that it has.
_FIGURES = ("mass_kg", "water_l", "volume_l", "minutes", "mix_c", "water_c", "load_kn", "mpa", *FRESH_FIGURES)
# So many times a whole load no figure of it is: a decimal point in the wrong place.
_MOST_OF_LOAD = {"mass_kg": MOST_TIMES, "water_l": MOST_TIMES, "volume_l": 1.5}


def figure_of(event: LoadEvent) -> str | None:
    """The name of the figure of an event that can be put right; None where it has none."""
    return next((name for name in _FIGURES if getattr(event, name, None) is not None), None)


def can_be_put_right(event: LoadEvent) -> bool:
    """Whether an event has a figure or a reading that may have been written down wrong."""
    return isinstance(event, Judged) or figure_of(event) is not None


def amended(event: E, by: Amended | None) -> E:
    """An event as it was put right."""
    if by is None:
        return event
    if isinstance(event, Judged):
        return event.model_copy(update={"reading": by.reading or event.reading, "wetness": None})
    name = figure_of(event)
    return event if name is None or by.value is None else event.model_copy(update={name: by.value})


class Amend(Action[Amended]):
    """Put a figure or a reading of another event right."""

    id, event = "amend", Amended

    def offers(self, at: Moment) -> Iterator[Offer]:
        """At any time, where an event has one."""
        may_be_wrong = any(map(can_be_put_right, at.state.applied))
        nothing = InputError("nothing_to_amend", _NOTHING, ["amends"])
        yield Offer(
            self.id,
            {"kind": "amended"},
            words=("amends", "reason"),
            still=ALWAYS,
            refusal=None if may_be_wrong else nothing,
        )

    def check(self, at: Moment, event: Amended) -> None:
        """Refuse what is said of no entry that counts, and what that entry could not have said."""
        self.taken(at, event)
        wrong = next((done for done in at.state.applied if done.id == event.amends), None)
        if wrong is None or not can_be_put_right(wrong):
            raise InputError("nothing_to_amend", _NOTHING, ["amends"])
        if isinstance(wrong, Judged):
            step = wrong.step or last_judge(at.plan)
            test = at.plan.step(step).test if step else None
            if event.reading is None or (test and event.reading not in at.plan.tests[test].looks):
                raise InputError(
                    "other_reading", "That isn't a reading of this test. Choose one.", ["reading"]
                )
            return
        name = figure_of(wrong)
        if event.value is None or name is None:
            raise InputError("other_amount", "value is missing. Enter the correct value.", ["value"])
        validated(type(wrong), {**event_json(wrong), name: event.value})
        most = _most_of(at.plan, wrong, name)
        if event.value > most:
            raise InputError(
                "more_than_fits", f"value is over {most:.3g}, too much for a load. Check it.", ["value"]
            )


def _most_of(plan: Plan, wrong: LoadEvent, name: str) -> float:
    """The most that a figure of a load may be put right to."""
    whole = max(plan.loads, key=lambda load: load.yield_l)
    of_load = {"water_l": whole.water.ceiling_l, "volume_l": whole.yield_l}
    if isinstance(wrong, Charged):
        of_load["mass_kg"] = whole.charge(wrong.material).mass_kg
    return of_load[name] * _MOST_OF_LOAD[name] if name in of_load else math.inf
