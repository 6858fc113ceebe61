"""Loads counted out in level vessels, whole bags and shovels: the size gives way, the ratio doesn't."""

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import groupby
from typing import NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes.model import Gauge, Mix, MixWater
from keeve.core.planning.job import Job, Vessel
from keeve.core.planning.load_contents import LoadAmounts, binder_kg, load_of_amounts, vessels_for
from keeve.core.planning.plan import Load, Plan, PlanMaterial, PlannedCharge, VesselCount
from keeve.core.rules.load_sizes import LoadSize, WholeBags
from keeve.core.rules.proportioning import WATER_KG_M3, Component, Part, absolute_volume
from keeve.core.rules.registry import RuleWarning
from keeve.core.rules.vessels_and_scales import GaugeVessels, gauge_vessels
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import NEAR_ENOUGH_FRACTION, ROUNDING, whole_up

# What each gauge counts, and in which steps: a level vessel is filled by eye in quarters, a heaped shovel in halves,
# a bag is not opened for less than a half. Common practice, no source.
COUNTED: Mapping[Gauge, Mapping[str, float]] = {
    "volume": {"level": 0.25, "bag": 0.5},
    "shovels": {"shovel": 0.5},
}
# How much larger a load may get for its ratio's sake, and how near the ratio is to come for it, the first that does.
# What is needed is made, and hardly more; sized to its measures a small load goes up to twice. A level vessel is filled
# no nearer. A judgement made here.
_AS_NEEDED = ((0.05, 0.025),)
_TO_MEASURES = ((0.05, 0.01), (0.1, 0.01), (0.25, 0.01), (0.5, 0.025), (0.99, 0.05))
# A ratio is near enough not to try smaller loads; past the worst it is another mix. A judgement made here.
_NEAR, _WORST = 0.05, 0.1
# A bag is shared out in quarters.
PART_BAG = 0.25
# How far a load of whole bags may be off: the bags stay, what goes with them gives.
_WITH_BAGS = 0.1
# Where the mixer holds no more, smaller loads are tried: up to twice as many, or so many more, but no more than so
# many numbers of them. A judgement made here.
_MORE_LOADS, _TRIES = 4, 8
# So much more than ordered is mixed, or to measures, and several loads are weighed rather than more; what is over the
# least one is told. A judgement made here.
_OVER, _OVER_TO_MEASURES, _TOLD_OVER = 0.05, 0.1, 0.03
# A larger load is a truck's, which is weighed.
_BY_HAND_L = 1000.0
# A rest of that share that cannot be counted so small is left out, and told. A judgement made here.
_LEFT_OUT = 0.05


def nearest(count: float, step: float) -> float:
    """A count to the nearest step of its vessel."""
    return round(count / step) * step


def is_near(count: float, step: float) -> bool:
    """Whether a count is one of whole steps but for rounding."""
    return abs(count - nearest(count, step)) <= ROUNDING * max(count, 1.0)


class Measure(NamedTuple):
    """The measure a material is counted in: a vessel's name, its volume (L), and the steps it is filled in."""

    name: str
    volume_l: float
    fraction: float


def measures_of(
    charges: Sequence[PlannedCharge], vessels: Sequence[Vessel], gauge: Gauge
) -> dict[str, Measure]:
    """The measure of each charge: the first of its vessels of which it fills a step; else the smallest.

    Args:
        charges: the charges of a load, with their counts.
        vessels: what the yard has.
        gauge: what is counted.
    """
    found, steps = {}, COUNTED[gauge]
    for charge in charges:
        fits = []
        for vessel in vessels_for(charge.material, list(vessels)):
            count = next((item.count for item in charge.vessels if item.name == vessel.name), 0.0)
            if vessel.kind in steps and count > 0:
                step = steps[vessel.kind]
                fits.append((count >= step, Measure(vessel.name, charge.volume_l / count, step)))
        if fits:
            large = [measure for enough, measure in fits if enough]
            found[charge.material] = (
                large[0] if large else min((item for _, item in fits), key=lambda item: item.volume_l)
            )
    return found


