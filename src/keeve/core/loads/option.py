"""An option: something that may be done with a load, as the event it makes.

What of the event is fixed, which figures are to be given and between which bounds, and, where it may not be done now,
why not.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from keeve.core.errors import InputError
from keeve.core.tolerances import STICKS_FRACTION

# What an option does. The steps of the procedure come first, then what can be done beside them.
What = Literal[
    "accept",
    "charge",
    "water",
    "admix",
    "mix",
    "rest",
    "judge",
    "place",
    "add_water",
    "rinse",
    "put_back",
    "past_ceiling",
    "run_out",
    "measure_flow",
    "take_temperature",
    "dose",
    "remix",
    "recount",
    "correct",
    "leave_wrong",
    "top_up",
    "store",
    "give",
    "place_stored",
    "place_in_time",
    "see",
    "strip",
    "trim",
    "weigh",
    "release",
    "follow_no_more",
    "discard",
    "clean",
    "tell_result",
    "note",
    "undo",
    "put_right",
    "fresh_test",
    "take_back",
]


@dataclass(frozen=True)
class Amount:
    """A figure that goes with an option.

    Args:
        name: its path in the event, such as ``water_l`` or ``charged_kg.sand``.
        default: what it is as long as nothing else is said; None where it must be said.
        least: the least it may be.
        most: the greatest it may be.
        over: code and sentence of the refusal of more.
        slack: how much over the greatest is still that.
        is_needed: whether it must be given.
    """

    name: str
    default: float | None
    least: float
    most: float
    over: tuple[str, str]
    slack: float = 0.0
    is_needed: bool = True

    def offered(self, share: float) -> float | None:
        """A share of what is offered."""
        return None if self.default is None else self.default * share


def volume_left(most_l: float) -> Amount:
    """Fresh mix up to what is left, L."""
    over = ("more_than_left", f"Only {most_l:.3g} L left.")
    return Amount("volume_l", most_l, 0.0, most_l, over, slack=most_l * STICKS_FRACTION)


@dataclass(frozen=True)
class Option:
    """Something that may be done.

    Args:
        what: what it does.
        of: of which step, reading, admixture, cause or event, where there are several.
        event: the fixed part of its event.
        amounts: the figures that go with it.
        words: what is to be said besides: a reason, a use, a note, the id of the event to undo.
        part: whether it may be marked as a part: the step then stays open.
        ready_at: before that moment it must be told how many minutes it was.
        refusal: why it may not be done now; None where it may.
    """

    what: What
    event: Mapping[str, Any]
    of: str = ""
    amounts: tuple[Amount, ...] = ()
    words: tuple[str, ...] = ()
    part: bool = False
    ready_at: datetime | None = None
    refusal: InputError | None = field(default=None, compare=False)

    @property
    def is_open(self) -> bool:
        """Whether it may be done now."""
        return self.refusal is None

    @property
    def filled(self) -> dict[str, Any]:
        """Its event with every figure as it is offered."""
        event: dict[str, Any] = {**self.event}
        for amount in self.amounts:
            if amount.default is not None and amount.is_needed:
                _put(event, amount.name, amount.default)
        return event

    def as_json(self) -> dict[str, Any]:
        """The option as plain JSON values."""
        figures = [
            {
                "name": item.name,
                "default": item.default,
                "least": item.least,
                "most": item.most,
                "needed": item.is_needed,
            }
            for item in self.amounts
        ]
        return {
            "what": self.what,
            "of": self.of,
            "event": dict(self.event),
            "amounts": figures,
            "words": list(self.words),
            "part": self.part,
            "ready_at": self.ready_at.isoformat() if self.ready_at else None,
            "why_not": self.refusal.as_json()["error"] if self.refusal else None,
        }


def _put(event: dict[str, Any], path: str, value: float) -> None:
    group, _, name = path.partition(".")
    if name:
        event[group] = {**event.get(group, {}), name: value}
    else:
        event[path] = value
