"""What may be done with setting plaster: what is seen of it, the cast out of its mould, trimmed, weighed and used."""

from collections.abc import Iterator
from datetime import datetime

from keeve.core.errors import InputError
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.loads.option import Amount, Option, volume_left
from keeve.core.loads.set_clock import SetClock
from keeve.core.planning.plan import Plan
from keeve.core.rules.gypsum_time import SIGHTS

# No plaster sets that much sooner, or later, than the clock says, as a share of its time. Judgements made here.
_SEEN_BETWEEN = (0.4, 2.5)
_ON_SCALE = ("too_heavy", "No cast weighs that much. Check the weight.")
# What a scale on site can show of a cast beside what it weighed when it was poured.
_MOST_WEIGHT = 1.2


def setting_options(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """What is seen of setting plaster, and what becomes of the cast; nothing of a load without a set clock."""
    if now.clock is None:
        return
    late = now.act == "dead" and now.clock.stage(now.at, build=True) != "hard"
    gone = InputError("set_hard", "It's already hard, so it can't have been poured since.", ["in_time"])
    yield Option(
        "place_in_time",
        {"kind": "placed", "in_time": True},
        amounts=(volume_left(now.remaining_l),),
        refusal=None if late else gone,
    )
    told = [item.sight for item in state.seen]
    reached = max((SIGHTS[sight] for sight in told), default=0.0)
    unmixed = None if state.is_mixed or state.placed_l else _not_mixed()
    for sight, minutes in SIGHTS.items():
        past = InputError("seen_already", "You've logged a later stage. Undo that first.", ["sight"])
        refusal = unmixed or (None if minutes > reached else past) or _not_then(now.clock, now.at, minutes)
        yield Option("see", {"kind": "seen", "sight": sight}, sight, refusal=refusal)
    if not plan.mix.is_run.makes_casts:
        return
    in_mould = InputError("in_mould", "Take it out of the mould first.", ["kind"])
    stripped = None if now.act == "dry" else in_mould
    yield Option("strip", {"kind": "stripped"}, refusal=None if now.act == "strip" else _not_placed())
    drying = now.drying
    wet_kg = drying.wet_kg if drying else 0.0
    yield Option(
        "trim",
        {"kind": "trimmed"},
        amounts=(Amount("mass_kg", None, 0.0, wet_kg * 0.9, _ON_SCALE),),
        refusal=stripped
        or (
            InputError("weighed_already", "Log trimmings before you weigh it.", ["kind"])
            if state.weighings
            else None
        ),
    )
    yield Option(
        "weigh",
        {"kind": "weighed"},
        amounts=(Amount("mass_kg", None, 0.0, wet_kg * _MOST_WEIGHT, _ON_SCALE),),
        refusal=stripped,
    )
    wet = InputError("not_dry", "Not dry: do not use it until it stops losing weight.", ["kind"])
    yield Option(
        "release", {"kind": "released"}, refusal=stripped or (None if drying and drying.is_dry else wet)
    )
    yield Option(
        "follow_no_more",
        {"kind": "released"},
        words=("reason",),
        refusal=None if now.act in ("strip", "dry") else _not_placed(),
    )


def _not_then(clock: SetClock, at: datetime, minutes: float) -> InputError | None:
    """Why a sight cannot have been seen by now: nothing sets that much sooner, or later, than the clock says."""
    elapsed = clock.elapsed_min(at) or 0.0
    soonest, latest = (minutes * clock.factor * times for times in _SEEN_BETWEEN)
    if soonest <= elapsed <= latest:
        return None
    when = "so soon" if elapsed < soonest else "so late"
    return InputError(
        "not_then",
        f"You can't see that {when}: {elapsed:.0f} min since plaster met water. Tap it when you see it.",
        ["sight"],
    )


def _not_placed() -> InputError:
    return InputError("not_placed", "Pour it and clean up first.", ["kind"])


def _not_mixed() -> InputError:
    return InputError("not_mixed", "Mix it first. There is nothing to see before.", ["sight"])
