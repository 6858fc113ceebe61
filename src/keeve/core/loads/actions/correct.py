"""Take up the correction that is shown, or leave it as it is."""

from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    Cause,
    Kilograms,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import (
    PendingCorrection,
)
from keeve.core.planning.plan import Load, Plan
from keeve.core.texts import Name
from keeve.core.tolerances import WRITTEN_FRACTION

_OTHER = "That isn't the correction shown. Reload the page."
LEAVE = "leave"


class Correcting(LoadEvent):
    """A correction was chosen: what to add, kg as charged by name, and then water, L."""

    kind: Literal["correcting"]
    cause: Cause
    add_kg: Annotated[dict[Name, Kilograms], Field(max_length=10)]
    water_l: Annotated[float, Field(ge=0, le=100_000)] = 0.0


class Correct(Action[Correcting]):
    """Take up the correction that is shown, or leave what was miscounted as it is."""

    id, event = "correct", Correcting

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Of a load that is judged, where one is shown."""
        if not at.plan.mix.regime_traits.is_judged:
            return
        shown = at.now.correction
        leaves = shown and shown.cause in ("miscounted", "overdosed")
        event: dict[str, Any] = {"kind": "correcting", "cause": shown.cause if shown else "", "add_kg": {}}
        exact = [_exactly(f"add_kg.{name}", kg) for name, kg in shown.add_kg.items()] if shown else []
        with_water = _exactly("water_l", shown.water_l if shown else 0.0)
        no_water = (_exactly("water_l", 0.0),)
        yield Offer(self.id, event, amounts=(*exact, with_water), refusal=None if exact else nothing_shown())
        yield Offer(self.id, event, LEAVE, no_water, refusal=None if leaves else nothing_shown())

    def target(self, plan: Plan, event: Correcting) -> str:
        """Whether it is left as it is."""
        return "" if event.add_kg else LEAVE

    def check_amounts(self, at: Moment, offer: Offer, event: Correcting) -> None:
        """Refuse another correction than the one that is shown."""
        super().check_amounts(at, offer, event)
        if event.cause != offer.event["cause"]:
            raise InputError("other_amount", _OTHER, ["cause"])

    def apply(self, load: Load, state: LoadState, event: Correcting) -> LoadState:
        """Owe what it adds."""
        return state._replace(owed=PendingCorrection(event.add_kg, event.water_l).less({}), recounted=False)


def nothing_shown() -> InputError:
    """Why nothing can be corrected."""
    return InputError(
        "not_too_wet", "Nothing to correct. Judge it too wet first, then add what is shown.", ["kind"]
    )


def _exactly(name: str, value: float) -> Amount:
    """A figure that is shown and taken as it is, but for how a number is written."""
    return Amount(
        name, value, value, value, ("other_amount", _OTHER), slack=WRITTEN_FRACTION * max(value, 1.0)
    )
