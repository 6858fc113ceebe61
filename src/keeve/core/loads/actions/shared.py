"""Shared by several actions: steps of the procedure, leaving the mixer, casts, records, acts of the server."""

from collections.abc import Iterator
from datetime import datetime
from typing import Any
from uuid import UUID

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, E, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.load_state import LoadState, mixed_l
from keeve.core.planning.plan import Load, LoadStep, PlanStep
from keeve.core.tolerances import STICKS_FRACTION

# More than so many times what was planned did not go in: a decimal point is in the wrong place.
MOST_TIMES = 4.0
# The most that is recorded of time that was not counted, min.
_MOST_RECORDED_MIN = 60.0


def steps_of(at: Moment, *kinds: str) -> Iterator[tuple[PlanStep, LoadStep | None, InputError | None]]:
    """The steps of a kind, each with what is left of it (None where it is done), and why it may not be done."""
    still_open = {item.plan.step: item for item in at.now.to_do}
    for planned in at.plan.procedure:
        if planned.kind in kinds:
            step = still_open.get(planned.step)
            yield planned, step, _not_now(at, planned.step, step)


def _not_now(at: Moment, number: int, step: LoadStep | None) -> InputError | None:
    """Why a step may not be done: it is done, or another comes before it where they go in order."""
    if step is None:
        return InputError("step_done", "That step is already done. Undo it first.", ["step"])
    position = at.now.position
    if at.plan.mix.regime_traits.in_order and number != position:
        current = at.plan.step(position)
        return InputError(
            "out_of_order",
            f"Step {position} comes first: {current.do[:1].lower()}{current.do[1:]}. {current.why}",
            ["step"],
        )
    return None


def timed_offer(
    action: str, event: dict[str, Any], at: Moment, planned: PlanStep, refusal: InputError | None
) -> Offer:
    """The offer of a step that takes its time."""
    return Offer(
        action,
        {**event, "step": planned.step},
        str(planned.step),
        (recorded_minutes(planned.minutes[0]),),
        ready_at=at.now.ready_at if planned.step == at.now.position else None,
        refusal=refusal,
    )


def recorded_minutes(least_min: float) -> Amount:
    """How long it was, where the clock did not count it."""
    over = ("too_long", f"Enter {_MOST_RECORDED_MIN:.0f} min or less.")
    return Amount("minutes", least_min, 0.0, _MOST_RECORDED_MIN, over, is_needed=False)


def nothing_in(state: LoadState) -> InputError | None:
    """Why nothing can be done with what is in it: nothing is."""
    if state.held_kg or state.water:
        return None
    return InputError("nothing_in", "Nothing is in the mixer yet. Load it first.", ["kind"])


def not_judged(at: Moment) -> InputError | None:
    """Why it may not be placed: it was not judged right."""
    if at.now.act == "place":
        return None
    return InputError("not_judged", "Judge it right before you place it.", ["kind"])


def without(load: Load, state: LoadState, volume_l: float) -> LoadState:
    """A load after some of it left the mixer, with its share of everything in it."""
    in_mixer_l = mixed_l(load, state)
    if in_mixer_l <= 0:
        return state
    left = max(1 - volume_l / in_mixer_l, 0.0)
    return state._replace(share=max(state.share * left, STICKS_FRACTION))


def makes_casts(at: Moment) -> bool:
    """Whether what sets makes casts."""
    return at.now.clock is not None and at.plan.mix.regime_traits.makes_casts


def in_mould(at: Moment) -> InputError | None:
    """Why nothing can be done with a cast: it is in its mould."""
    if at.now.act == "dry":
        return None
    return InputError("in_mould", "Take it out of the mould first.", ["kind"])


def not_poured() -> InputError:
    """Why there is no cast yet."""
    return InputError("not_placed", "Pour it and clean up first.", ["kind"])


def on_scale(at: Moment, share: float) -> Amount:
    """A weight up to a share of what a cast weighed when it was poured, kg."""
    wet_kg = at.now.drying.wet_kg if at.now.drying else 0.0
    over = ("too_heavy", "No cast weighs that much. Check the weight.")
    return Amount("mass_kg", None, 0.0, wet_kg * share, over)


class OwnAction(Action[E]):
    """An act of the server: nobody sends it, and there is nothing to undo."""

    def check(self, at: Moment, event: E) -> None:
        """Refuse it of anybody else."""
        raise InputError("own_event", f"kind {event.kind} is recorded by Keeve itself.", ["kind"])


class Record(Action[E]):
    """A record of a load beside its mixing: it hangs on no act of the bench, and is made when it is known."""

    def check(self, at: Moment, event: E) -> None:
        """Refuse it of a load that was taken back."""
        if at.state.taken_back:
            raise InputError("load_done", "This load was cancelled. Record it with another.", ["kind"])


def check_mixed(at: Moment) -> None:
    """Refuse what could only be of a mix, where there is none yet."""
    if not at.state.mixings:
        raise InputError("no_mix_yet", "There is no mix yet. Record it once it's mixed.", ["kind"])


def check_specimen(at: Moment, made_id: UUID, number: int, occurred_at: datetime) -> None:
    """Refuse what is said of a specimen that there is not, or was not yet."""
    made = next((one for one in at.state.specimens if one.id == made_id), None)
    if made is None or number > len(made.due_days):
        raise InputError("no_specimen", "This load has no such specimen. Reload the page.", ["made"])
    if occurred_at <= made.made_at:
        raise InputError(
            "before_made", "A specimen can't be tested before it was made. Check the date.", ["occurred_at"]
        )