def best_counts(
    charges: Sequence[PlannedCharge],
    measures: Mapping[str, Measure],
    most_l: float,
    workings: Workings,
    *,
    to_measures: bool = False,
) -> GaugeVessels | None:
    """The counts that keep the ratio, hardly smaller than the load and as little larger as will do; None: none do.

    Args:
        charges: the charges of a load; those without a measure are weighed to the rest.
        measures: what each is counted in.
        most_l: most loose volume of all that is counted, L.
        workings: keeps the rule as it was run.
        to_measures: whether the load is as large as its measures ask, not as what is needed.
    """
    counted = [charge for charge in charges if charge.material in measures]
    if not counted:
        return None
    wanted_l = math.fsum(charge.volume_l for charge in counted)
    best: GaugeVessels | None = None
    kept = Workings()
    for larger, near in _TO_MEASURES if to_measures else _AS_NEEDED:
        trial = Workings()
        span_l = (wanted_l * (1 - NEAR_ENOUGH_FRACTION), min(most_l, wanted_l * (1 + larger)))
        found = _counts(counted, measures, span_l, larger, trial)
        if found and (best is None or found.ratio_error_fraction < best.ratio_error_fraction - ROUNDING):
            best, kept = found, trial
        if best and best.ratio_error_fraction <= near:
            break
    if best is None or best.ratio_error_fraction > _WORST:
        return None
    workings.take(kept)
    return best


def _counts(
    charges: Sequence[PlannedCharge],
    measures: Mapping[str, Measure],
    span_l: tuple[float, float],
    tolerance: float,
    workings: Workings,
) -> GaugeVessels | None:
    """The counts within a span of loose volume, L; None where there are none."""
    try:
        return workings.run(
            gauge_vessels,
            masses_kg={charge.material: charge.mass_kg for charge in charges},
            bulk_densities_kg_m3={
                charge.material: charge.mass_kg / charge.volume_l * 1000 for charge in charges
            },
            vessel_l={charge.material: measures[charge.material].volume_l for charge in charges},
            fraction={charge.material: measures[charge.material].fraction for charge in charges},
            batch_tolerance=tolerance,
            min_l=span_l[0],
            max_l=span_l[1],
        )
    except InputError as fault:
        if fault.code not in ("no_gauge", "vessel_too_small"):
            raise
        return None


class InVessels(NamedTuple):
    """The makings of loads that are counted out: the mix with its water, the job, the parts.

    ``most_l``: the most that is mixed at a time, L. ``bagged``: the part whose bags size a load, "" where none do.
    """

    mix: Mix
    water: MixWater
    job: Job
    parts: Sequence[Part]
    most_l: float
    bagged: str

    @property
    def to_measures(self) -> bool:
        """Whether loads are as large as their measures ask."""
        return self.job.size_to == "vessels"

    @property
    def most_over(self) -> float:
        """How much more than ordered is mixed at most, as a fraction."""
        return _OVER_TO_MEASURES if self.to_measures else _OVER


def load_in_vessels(wanted: Load, how: InVessels, bags: float | None, workings: Workings) -> Load | None:
    """A load as it is counted out, water and doses to what then goes in; None where no counts keep it.

    Args:
        wanted: the load as wanted.
        how: what it is made of.
        bags: the bags that it is sized by; None where it is not.
        workings: keeps the rules that are run.
    """
    measures = measures_of(wanted.charges, how.job.vessels, how.job.gauge)
    if bags:
        # All its bags together are one vessel: they stay as they are.
        measures[how.bagged] = Measure("bag", wanted.charge(how.bagged).volume_l, 1.0)
        counted = [charge for charge in wanted.charges if charge.material in measures]
        wanted_l = math.fsum(charge.volume_l for charge in counted)
        span_l = (wanted_l * (1 - _WITH_BAGS), wanted_l * (1 + _WITH_BAGS))
        found = _counts(counted, measures, span_l, _WITH_BAGS, workings)
    else:
        counted_l = math.fsum(charge.volume_l for charge in wanted.charges if charge.material in measures)
        most_l = counted_l * how.most_l / wanted.yield_l
        found = best_counts(wanted.charges, measures, most_l, workings, to_measures=how.to_measures)
    if found is None or found.ratio_error_fraction > _WORST:
        return None
    charges = counted_out(wanted.charges, measures, found)
    amounts = LoadAmounts(
        masses_kg={charge.material: charge.mass_kg for charge in charges},
        dry_kg={charge.material: charge.dry_kg for charge in charges},
        volumes_l={charge.material: charge.volume_l for charge in charges},
        added_water_l=wanted.water.target_l * (1 + found.volume_error_fraction),
    )
    size = LoadSize(number=wanted.number, volume_m3=_fresh_m3(how, amounts, wanted))
    load = load_of_amounts(how.mix, how.water, how.job, how.parts, amounts, size, workings)
    if bags:
        charges = [
            charge.model_copy(update={"vessels": [VesselCount(name="bag", count=bags)]})
            if charge.material == how.bagged
            else charge
            for charge in charges
        ]
    return load.model_copy(update={"charges": charges, "pours": wanted.pours})


