"""What the loads of a mix say for the next time: the crew's own water, what it loses, how long it takes."""

from collections.abc import Callable, Iterable, Sequence
from datetime import timedelta
from statistics import median, quantiles
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.events import Placed
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.job_summary import summarise_job
from keeve.core.log.charts import Done, is_past, window_of
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Plan

# Fewer loads are no habit; a cast takes days, so two of them are told. Judgements made here.
LEAST_LOADS, LEAST_CASTS = 5, 2
# Before anything is judged as much of the water can go in as nine in ten loads took, and a twentieth at least is held
# back: the next sand is another. Judgements made here.
_SHARES = (0.5, 0.95)
_MOST_WASTE = 1.0


class Own(NamedTuple):
    """What a crew's own loads show: usually, between which eight in ten are, how many loads are behind it, what the mix
    or the plan has; None for what neither says.
    """

    usual: float
    low: float
    high: float
    loads: int
    planned: float | None


class Learnt(NamedTuple):
    """What the loads of a mix say; None for what too few of them do.

    Args:
        ratio: water over binder.
        start_share: the share of that water that goes in before anything is judged.
        mixing_min: from first water until it is right, min.
        waste_fraction: what was mixed over what was measured, of jobs that are done, less what was used elsewhere.
        drying_days: from the pour until a cast was dry, days.
    """

    ratio: Own | None = None
    start_share: Own | None = None
    mixing_min: Own | None = None
    waste_fraction: Own | None = None
    drying_days: Own | None = None

    @property
    def is_something(self) -> bool:
        """Whether there is anything to propose."""
        return any(own is not None for own in self)


def learn(loads: Sequence[Done], plan: Plan, past_ratios: Sequence[float] = ()) -> Learnt:
    """What loads say for the next of a plan.

    Only loads of its mix in its parts count, of no placing that asks for another wetness; for water and time those that
    were judged right inside the mix's window, and came out well where that was told.

    Args:
        loads: the crew's loads of the mix, in order.
        plan: the plan to be made again.
        past_ratios: water ratios from before Keeve, of this mix.
    """
    same = [
        done
        for done in loads
        if (done.plan.mix.id, done.plan.mix.ratio) == (plan.mix.id, plan.mix.ratio)
        and done.plan.mix.usual_ratio is None
    ]
    right = [done for done in same if _came_right(done)]
    water = plan.loads[0].water
    window = window_of(plan.loads[0])
    # A label and a design give the water themselves.
    is_own = plan.mix.is_made.has_water and plan.mix.is_run.water_in_steps
    is_judged = is_own and window is not None and window.low < window.high
    ratios = [done.ratio or 0.0 for done in right]
    if window is not None:
        ratios += [ratio for ratio in past_ratios if window.low <= ratio <= window.high]
    ratio = _own(ratios, window.target if window else None) if is_judged else None
    return Learnt(
        ratio=ratio,
        start_share=_start(right, ratio, water.start_l / water.target_l if water.target_l else None),
        mixing_min=_of(right, _mixing_min, LEAST_LOADS),
        waste_fraction=_waste(same),
        drying_days=_of(same, _drying_days, LEAST_CASTS),
    )


def as_learnt(job: Job, learnt: Learnt) -> Job:
    """A job that begins with what was learnt of its mix: its water, waste and minutes a load."""
    changed = job.model_dump(mode="json", exclude_unset=True)
    if learnt.ratio is not None:
        share = {} if learnt.start_share is None else {"start_share": learnt.start_share.usual}
        changed["own_water"] = {"ratio": learnt.ratio.usual} | share
    if learnt.waste_fraction is not None:
        changed["waste_fraction"] = learnt.waste_fraction.usual
    if learnt.mixing_min is not None:
        changed["pace"] = changed.get("pace", {}) | {"cycle_min": learnt.mixing_min.usual}
    return Job.model_validate(changed)


def _came_right(done: Done) -> bool:
    judged, window = done.state.last_judgement, window_of(done.load)
    if judged is None or not judged.is_right or done.ratio is None or window is None:
        return False
    return (
        done.state.result in (None, "good")
        and done.state.discarded is None
        and done.ratio >= window.low
        and not is_past(done.ratio, window)
    )


def _own(values: Sequence[float], planned: float | None, least: int = LEAST_LOADS) -> Own | None:
    """What values, one a load, show; None where they are too few."""
    if len(values) < least:
        return None
    low, *_, high = _tenths(values)
    return Own(median(values), low, high, len(values), planned)


def _tenths(values: Sequence[float]) -> list[float]:
    """What one in ten, two in ten … nine in ten are under."""
    return quantiles(values, n=10, method="inclusive")


def _of(loads: Iterable[Done], figure: Callable[[Done], float | None], least: int) -> Own | None:
    """A figure of loads, of those that have it."""
    return _own([value for done in loads if (value := figure(done)) is not None], None, least)


def _start(loads: Sequence[Done], ratio: Own | None, planned: float | None) -> Own | None:
    """The share of the water that can go in first: of what each load would have been given at the usual ratio."""
    if ratio is None:
        return None
    shares = []
    for done in loads:
        water = as_expected(done.plan, done.load, done.state.expected).water
        given_l = ratio.usual * done.load.binder_kg - water.in_aggregate_l - water.in_admixture_l
        if given_l > 0:
            shares.append(done.state.went_in_l / given_l)
    if len(shares) < LEAST_LOADS:
        return None
    return Own(
        min(max(_tenths(shares)[0], _SHARES[0]), _SHARES[1]), min(shares), max(shares), len(shares), planned
    )


def _mixing_min(done: Done) -> float | None:
    judged, first = done.state.last_judgement, done.state.first_water_at
    return (judged.at - first) / timedelta(minutes=1) if judged and first and judged.at > first else None


def _waste(loads: Sequence[Done]) -> Own | None:
    """The waste of the jobs of which every load is done, job by job; over all of them by volume."""
    by_plan: dict[UUID, list[Done]] = {}
    for done in loads:
        by_plan.setdefault(done.plan_id, []).append(done)
    whole = [
        own for own in by_plan.values() if len({one.load.number for one in own}) == len(own[0].plan.loads)
    ]
    sums = [summarise_job(own[0].plan, [(one.load, one.state) for one in own]) for own in whole]
    net_l = sum(one.net_l for one in sums)
    if not net_l:
        return None
    used_l = [one.made_l - one.given_l - one.kept_l for one in sums]
    wastes = [litres / one.net_l - 1 for litres, one in zip(used_l, sums, strict=True)]
    all_of_it = sum(used_l) / net_l - 1
    count = sum(map(len, whole))
    if count < LEAST_LOADS:
        return None

    def bounded(waste: float) -> float:
        return min(max(waste, 0.0), _MOST_WASTE)

    planned = sum(one.planned_waste_fraction * one.net_l for one in sums) / net_l
    return Own(bounded(all_of_it), bounded(min(wastes)), bounded(max(wastes)), count, planned)


def _drying_days(done: Done) -> float | None:
    """From the pour until the cast was dry, days."""
    poured = [event.occurred_at for event in done.state.applied if isinstance(event, Placed)]
    if done.drying is None or not done.drying.is_dry or not poured:
        return None
    return (done.drying.weighings[-1].at - poured[-1]) / timedelta(days=1)
