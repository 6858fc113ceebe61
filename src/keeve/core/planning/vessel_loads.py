"""Loads in level vessels and whole bags: the size gives way, the ratio doesn't."""

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import groupby
from typing import NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes.model import Mix, MixWater
from keeve.core.planning.job import Job, Vessel
from keeve.core.planning.load_contents import LoadAmounts, binder_kg, load_of_amounts, vessels_for
from keeve.core.planning.plan import Load, Plan, PlanMaterial, PlannedCharge, VesselCount
from keeve.core.rules.load_sizes import LoadSize, WholeBags
from keeve.core.rules.proportioning import WATER_KG_M3, Component, Part, absolute_volume
from keeve.core.rules.registry import RuleWarning
from keeve.core.rules.vessels_and_scales import GaugeVessels, gauge_vessels
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import ROUNDING, whole_up

# Vessels are filled by eye in quarters, bags are not opened for less than a half.
STEPS = {"level": 0.25, "bag": 0.5}
# How much larger a load may get for its ratio's sake, and how near the ratio is to come for it, the first that does:
# large loads give little, small ones go up to twice. A level vessel is filled no nearer. A judgement made here.
_LARGER = ((0.05, 0.025), (0.1, 0.05), (0.25, 0.05), (0.5, 0.05), (0.99, 0.05))
# A ratio is near enough not to try smaller loads; past the worst it is another mix. A judgement made here.
_NEAR, _WORST = 0.05, 0.1
# A bag is shared out in quarters.
_PART_BAG = 0.25
# How far a load of whole bags may be off: the bags stay, what goes with them gives.
_WITH_BAGS = 0.1
# Where the mixer holds no more, smaller loads are tried: up to twice as many, or so many more. A judgement made here.
_MORE_LOADS = 4


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


def measures_of(charges: Sequence[PlannedCharge], vessels: Sequence[Vessel]) -> dict[str, Measure]:
    """The measure of each charge: the first of its vessels of which it fills a step; else the smallest.

    Args:
        charges: the charges of a load, with their counts.
        vessels: what the yard has.
    """
    found = {}
    for charge in charges:
        fits = []
        for vessel in vessels_for(charge.material, list(vessels)):
            count = next((item.count for item in charge.vessels if item.name == vessel.name), 0.0)
            if vessel.kind in STEPS and count > 0:
                step = STEPS[vessel.kind]
                fits.append((count >= step, Measure(vessel.name, charge.volume_l / count, step)))
        if fits:
            large = [measure for enough, measure in fits if enough]
            found[charge.material] = (
                large[0] if large else min((item for _, item in fits), key=lambda item: item.volume_l)
            )
    return found


def best_counts(
    charges: Sequence[PlannedCharge], measures: Mapping[str, Measure], most_l: float, workings: Workings
) -> GaugeVessels | None:
    """The counts that keep the ratio, no smaller than the load and as little larger as will do; None where none are.

    Args:
        charges: the charges of a load; those without a measure are weighed to the rest.
        measures: what each is counted in.
        most_l: most loose volume of all that is counted, L.
        workings: keeps the rule as it was run.
    """
    counted = [charge for charge in charges if charge.material in measures]
    if not counted:
        return None
    wanted_l = sum(charge.volume_l for charge in counted)
    best: GaugeVessels | None = None
    kept = Workings()
    for larger, near in _LARGER:
        trial = Workings()
        found = _counts(counted, measures, (wanted_l, min(most_l, wanted_l * (1 + larger))), larger, trial)
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

    ``most_l``: the most that is mixed at a time, L. ``bagged``: the part whose whole bags size a load.
    """

    mix: Mix
    water: MixWater
    job: Job
    parts: Sequence[Part]
    most_l: float
    bagged: str


def load_in_vessels(wanted: Load, how: InVessels, bags: float | None, workings: Workings) -> Load | None:
    """A load as it is counted out, water and doses to what then goes in; None where no counts keep it.

    Args:
        wanted: the load as wanted.
        how: what it is made of.
        bags: the bags that it is sized by; None where it is not.
        workings: keeps the rules that are run.
    """
    measures = measures_of(wanted.charges, how.job.vessels)
    if bags:
        # All its bags together are one vessel: they stay as they are.
        measures[how.bagged] = Measure("bag", wanted.charge(how.bagged).volume_l, 1.0)
        counted = [charge for charge in wanted.charges if charge.material in measures]
        wanted_l = sum(charge.volume_l for charge in counted)
        span_l = (wanted_l * (1 - _WITH_BAGS), wanted_l * (1 + _WITH_BAGS))
        found = _counts(counted, measures, span_l, _WITH_BAGS, workings)
    else:
        counted_l = sum(charge.volume_l for charge in wanted.charges if charge.material in measures)
        found = best_counts(wanted.charges, measures, counted_l * how.most_l / wanted.yield_l, workings)
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
        bags: whole bags, where loads are sized by them.
        workings: keeps the rules that are run.
    """
    made: list[Load] = []
    trials = 1 if how.job.trial_l else 0
    for pours, group in groupby(enumerate(planned), key=lambda item: (item[0] < trials, item[1].pours)):
        members = [load for _, load in group]
        found = _whole(members, how, bags, workings) if bags else _equal(members, load_of, how, workings)
        if found is None:
            return None
        made += [load.model_copy(update={"pours": pours[1]}) for load in found]
    return [load.model_copy(update={"number": number}) for number, load in enumerate(made, start=1)]


