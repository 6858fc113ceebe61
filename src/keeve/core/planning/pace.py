"""The pace of a job: how long each part of a load takes, and whether the mixer keeps up with those who place."""

from dataclasses import replace
from math import fsum

from keeve.core.planning.job import Pace
from keeve.core.planning.plan import Load, Plan, PlanStep
from keeve.core.rules.loads_timeline import JobTimeline, LoadTimes, cold_joints, idle_min, simulate
from keeve.core.rules.registry import RuleWarning

# Emptying a mixer and cleaning it between loads, min (common practice, no source).
DISCHARGE_MIN, CLEAN_MIN = 2.0, 3.0
# The longest gap in which two loads still become one, where the mix lives so long, min (common practice, no source).
_COLD_JOINT_MIN = 45.0
# Loads alike: what the first few do the others do. Those who place have their own pace: nobody is short of hands here.
_LOADS_TRIED, _HANDS = 4, 10


def longest_gap_min(plan: Plan) -> float:
    """The longest gap in which two loads of a plan still become one, min."""
    return min(_COLD_JOINT_MIN, plan.mix.life_min)


def load_times(plan: Plan, load: Load, placing_m3_h: float) -> LoadTimes:
    """How long each part of a load takes, min: the middles of its steps.

    Mixing or resting before the last material is in counts as charging.
    """
    steps = [step for step in plan.procedure if step.kind != "place"]
    last = max((index for index, step in enumerate(steps) if step.kind in _FILLING), default=-1)
    waters = [index for index, step in enumerate(steps) if step.kind == "water"]
    return LoadTimes(
        charge_min=fsum(map(_middle, steps[: last + 1])),
        mix_min=fsum(_middle(step) for step in steps[last + 1 :] if step.kind != "rest"),
        rest_min=fsum(_middle(step) for step in steps[last + 1 :] if step.kind == "rest"),
        discharge_min=DISCHARGE_MIN,
        place_min=load.yield_l / 1000 / placing_m3_h * 60,
        clean_min=CLEAN_MIN,
        life_min=plan.mix.life_min,
        first_water_min=fsum(map(_middle, steps[: waters[0]])) if waters else 0.0,
    )


_FILLING = frozenset({"charge", "water", "admixture"})


def _middle(step: PlanStep) -> float:
    return fsum(step.minutes) / 2


def mixing_hours(plan: Plan) -> float:
    """How long one mixer takes for all the loads of a plan, h."""
    times = [load_times(plan, load, 1.0) for load in plan.loads]
    return fsum(one.ready_after_min + one.discharge_min + one.clean_min for one in times) / 60


def joints_of(plan: Plan, pace: Pace) -> list[RuleWarning]:
    """A word where one mixer is so slow beside those who place that a joint goes cold; none where no pace is known.

    Args:
        plan: the plan.
        pace: its pace; the minutes of a load are those of its steps where it gives none.
    """
    if pace.placing_m3_h is None or plan.mix.regime_traits.placed_in or len(plan.loads) < 2:
        return []
    loads = plan.loads[:_LOADS_TRIED]
    times = [_at_pace(load_times(plan, load, pace.placing_m3_h), pace.cycle_min) for load in loads]
    (pieces,) = simulate([JobTimeline(times, [1], 0.0, longest_gap_min(plan), 1, 1)], _HANDS, 0.0)
    if not cold_joints(pieces, longest_gap_min(plan)):
        return []
    wait_min = idle_min(pieces) / (len(loads) - 1)
    return [
        RuleWarning(
            code="cold_joints",
            message=f"Your crew waits {wait_min:.0f} min for each load. "
            f"A joint goes cold after {longest_gap_min(plan):.0f} min.",
            field="pace.cycle_min",
            suggestion="Use a second mixer or a larger one, or stop at joints you have planned.",
        )
    ]


def _at_pace(times: LoadTimes, cycle_min: float | None) -> LoadTimes:
    """The times of a load that takes so long in all: whatever is more goes into filling the mixer."""
    if cycle_min is None:
        return times
    rest_min = fsum((times.mix_min, times.rest_min, times.discharge_min, times.clean_min))
    return replace(times, charge_min=max(cycle_min - rest_min, 0.0))