def counted_out(
    charges: Sequence[PlannedCharge], measures: Mapping[str, Measure], found: GaugeVessels
) -> list[PlannedCharge]:
    """The charges as they are counted; what is not counted is weighed to the rest."""
    made = []
    for charge in charges:
        count = found.counts.get(charge.material)
        if count is None:
            made.append(charge.times(1 + found.volume_error_fraction))
            continue
        measure = measures[charge.material]
        scaled = charge.times(count * measure.volume_l / charge.volume_l)
        others = [item for item in scaled.vessels if item.name != measure.name]
        vessels = [VesselCount(name=measure.name, count=count), *others]
        made.append(scaled.model_copy(update={"vessels": vessels}))
    return made


def _fresh_m3(how: InVessels, amounts: LoadAmounts, wanted: Load) -> float:
    """The fresh volume of what is counted out, with the water it takes, m3."""
    water_kg = wanted.water.free_l(wanted.water.target_l) / wanted.binder_kg * binder_kg(how.parts, amounts)
    solids = [
        Component(
            name=part.name,
            mass_kg=amounts.dry_kg[part.name],
            particle_density_kg_m3=part.particle_density_kg_m3,
        )
        for part in how.parts
    ]
    water = Component(name="water", mass_kg=water_kg, particle_density_kg_m3=WATER_KG_M3)
    return absolute_volume([*solids, water], how.mix.air_fraction).volume_m3


def loads_in_vessels(
    planned: Sequence[Load],
    load_of: Callable[[LoadSize], Load],
    how: InVessels,
    bags: WholeBags | None,
    workings: Workings,
) -> list[Load] | None:
    """The loads of a plan counted out, a load more where the mixer has no room for whole measures; None: none can be.

    Args:
        planned: the loads as they would be weighed; a test batch comes first.
        load_of: the load of a size, weighed.
        how: what they are made of.
        bags: the bags that loads are sized by; None where they are not.
        workings: keeps the rules that are run.
    """
    if max(load.yield_l for load in planned) > _BY_HAND_L:
        return None
    made: list[Load] = []
    trials = 1 if how.job.trial_l else 0
    for pours, group in groupby(enumerate(planned), key=lambda item: (item[0] < trials, item[1].pours)):
        members = [load for _, load in group]
        found = _by_bags(members, how, bags, workings) if bags else _equal(members, load_of, how, workings)
        if found is None:
            return None
        made += [load.model_copy(update={"pours": pours[1]}) for load in found]
    return [load.model_copy(update={"number": number}) for number, load in enumerate(made, start=1)]


def _by_bags(members: list[Load], how: InVessels, bags: WholeBags, workings: Workings) -> list[Load] | None:
    """Loads of bags, each with its own measures. Of bags that are there any part is weighed, else a quarter is one."""
    made, by_size = [], dict[float, Load | None]()
    to_measures = how._replace(job=how.job.model_copy(update={"size_to": "vessels"}))
    for load in members:
        if load.yield_l not in by_size:
            number = load.yield_l / 1000 * bags.binder_kg_m3 / bags.bag_kg
            if is_near(number, PART_BAG):
                number = nearest(number, PART_BAG)
            elif not how.job.is_in_bags:
                # What is left at the end is no whole bag: it is counted out like any other load.
                number = 0.0
            by_size[load.yield_l] = load_in_vessels(load, to_measures, number or None, workings)
        found = by_size[load.yield_l]
        if found is None:
            return None
        made.append(found)
    return made