def _whole(members: list[Load], how: InVessels, bags: WholeBags, workings: Workings) -> list[Load] | None:
    """Loads of whole bags, each with its own measures."""
    made, by_size = [], dict[float, Load | None]()
    for load in members:
        if load.yield_l not in by_size:
            number = load.yield_l / 1000 * bags.binder_kg_m3 / bags.bag_kg
            # What is left at the end is no whole bag: it is counted out like any other load.
            whole = nearest(number, _PART_BAG) if is_near(number, _PART_BAG) else None
            by_size[load.yield_l] = load_in_vessels(load, how, whole, workings)
        found = by_size[load.yield_l]
        if found is None:
            return None
        made.append(found)
    return made


def _equal(
    members: list[Load], load_of: Callable[[LoadSize], Load], how: InVessels, workings: Workings
) -> list[Load] | None:
    """As many equal loads as make the volume, the fewest whose ratio is near; else the nearest of all tried."""
    total_l = sum(load.yield_l for load in members)
    best: Load | None = None
    least_off, kept = math.inf, Workings()
    for number in range(len(members), max(2 * len(members), len(members) + _MORE_LOADS)):
        one = load_of(LoadSize(number=1, volume_m3=total_l / number / 1000))
        trial = Workings()
        found = load_in_vessels(one, how, None, trial)
        if found and (off := ratio_off(found.charges, one.charges)) < least_off:
            best, least_off, kept = found, off, trial
        if least_off <= _NEAR:
            break
    if best is None:
        return None
    workings.take(kept)
    # Larger loads leave less for the last one.
    before = whole_up(total_l / best.yield_l) - 1
    rest_l = total_l - before * best.yield_l
    rest = load_in_vessels(load_of(LoadSize(number=1, volume_m3=rest_l / 1000)), how, None, workings)
    is_smaller = rest is not None and rest.yield_l < best.yield_l * (1 - ROUNDING)
    return [best] * before + [rest if rest and is_smaller else best]


def ratio_off(counted: Sequence[PlannedCharge], wanted: Sequence[PlannedCharge]) -> float:
    """How far the worst material is off its share of the load, as a fraction.

    Args:
        counted: the charges as they are counted.
        wanted: the same materials in the ratio of the mix, of any size.
    """
    pairs = list(zip(counted, wanted, strict=True))
    scale = sum(one.volume_l for one, _ in pairs) / sum(other.volume_l for _, other in pairs)
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
    made_l = sum(item.yield_l for item in plan.loads)
    planned_l = next(item.yield_l for item in plan.loads if item.number == load.number)
    larger = made_l / (plan.volume.order_m3 * 1000) * load.yield_l / planned_l
    return VesselError(ratio_off(load.charges, wanted), larger - 1)


def _in_ratio(charge: PlannedCharge, material: PlanMaterial, plan: Plan) -> PlannedCharge:
    """A charge of so many parts."""
    measured = charge.volume_l if plan.mix.basis_traits.by_loose_volume else charge.dry_kg
    return charge.times(material.parts / measured)


def counted_load(plan: Plan, load: Load) -> Load | None:
    """A load that is weighed, as it would be counted out in the plan's vessels; None where it cannot be."""
    measures = measures_of(load.charges, plan.vessels)
    if len(measures) < len(load.charges):
        return None
    loose_l = sum(charge.volume_l for charge in load.charges)
    most_l = loose_l * max(plan.mixer.working_l / load.yield_l, 1.0)
    found = best_counts(load.charges, measures, most_l, Workings())
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
    if job.gauge == "volume" and not is_counted and job.vessels:
        return [
            RuleWarning(
                code="no_counts",
                message="No bucket count keeps this ratio at this load size, so amounts are by weight.",
                field="gauge",
                suggestion="Use a smaller bucket, or mix bigger loads.",
            )
        ]
    lacking = _lacking(job, loads[0])
    if lacking is None:
        return []
    return [
        RuleWarning(
            code="no_means",
            message=f"You have {lacking}, so amounts are by weight.",
            field="gauge",
            suggestion="Add it under Our kit, or measure by weight.",
        )
    ]


def _lacking(job: Job, load: Load) -> str | None:
    """Gear that the yard lacks for its gauge; None where it has it."""
    kinds = {"volume": set(STEPS), "shovels": {"shovel"}, "scale": {"level"}}[job.gauge]
    bare = [
        charge.material
        for charge in load.charges
        if not any(item.kind in kinds for item in vessels_for(charge.material, job.vessels))
    ]
    if job.whole_bags and job.gauge == "volume":
        bare = [name for name in bare if not any(item.name == "bag" for item in load.charge(name).vessels)]
    if job.gauge == "scale" and not job.scales:
        return "no scale"
    what = {"volume": "no level bucket", "shovels": "no shovel", "scale": "no bucket to weigh in"}[job.gauge]
    return f"{what} for the {' and '.join(bare)}" if bare else None
