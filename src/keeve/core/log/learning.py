"""The lessons of the loads of a mix for the next time: the crew's own water, what it loses, how long it takes."""

from collections.abc import Callable, Iterable, Sequence
from datetime import timedelta
from math import fsum
from statistics import median, quantiles
from typing import Any, NamedTuple
from uuid import UUID

from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.charts import is_past
from keeve.core.log.load_row import AsPlanned, LoadRow, row_of
from keeve.core.planning.job import Job
from keeve.core.planning.site_mix import chosen_mix

# Fewer loads are no habit; a cast takes days, so two of them are told. Judgements made here.
LEAST_LOADS, LEAST_CASTS = 5, 2
# Before anything is judged as much of the water can go in as nine in ten loads took, and a twentieth at least is held
# back: the next sand is another. Judgements made here.
_SHARES = (0.5, 0.95)
_MOST_WASTE = 1.0


class Own(NamedTuple):
    """A habit of a crew's own loads: usually, between which eight in ten are, how many loads are behind it, what the
    mix or the plan has; None for what neither says.
    """

    usual: float
    low: float
    high: float
    loads: int
    planned: float | None


class Learnt(NamedTuple):
    """The lessons of the loads of a mix; None for what too few of them show.

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

    @property
    def of_one_load(self) -> bool:
        """Whether all of it is of one load."""
        return all(own is None or own.loads == 1 for own in self)


def learn(loads: Sequence[LoadRow], mix_id: str, planned: AsPlanned) -> Learnt:
    """The lessons of loads for the next of a plan.

    Only loads of its mix in its parts count, of no placing that asks for another wetness; for water and time those that
    were judged right inside the mix's window, and came out well where that was told. Of loads from before Keeve the
    water ratio counts, where they did not come out badly.

    Args:
        loads: the crew's loads of the mix, in order.
        mix_id: their mix.
        planned: a load of the plan to be made again.
    """
    same = [
        load
        for load in loads
        if load.is_out
        and load.as_planned is not None
        and (load.mix_id, load.as_planned.parts) == (mix_id, planned.parts)
        and not load.as_planned.has_own_ratio
    ]
    right = [load for load in same if _came_right(load)]
    window = planned.window
    ratios = [load.ratio or 0.0 for load in right]
    if window is not None:
        past = [load.ratio for load in loads if _is_good_past(load) and load.ratio is not None]
        ratios += [ratio for ratio in past if window.low <= ratio <= window.high]
    ratio = _own(ratios, window.target if window else None) if planned.is_judged else None
    return Learnt(
        ratio=ratio,
        start_share=_start(right, ratio, planned.start_share),
        mixing_min=_of(right, _mixing_min, LEAST_LOADS),
        waste_fraction=_waste(same),
        drying_days=_of(same, lambda load: load.drying_days, LEAST_CASTS),
    )


# One load says less than five: so much of its water, or of its minutes, either way. Judgements made here.
_ONE_LOAD, _ONE_LOAD_MIN = 0.05, 0.25


def learn_from(running: RunningLoad) -> Learnt:
    """The lessons of one load that came out well, within a wider band than many would have; of another nothing.

    Its water was judged right; a plaster is not judged, and was poured.
    """
    load = row_of(running)
    planned = load.as_planned
    is_poured = running.plan.mix.regime_traits.placed_in and load.placed_l > 0
    came_right = _came_right(load) or (is_poured and load.discarded is None and load.result in (None, "good"))
    if planned is None or load.ratio is None or not came_right:
        return Learnt()

    def own(value: float | None, share: float, usual: float | None = None) -> Own | None:
        return None if value is None else Own(value, value * (1 - share), value * (1 + share), 1, usual)

    target = planned.window.target if planned.window else None
    return Learnt(ratio=own(load.ratio, _ONE_LOAD, target), mixing_min=own(_mixing_min(load), _ONE_LOAD_MIN))


def _is_good_past(load: LoadRow) -> bool:
    """Whether a load from before Keeve did not come out badly."""
    return load.plan_id is None and load.result in (None, "good") and load.state == "done"


def as_learnt(job: Job, learnt: Learnt) -> Job:
    """A job that begins with what was learnt of its mix: its water, waste and minutes a load."""
    changed = job.model_dump(mode="json", exclude_unset=True)
    if learnt.ratio is not None:
        changed |= _in_water(job, changed, learnt.ratio.usual, learnt.start_share)
    if learnt.waste_fraction is not None:
        changed["waste_fraction"] = learnt.waste_fraction.usual
    if learnt.mixing_min is not None:
        changed["pace"] = changed.get("pace", {}) | {"cycle_min": learnt.mixing_min.usual}
    return Job.model_validate(changed)


def _in_water(job: Job, changed: dict[str, Any], ratio: float, start_share: Own | None) -> dict[str, Any]:
    """The fields of a job that give its mix this water over binder, as it is told of such a mix."""
    mix = chosen_mix(job)
    if mix.basis == "gypsum":
        return {"plaster": {"amount": ratio * 100, "basis": "water_per_100"}}
    if mix.basis_traits.asks_for == "label":
        name = mix.parts[0].name
        label = changed["materials"][name]
        # A bag counts as binder, all of it, with what is weighed to it; a twentieth is held back, as of any other load.
        binder_kg = label["bag_kg"] * fsum(part.parts for part in mix.parts) / mix.parts[0].parts
        start_l = min(ratio * binder_kg, label["water_max_l"]) * _SHARES[1]
        return {"materials": changed["materials"] | {name: label | {"water_start_l": start_l}}}
    if not mix.has_usual_water:
        return {}
    share = {} if start_share is None else {"start_share": start_share.usual}
    return {"own_water": {"ratio": ratio} | share}


def _came_right(load: LoadRow) -> bool:
    window = load.as_planned.window if load.as_planned else None
    if not load.is_right or load.ratio is None or window is None:
        return False
    return (
        load.result in (None, "good")
        and load.discarded is None
        and load.ratio >= window.low
        and not is_past(load.ratio, window)
    )


def _own(values: Sequence[float], planned: float | None, least: int = LEAST_LOADS) -> Own | None:
    """A habit shown by values, one a load; None where they are too few."""
    if len(values) < least:
        return None
    low, *_, high = _tenths(values)
    return Own(median(values), low, high, len(values), planned)


def _tenths(values: Sequence[float]) -> list[float]:
    """The values that one in ten, two in ten … nine in ten are under."""
    return quantiles(values, n=10, method="inclusive")


def _of(loads: Iterable[LoadRow], figure: Callable[[LoadRow], float | None], least: int) -> Own | None:
    """A figure of loads, of those that have it."""
    return _own([value for load in loads if (value := figure(load)) is not None], None, least)


def _start(loads: Sequence[LoadRow], ratio: Own | None, planned: float | None) -> Own | None:
    """The share of the water that can go in first: of what each load would have been given at the usual ratio."""
    if ratio is None:
        return None
    shares = []
    for load in loads:
        if load.as_planned is None:
            continue
        given_l = ratio.usual * load.as_planned.binder_kg - load.as_planned.other_water_l
        if given_l > 0:
            shares.append(load.water_l / given_l)
    if len(shares) < LEAST_LOADS:
        return None
    return Own(
        min(max(_tenths(shares)[0], _SHARES[0]), _SHARES[1]), min(shares), max(shares), len(shares), planned
    )


def _mixing_min(load: LoadRow) -> float | None:
    judged_at, first_at = load.judged_at, load.first_water_at
    return (
        (judged_at - first_at) / timedelta(minutes=1)
        if judged_at and first_at and judged_at > first_at
        else None
    )


def _waste(loads: Sequence[LoadRow]) -> Own | None:
    """The waste of the jobs of which every load is done, job by job; over all of them by volume."""
    by_plan: dict[UUID, tuple[AsPlanned, list[LoadRow]]] = {}
    for load in loads:
        if load.plan_id is not None and load.as_planned is not None:
            by_plan.setdefault(load.plan_id, (load.as_planned, []))[1].append(load)
    whole = [
        (plan, own) for plan, own in by_plan.values() if len({load.number for load in own}) == plan.loads
    ]
    net_l = fsum(plan.net_l for plan, _ in whole)
    if not net_l:
        return None
    used_l = [
        fsum(load.made_l - load.given_l - load.in_store_l for load in own if load.was_mixed)
        for _, own in whole
    ]
    wastes = [litres / plan.net_l - 1 for litres, (plan, _) in zip(used_l, whole, strict=True)]
    all_of_it = fsum(used_l) / net_l - 1
    count = sum(len(own) for _, own in whole)
    if count < LEAST_LOADS:
        return None

    def bounded(waste: float) -> float:
        return min(max(waste, 0.0), _MOST_WASTE)

    planned = fsum(plan.waste_fraction * plan.net_l for plan, _ in whole) / net_l
    return Own(bounded(all_of_it), bounded(min(wastes)), bounded(max(wastes)), count, planned)