class _Made(NamedTuple):
    """Loads that make a volume: how far their ratio is off and how much more they make, as fractions."""

    loads: list[Load]
    off: float
    over: float


def _equal(
    members: list[Load], load_of: Callable[[LoadSize], Load], how: InVessels, workings: Workings
) -> list[Load] | None:
    """As many equal loads as make the volume, the fewest that are near; else those that come nearest."""
    total_l = math.fsum(load.yield_l for load in members)
    fewest, most = len(members), max(2 * len(members), len(members) + _MORE_LOADS) - 1
    tries = min(_TRIES, most - fewest + 1)
    best, least, kept = None, (math.inf, math.inf), Workings()
    for index in range(tries):
        number = fewest + round((most - fewest) * index / (tries - 1))
        trial = Workings()
        found = _loads_of(total_l, number, load_of, how, trial)
        if found is None or (found.over > _OVER + ROUNDING and not how.to_measures):
            continue
        rank = (max(found.off, _NEAR), max(found.over, how.most_over))
        if rank < least:
            best, least, kept = found.loads, rank, trial
        if rank == (_NEAR, how.most_over):
            break
    workings.take(kept)
    return best


def _loads_of(
    total_l: float, number: int, load_of: Callable[[LoadSize], Load], how: InVessels, workings: Workings
) -> _Made | None:
    """Loads of so manieth of a volume, counted out; the last is what is then left, where that is no crumb."""
    one = load_of(LoadSize(number=1, volume_m3=total_l / number / 1000))
    each = load_in_vessels(one, how, None, workings)
    if each is None:
        return None
    crumb_l = total_l * NEAR_ENOUGH_FRACTION
    # Larger loads leave less for the last one.
    before = whole_up((total_l - crumb_l) / each.yield_l) - 1
    rest_l = total_l - before * each.yield_l
    rest = load_in_vessels(load_of(LoadSize(number=1, volume_m3=rest_l / 1000)), how, None, workings)
    last = rest if rest and rest.yield_l < each.yield_l * (1 - ROUNDING) else each
    loads = [each] * before + [last]
    if before and last.yield_l > rest_l + how.most_over * total_l:
        if rest_l > _LEFT_OUT * total_l:
            return None
        loads.pop()
    off = max(ratio_off(load.charges, one.charges) for load in (loads[0], loads[-1]))
    return _Made(loads, off, math.fsum(load.yield_l for load in loads) / total_l - 1)


def ratio_off(counted: Sequence[PlannedCharge], wanted: Sequence[PlannedCharge]) -> float:
    """How far the worst material is off its share of the load, as a fraction.

    Args:
        counted: the charges as they are counted.
        wanted: the same materials in the ratio of the mix, of any size.
    """
    pairs = list(zip(counted, wanted, strict=True))
    scale = math.fsum(one.volume_l for one, _ in pairs) / math.fsum(other.volume_l for _, other in pairs)
    return max(abs(one.volume_l / (scale * other.volume_l) - 1) for one, other in pairs)


class VesselError(NamedTuple):
    """The cost of counting: how far the ratio is off and how much larger it is than wanted, as fractions."""

    ratio_error_fraction: float
    volume_error_fraction: float


def counting_error(plan: Plan, load: Load) -> VesselError:
    """The cost of counting a load, by what is printed of it; its size against what was ordered.

    Args:
        plan: the plan.
        load: one of its loads, or one of them as it is counted out.
    """
    wanted = [_in_ratio(charge, plan.material(charge.material), plan) for charge in load.charges]
    made_l = math.fsum(item.yield_l for item in plan.loads)
    planned_l = next(item.yield_l for item in plan.loads if item.number == load.number)
    larger = made_l / (plan.volume.order_m3 * 1000) * load.yield_l / planned_l
    return VesselError(ratio_off(load.charges, wanted), larger - 1)


def _in_ratio(charge: PlannedCharge, material: PlanMaterial, plan: Plan) -> PlannedCharge:
    """A charge of so many parts."""
    measured = charge.volume_l if plan.mix.basis_traits.by_loose_volume else charge.dry_kg
    return charge.times(material.parts / measured)


