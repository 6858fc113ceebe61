"""Put water in: that of a step, some more, what the rinse left, what dripped out, or more than the mix takes."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.actions.shared import (
    steps_of,
)
from keeve.core.loads.event import (
    Litres,
    LoadEvent,
    StepNumber,
    WaterSource,
)
from keeve.core.loads.load_state import LoadState, plus
from keeve.core.loads.state_parts import (
    Addition,
)
from keeve.core.planning.plan import Load, Plan
from keeve.core.texts import Line
from keeve.core.tolerances import DROP_L, LEAST_POUR_L, drop_of

# So much of the ceiling goes over it at a time, with a reason: small enough to be seen before it runs.
_PAST_STEP = 0.05
_PAST_CEILING = "past_ceiling"


class WaterAdded(LoadEvent):
    """Water went in, L. ``part``: the step is not finished by it.

    Ice is loose and counts by its weight. ``past_ceiling``: the reason for going past the ceiling.
    """

    kind: Literal["water_added"]
    step: StepNumber | None = None
    water_l: Litres
    part: bool = False
    source: WaterSource = "tap"
    past_ceiling: Annotated[Line, Field(max_length=200)] = ""


class AddWater(Action[WaterAdded]):
    """Put water in."""

    id, event = "add_water", WaterAdded

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each step of water; and beside them by where it comes from, and past the ceiling."""
        no_water = _no_water(at)
        for planned, step, refusal in steps_of(at, "water"):
            poured = replace(_litres(at), default=step.water_l if step else None)
            event = {"kind": "water_added", "step": planned.step}
            yield Offer(self.id, event, str(planned.step), (poured,), part=True, refusal=refusal or no_water)
        in_steps = at.plan.mix.regime_traits.water_in_steps
        if in_steps:
            yield from self._by_source(at, no_water)
        yield self._put_back(at, no_water)
        if in_steps:
            yield self._past_ceiling(at, no_water)

    def _by_source(self, at: Moment, no_water: InputError | None) -> Iterator[Offer]:
        poured = _litres(at)
        if at.state.owed:
            poured = replace(poured, default=min(at.state.owed.water_l, poured.most))
        left_by_rinse = replace(_litres(at), default=None)
        amounts = {"tap": poured, "hose": poured, "ice": poured, "drum": left_by_rinse}
        for source, amount in amounts.items():
            yield Offer(
                self.id, {"kind": "water_added", "source": source}, source, (amount,), refusal=no_water
            )

    def _put_back(self, at: Moment, no_water: InputError | None) -> Offer:
        dripped_l = at.state.dripped_l
        back_l = min(dripped_l, at.now.water.remaining_l)
        over = ("more_than_dripped", f"Only {dripped_l:.3g} L of water spilled. You can't put back more.")
        none_out = None if dripped_l > DROP_L else InputError(*over, ["water_l"])
        return Offer(
            self.id,
            {"kind": "water_added", "source": "drips"},
            "drips",
            (Amount("water_l", back_l, 0.0, back_l, over, slack=DROP_L),),
            refusal=none_out or no_water,
        )

    def _past_ceiling(self, at: Moment, no_water: InputError | None) -> Offer:
        past_l = at.now.water.remaining_l + _PAST_STEP * at.now.window.ceiling_l
        past = replace(_litres(at, past_l), default=max(past_l / 2, LEAST_POUR_L))
        first = InputError("not_at_ceiling", "Add water up to the max first, then judge it.", [_PAST_CEILING])
        return Offer(
            self.id,
            {"kind": "water_added"},
            _PAST_CEILING,
            (past,),
            (_PAST_CEILING,),
            refusal=no_water or (None if at.now.act == "ceiling" else first),
        )

    def target(self, plan: Plan, event: WaterAdded) -> str:
        """Past the ceiling, its step, or where it came from."""
        if event.past_ceiling:
            return _PAST_CEILING
        return event.source if event.step is None else str(event.step)

    def apply(self, load: Load, state: LoadState, event: WaterAdded) -> LoadState:
        """Have it in the mixer, not mixed in yet."""
        added = Addition(event.water_l / state.share, event.occurred_at, event.source)
        is_done = event.step is not None and not event.part
        back_l = event.water_l if event.source == "drips" else 0.0
        return state._replace(
            water=(*state.water, added),
            step_l=plus(state.step_l, {event.step: added.water_l}) if event.step else state.step_l,
            steps_done=state.steps_done | {event.step} if event.step and is_done else state.steps_done,
            went_in_l=state.went_in_l + event.water_l,
            dripped_l=max(state.dripped_l - back_l, 0.0),
            owed=state.owed and state.owed.less({}, event.water_l),
            is_mixed=False,
            worked_at=event.occurred_at,
        )


def _litres(at: Moment, most_l: float | None = None) -> Amount:
    """Water up to the ceiling, or up to another bound, L."""
    now = at.now
    room_l = now.water.remaining_l if most_l is None else most_l
    over = ("past_ceiling", f"Over the max. This load can take {room_l:.3g} L more water.")
    # Measured by eye: a drop over the ceiling is the ceiling, but no drop after that.
    over_l = max(now.held.added_l - now.window.ceiling_l, 0.0)
    return Amount(
        "water_l",
        min(now.water.next_step_l, room_l),
        0.0,
        room_l,
        over,
        slack=max(drop_of(now.window.ceiling_l) - over_l, 0.0),
    )


def _no_water(at: Moment) -> InputError | None:
    if at.now.act == "correct":
        return InputError("too_wet", "No water now. Correct it first, as shown.", ["water_l"])
    if not at.now.takes_water:
        return InputError("retempering", f"No water now. {at.plan.mix.retempering_why}", ["water_l"])
    return None