def counted_load(plan: Plan, load: Load, gauge: Gauge) -> Load | None:
    """A load that is measured otherwise, as it would be counted out in the plan's vessels; None where it cannot be."""
    measures = measures_of(load.charges, plan.vessels, gauge)
    if len(measures) < len(load.charges) or load.yield_l > _BY_HAND_L:
        return None
    loose_l = math.fsum(charge.volume_l for charge in load.charges)
    most_l = loose_l * max(plan.mixer.working_l / load.yield_l, 1.0)
    found = best_counts(load.charges, measures, most_l, Workings(), to_measures=True)
    if found is None:
        return None
    larger = 1 + found.volume_error_fraction
    return load.model_copy(
        update={
            "yield_l": load.yield_l * larger,
            "loose_l": load.loose_l * larger,
            "binder_kg": load.binder_kg * larger,
            "charges": counted_out(load.charges, measures, found),
            "water": load.water.times(larger),
            "admixtures": [item.times(larger) for item in load.admixtures],
        }
    )


def other_than_ordered(ordered_m3: float, loads: Sequence[Load]) -> list[RuleWarning]:
    """A word where loads make more than was ordered, or less, since they are counted.

    Args:
        ordered_m3: the volume to make, m3.
        loads: the loads.
    """
    made_l, ordered_l = math.fsum(load.yield_l for load in loads), ordered_m3 * 1000
    if -NEAR_ENOUGH_FRACTION - ROUNDING <= made_l / ordered_l - 1 <= _TOLD_OVER:
        return []
    return [
        RuleWarning(
            code="other_than_ordered",
            message=f"That makes {made_l:.4g} L, and you need {ordered_l:.4g} L.",
            field="gauge",
            suggestion="A smaller bucket or bag comes nearer, or measure by weight.",
        )
    ]


def without_means(mix: Mix, job: Job, loads: Sequence[Load], is_counted: bool) -> list[RuleWarning]:
    """A word where the yard has nothing for the gauge that was asked for, so that amounts go by weight.

    Args:
        mix: the mix.
        job: the job, with what the yard has.
        loads: the loads.
        is_counted: whether they could be counted out, where that was asked for.
    """
    if mix.basis_traits.is_blended or job.gauge == "weight":
        return []
    lacking = _lacking(job, loads[0])
    if lacking is None and (is_counted or job.gauge not in COUNTED):
        return []
    if lacking is None:
        vessel = _MEANS[job.gauge][1]
        if max(load.yield_l for load in loads) > _BY_HAND_L:
            return [
                RuleWarning(
                    code="too_large_to_count",
                    message="A load this big is weighed, not counted out by hand.",
                    field="gauge",
                    suggestion="Order it by weight, or mix smaller loads.",
                )
            ]
        return [
            RuleWarning(
                code="no_counts",
                message=f"No {vessel} count keeps this ratio at this load size, so amounts are by weight.",
                field="gauge",
                suggestion=f"Size the load to your {vessel}s, use a smaller one, or weigh.",
                meant={"size_to": "vessels"},
            )
        ]
    return [
        RuleWarning(
            code="no_means",
            message=f"You have {lacking}, so amounts are by weight.",
            field="gauge",
            suggestion="Add it under Our kit, or measure by weight.",
        )
    ]


# What each gauge measures in, as a reader calls it.
_MEANS: Mapping[Gauge, tuple[str, str]] = {
    "volume": ("no level bucket", "bucket"),
    "shovels": ("no shovel", "shovel"),
    "scale": ("no bucket to weigh in", "bucket"),
}


def _lacking(job: Job, load: Load) -> str | None:
    """Gear that the yard lacks for its gauge; None where it has it."""
    kinds = COUNTED.get(job.gauge, {"level": 1.0})
    bare = [
        charge.material
        for charge in load.charges
        if not any(item.kind in kinds for item in vessels_for(charge.material, job.vessels))
    ]
    if job.counts_by_bags and job.gauge in COUNTED:
        bare = [name for name in bare if not any(item.name == "bag" for item in load.charge(name).vessels)]
    if job.gauge == "scale" and not job.scales:
        return "no scale"
    return f"{_MEANS[job.gauge][0]} for the {' and '.join(bare)}" if bare else None
