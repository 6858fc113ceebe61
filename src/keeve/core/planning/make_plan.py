"""From a job to its plan."""

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from pydantic import TypeAdapter

from keeve.core.errors import InputError, validated
from keeve.core.mixes.mixers import BY_HAND, MIXED_IN, MIXER_NAMES, ORDER_NAMES
from keeve.core.mixes.model import Caution, Gauge, Mix, MixWater
from keeve.core.mixes.procedures import Procedure, Step
from keeve.core.planning.expected_strength import strength_of_plan
from keeve.core.planning.job import Job, MaterialOnSite, OnHandNeed, Placing
from keeve.core.planning.load_contents import (
    amounts_by_parts,
    binder_kg,
    each_size,
    label_of,
    label_target_l,
    load_by_bag,
    load_by_parts,
    load_of_amounts,
)
from keeve.core.planning.load_sizes import alternatives, batch_limits, poured_in_parts, sized, sized_by_pour
from keeve.core.planning.mix_temperature import life_on_site
from keeve.core.planning.on_hand import batch_on_hand_m3
from keeve.core.planning.pace import joints_of
from keeve.core.planning.placing import wetness_of
from keeve.core.planning.plan import (
    Alternative,
    Load,
    Plan,
    PlanLimit,
    PlanMaterial,
    PlanMix,
    PlanStep,
    PlanVolume,
    Purchase,
    Way,
)
from keeve.core.planning.plausibility import implausible_in_job, implausible_in_loads
from keeve.core.planning.set_clock import clock_of, water_c_of
from keeve.core.planning.site_mix import materials_on_site, mix_of
from keeve.core.planning.vessel_loads import (
    COUNTED,
    InVessels,
    loads_in_vessels,
    other_than_ordered,
    without_means,
)
from keeve.core.planning.volumes import no_bag, volumes
from keeve.core.planning.whole_measures import (
    WATER_UNITS_L,
    check_size_to,
    offered,
    sized_so,
    sized_to_water,
    ways_to_measure,
)
from keeve.core.rules.admixtures import LIQUID_KG_L, LIQUID_SOLIDS
from keeve.core.rules.bagged import bagged
from keeve.core.rules.gypsum_time import age_factor_of
from keeve.core.rules.load_sizes import LoadSize, WholeBags
from keeve.core.rules.registry import VERSION, RuleWarning
from keeve.core.rules.shopping import shopping
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import NEAR_ENOUGH_FRACTION, is_over, whole_up

ESTIMATES = Caution(code="estimates", text="Estimates only: local codes and licensed professionals decide.")


def make_plan(job: Job) -> Plan:
    """The plan of a job; a mend is offered only where it makes the whole job right.

    Args:
        job: the job, validated.

    Returns:
        Volumes, loads with their charges and water, shopping, procedure, cautions, warnings and workings.

    Raises:
        InputError: a field that cannot be used, named.
    """
    plan = _plan_of(job)
    if not any(item.meant for item in plan.warnings):
        return plan
    told = {(item.code, item.field) for item in plan.warnings}
    warnings = [
        item if item.meant is None or _mends(job, item, told) else item.model_copy(update={"meant": None})
        for item in plan.warnings
    ]
    return plan.model_copy(update={"warnings": warnings})


def _mends(job: Job, warning: RuleWarning, told: set[tuple[str, str]]) -> bool:
    """Whether what was probably meant makes the job right: its own warning goes, and none comes."""
    raw = job.model_dump(mode="json", exclude_unset=True)
    for path, value in (warning.meant or {}).items():
        *where, last = path.split(".")
        holder: Any = raw
        for name in where:
            holder = holder[int(name)] if isinstance(holder, list) else holder.setdefault(name, {})
        holder[int(last) if isinstance(holder, list) else last] = value
    try:
        again = _plan_of(validated(_JOB, raw))
    except (InputError, LookupError):
        return False
    left = {(item.code, item.field) for item in again.warnings}
    return left < told and (warning.code, warning.field) not in left


_JOB: TypeAdapter[Job] = TypeAdapter(Job)


def _plan_of(job: Job) -> Plan:
    workings = Workings()
    mix = mix_of(job, workings)
    procedure = _procedure(mix, job, workings)
    assumed = _assumed(job, mix)
    materials = materials_on_site(mix, job, workings, assumed)
    workings.warnings += implausible_in_job(mix, job)
    check_size_to(mix, job)
    try:
        if mix.water is None:
            made = _by_bag(mix, job, materials, workings)
        else:
            made = _by_parts(mix, mix.water, job, materials, procedure.steps, workings)
    except InputError as fault:
        slip = next(
            (item for item in workings.warnings if item.meant and item.field.startswith("need.")), None
        )
        if fault.code != "too_many_loads" or slip is None:
            raise
        # Too many loads come from a size in another unit: the refusal names it.
        raise InputError(
            fault.code, f"{slip.message} {slip.suggestion}", [slip.field], meant=slip.meant
        ) from fault
    workings.warnings += implausible_in_loads(mix, job, made.loads)
    steps = _plan_steps(procedure)
    if mix.regime_traits.placed_in and mix.water:
        steps = _soaked(steps, mix.water, job, made.loads, workings)
        workings.warnings += poured_in_parts(made.loads)
    bought, cost = _shopping(job, made.loads, materials, workings)
    plan = Plan(
        version=1,
        rules_version=VERSION,
        title=job.title,
        mix=_plan_mix(mix, procedure, job),
        order=procedure.order,
        orders=mix.orders(job.mixer.kind) or [procedure.order],
        gauge=made.gauge,
        mixer=job.mixer,
        vessels=job.vessels,
        scales=job.scales,
        conditions=job.conditions,
        materials=materials,
        volume=made.volume,
        limit=made.limit,
        alternatives=made.others,
        loads=made.loads,
        slump_mm=math.fsum(job.design.slump_mm) / 2 if job.design and job.design.by == "strength" else None,
        shopping=bought,
        cost=cost,
        procedure=steps,
        tests=mix.tests,
        cautions=[
            *(item for item in mix.cautions if item.code != "machine" or job.mixer.kind not in BY_HAND),
            ESTIMATES,
        ],
        warnings=list({(item.code, item.field): item for item in workings.warnings}.values()),
        assumed=assumed,
        workings=[],
    )
    strength = strength_of_plan(plan, _designed_mpa(job), workings)
    warnings = [*plan.warnings, *joints_of(plan, job.pace)]
    return plan.model_copy(update={"strength": strength, "warnings": warnings, "workings": workings.kept})


def _designed_mpa(job: Job) -> float | None:
    """The mean strength a job is designed for; None where it is not."""
    return job.design.strength_mpa if job.design and job.design.by == "strength" else None


_CUBIC_METRE = LoadSize(number=1, volume_m3=1.0)


class _Sized(NamedTuple):
    """The volume to make, its loads, and other ways to size them."""

    volume: PlanVolume
    limit: PlanLimit
    others: list[Alternative]
    loads: list[Load]
    gauge: Gauge


def _by_parts(
    mix: Mix, water: MixWater, job: Job, parts: list[PlanMaterial], steps: list[Step], workings: Workings
) -> _Sized:
    """A mix by volume or by mass: equal loads, or whole bags of binder where asked for."""
    a_cubic_metre = amounts_by_parts(mix, water, job, parts, 1.0, Workings())
    # The first that comes in bags is the measure, by its own share of the mix, whatever other binders there are.
    bagged_part = next((part for part in parts if part.bag_kg), None)
    bags, bag_l = None, None
    if bagged_part and bagged_part.bag_kg:
        own_kg_m3 = a_cubic_metre.dry_kg[bagged_part.name]
        bags = WholeBags(bag_kg=bagged_part.bag_kg, binder_kg_m3=own_kg_m3)
        bag_l = bagged_part.bag_kg / own_kg_m3 * 1000
    fresh_kg_m3 = math.fsum(a_cubic_metre.masses_kg.values()) + a_cubic_metre.added_water_l

    def of_a_cubic_metre(size: LoadSize) -> Load:
        return load_of_amounts(mix, water, job, parts, a_cubic_metre, size, Workings())

    def on_hand_m3(need: OnHandNeed, path: str) -> float:
        return batch_on_hand_m3(mix, job, need, of_a_cubic_metre(_CUBIC_METRE), path)

    volume = volumes(job, bag_l, fresh_kg_m3, on_hand_m3, workings)
    if job.whole_bags and bags is None:
        no_bag()

    rim_l = _under_the_rim(job, of_a_cubic_metre)
    most_l, window_min = min(job.mixer.working_l, rim_l), mix.life_min
    if job.pace.placing_m3_h:
        one = of_a_cubic_metre(_CUBIC_METRE)
        binders = [part.name for part in parts if part.is_binder]
        window_min = life_on_site(mix.life_min, job.conditions, binders, one, workings)
    if mix.regime_traits.placed_in:
        most_l, window_min = batch_limits(mix, water, job, steps, binder_kg(parts, a_cubic_metre))
        # All of it is for pouring: what a load takes before that is over when it opens.
        window_min += job.pace.cycle_min or 0.0
    size = (job, volume.order_m3, most_l, window_min)
    used = bags if job.whole_bags else None
    split = sized_by_pour(job, volume, most_l, window_min, used, workings)
    sizes = split.loads
    if job.size_to in WATER_UNITS_L and not split.pours:
        sizes = sized_to_water(sizes, a_cubic_metre.added_water_l, most_l, job.size_to)
    loads = each_size(sizes, lambda one: load_by_parts(mix, water, job, parts, one, workings))
    loads = [load.model_copy(update={"pours": split.pours.get(load.number, "")}) for load in loads]
    counted = None
    if job.gauge in COUNTED or job.size_to == "vessels":
        cap_l = most_l if split.limit in ("mixer", "bag") else max(load.yield_l for load in loads)
        counts = job if job.gauge in COUNTED else job.model_copy(update={"gauge": "volume"})
        how = InVessels(mix, water, counts, parts, cap_l, bagged_part.name if bagged_part else "")
        counted = loads_in_vessels(
            loads,
            lambda one: load_by_parts(mix, water, job, parts, one, Workings()),
            how,
            bags if job.counts_by_bags else None,
            workings,
        )
        loads = counted or loads
    workings.warnings += without_means(mix, job, loads, counted is not None)
    workings.warnings += other_than_ordered(volume.order_m3, loads)
    other: tuple[Way, WholeBags | None] | None = None
    if bags:
        other = ("equal", None) if job.whole_bags else ("whole-bags", bags)
    others = [] if split.pours else alternatives(*size, used, split, other)
    # What cannot be counted out is weighed.
    gauge: Gauge = "weight" if job.gauge in COUNTED and counted is None else job.gauge
    for what in ways_to_measure(mix, job, loads):
        to_measures = job.model_copy(update=sized_so(what))
        made = _by_parts(mix, water, to_measures, parts, steps, Workings())
        if made.gauge == to_measures.gauge:
            others += offered(what, made.loads, loads)
    limit: PlanLimit = "rim" if split.limit == "mixer" and most_l == rim_l else split.limit
    return _Sized(volume, limit, others, loads, gauge)


def _under_the_rim(job: Job, load_of: Callable[[LoadSize], Load]) -> float:
    """Mixed volume whose loose charge just goes into the mixer, L, where it is known what that holds to the rim."""
    if job.mixer.drum_l is None:
        return math.inf
    one = load_of(_CUBIC_METRE)
    return job.mixer.drum_l * one.yield_l / one.loose_l


def _by_bag(mix: Mix, job: Job, parts: list[PlanMaterial], workings: Workings) -> _Sized:
    """A mix by the bag, in whole bags: the volume is what they make.

    If the batch is fixed (a colour pack belongs to its bags, a tint to its pail), every load is one batch, and the
    last one what is left of it.
    """
    bag = parts[0]
    label = label_of(job, bag.name)
    water_l = (label.water_min_l + label.water_max_l) / 2

    def on_hand_m3(need: OnHandNeed, path: str) -> float:
        one = load_by_bag(mix, label, job, parts, _CUBIC_METRE, Workings())
        return batch_on_hand_m3(mix, job, need, one, path)

    fresh_kg_m3 = (label.bag_kg + water_l) / label.yield_l * 1000
    wanted = volumes(job, label.yield_l, fresh_kg_m3, on_hand_m3, workings)
    # Nobody opens a bag for a hundredth of the whole.
    near_m3 = wanted.order_m3 * (1 if job.is_on_hand else 1 - NEAR_ENOUGH_FRACTION)
    made = workings.run(
        bagged,
        bag_kg=label.bag_kg,
        bag_yield_l=label.yield_l,
        water_start_l=label.water_start_l,
        water_min_l=label.water_min_l,
        water_max_l=label.water_max_l,
        target_m3=near_m3,
        # Of the bags that are there any part is weighed out, and no more is bought.
        part_fraction=None if job.is_on_hand else mix.least_bag,
    )
    rim_l = _under_the_rim(job, lambda one: load_by_bag(mix, label, job, parts, one, Workings()))
    made_l, most_l = made.yield_l, min(job.mixer.working_l, rim_l)
    if mix.bags_a_batch:
        batch_l = mix.bags_a_batch * label.yield_l
        if is_over(batch_l, most_l):
            raise InputError(
                "batch_too_large",
                f"The mixer is too small: {mix.name} needs at least {batch_l:.1f} L at a time.",
                ["mixer.working_l"],
            )
        most_l = batch_l
    if job.trial_l:
        raise InputError(
            "no_trial",
            f"trial_l: {mix.name} goes by whole bags. Mix one bag and note its water.",
            ["trial_l"],
        )
    bags = WholeBags(
        bag_kg=label.bag_kg,
        binder_kg_m3=label.bag_kg / label.yield_l * 1000,
        together=mix.bags_a_batch or 1,
    )
    life_min = mix.life_min
    if job.pace.placing_m3_h:
        one = LoadSize(number=1, volume_m3=label.yield_l / 1000)
        binders = [part.name for part in parts if part.is_binder]
        load = load_by_bag(mix, label, job, parts, one, Workings())
        life_min = life_on_site(life_min, job.conditions, binders, load, workings)
    size = (job, made_l / 1000, most_l, life_min)
    split = sized(*size, bags, workings)
    loads = each_size(split.loads, lambda one: load_by_bag(mix, label, job, parts, one, workings))
    others = [] if mix.bags_a_batch else alternatives(*size, bags, split)
    return _Sized(
        wanted.model_copy(update={"order_m3": made_l / 1000}),
        "pack" if mix.bags_a_batch else split.limit,
        others,
        loads,
        job.gauge,
    )


def _procedure(mix: Mix, job: Job, workings: Workings) -> Procedure:
    """The steps for the job's mixer; those of the nearest one, with a word, where the mix has none and refuses none."""
    kind = job.mixer.kind
    found = mix.procedure(kind, job.order)
    if found:
        return found
    if orders := mix.orders(kind):
        raise InputError(
            "order_unsuited",
            f"{mix.name} can't be loaded {ORDER_NAMES[job.order or 'dry-first'].lower()} when it is mixed "
            f"{MIXED_IN[kind]}. Choose: {ORDER_NAMES[orders[0]].lower()}.",
            ["order"],
            meant={"order": orders[0]},
        )
    nearest = mix.nearest(kind, job.order)
    if kind in mix.refuses or nearest is None:
        allowed = " or ".join(dict.fromkeys(MIXER_NAMES[item.mixer].lower() for item in mix.procedures))
        reason = f" {mix.refuses[kind]}" if kind in mix.refuses else ""
        raise InputError(
            "mixer_unsuited",
            f"{mix.name} can't be mixed {MIXED_IN[kind]}.{reason} Choose: {allowed}.",
            ["mixer.kind"],
            meant={"mixer.kind": mix.procedures[0].mixer},
        )
    workings.warnings.append(
        RuleWarning(
            code="nearest_procedure",
            message=f"{mix.name} has no steps for mixing {MIXED_IN[kind]}. These are the closest.",
            field="mixer.kind",
            suggestion="Read them through before you start.",
        )
    )
    return nearest


def _assumed(job: Job, mix: Mix) -> dict[str, Any]:
    assumed: dict[str, Any] = {}
    if "waste_fraction" not in job.model_fields_set:
        assumed["waste_fraction"] = job.waste_fraction
    if job.mixer.drum_l is None:
        assumed["mixer.drum_l"] = job.mixer.full_l
    for item in job.admixtures:
        if item.form == "liquid":
            taken = {"density_kg_l": LIQUID_KG_L, "solids_fraction": LIQUID_SOLIDS}
            assumed |= {
                f"admixtures.{item.name}.{name}": value
                for name, value in taken.items()
                if getattr(item, name) is None
            }
    if mix.regime_traits.placed_in and job.conditions.water_c is None:
        assumed["conditions.water_c"] = water_c_of(job.conditions)
    return assumed


# What a mix says of weighing it says of the scale's readings too, and of level vessels also of shovels.
_LIKE: dict[Gauge, Gauge] = {"scale": "weight", "shovels": "volume"}


def _usual_life_min(mix: Mix, job: Job) -> float | None:
    """The life without the admixture whose label changes it, min; None where none does."""
    if not any(label.life_min for label in job.admixtures):
        return None
    without = [label.model_copy(update={"life_min": None}) for label in job.admixtures]
    usual_min = mix_of(job.model_copy(update={"admixtures": without}), Workings()).life_min
    return usual_min if usual_min != mix.life_min else None


_LABEL_WATER = "Start with the min on the label and stay under the max."


def _target_ratio(mix: Mix, job: Job) -> float:
    """The ratio that water is aimed at: free water over binder by mass, or L of water to a kg of a bag."""
    if mix.water:
        return mix.water.ratio_default
    label = label_of(job, mix.parts[0].name)
    return label_target_l(mix, label, job) / label.bag_kg


def _plan_mix(mix: Mix, procedure: Procedure, job: Job) -> PlanMix:
    wanted = wetness_of(mix, job)
    as_usual = job.model_copy(update={"intended_use": None, "placing": Placing()})
    usual_ratio = _target_ratio(mix_of(as_usual, Workings()), as_usual) if wanted else None
    why = mix.water.why if mix.water else " ".join([*([wanted.why] if wanted else []), _LABEL_WATER])
    return PlanMix(
        id=mix.id,
        name=mix.name,
        ratio=mix.ratio,
        basis=mix.basis,
        ratio_name=mix.ratio_name,
        air_fraction=mix.air_fraction,
        target_ratio=_target_ratio(mix, job) if wanted else None,
        usual_ratio=usual_ratio,
        water_why=why,
        absorption_min=mix.absorption_min,
        regime=mix.regime,
        life_min=mix.life_min,
        usual_life_min=_usual_life_min(mix, job),
        water_fill=mix.water_fill,
        retempering=mix.retempering,
        retempering_why=mix.retempering_why,
        too_much_water=mix.too_much_water,
        too_little_water=mix.too_little_water,
        placing=mix.placing,
        over_mixing=mix.over_mixing,
        leftovers=mix.leftovers,
        keeps=mix.keeps,
        order_why=procedure.why,
        before=mix.before,
        troubles=mix.troubles,
        gauge_why=mix.gauges.get(_LIKE.get(job.gauge, job.gauge), ""),
    )


def _soaked(
    steps: list[PlanStep], water: MixWater, job: Job, loads: list[Load], workings: Workings
) -> list[PlanStep]:
    """The steps of a plaster plan: it soaks as long as the largest of its loads needs."""
    largest_kg = max(load.binder_kg for load in loads)
    site = job.materials.get(loads[0].charges[0].material, MaterialOnSite())
    age = age_factor_of(site.age_months)
    clock = clock_of(water.ratio_default, largest_kg, steps, water_c_of(job.conditions), workings, age)
    soak_min = clock.starts("mix") - clock.starts("soak")
    soaked, starts = [], 0.0
    for step in steps:
        minutes = (soak_min, soak_min) if step.kind == "rest" else step.minutes
        soaked.append(step.model_copy(update={"minutes": minutes, "starts_min": starts}))
        starts += minutes[0]
    return soaked


def _plan_steps(procedure: Procedure) -> list[PlanStep]:
    steps, starts = [], 0.0
    for index, step in enumerate(procedure.steps):
        steps.append(PlanStep(step=index + 1, starts_min=starts, **step.model_dump()))
        starts += step.minutes[0]
    return steps


def _shopping(
    job: Job, loads: list[Load], site: list[PlanMaterial], workings: Workings
) -> tuple[list[Purchase], float | None]:
    """The shopping, and its cost; None where nothing has a price."""
    needed = [{charge.material: charge.mass_kg for charge in load.charges} for load in loads]
    bags = {material.name: material.bag_kg for material in site if material.bag_kg}
    on_hand = {need.on_hand.material for need in job.need if isinstance(need, OnHandNeed) and job.is_on_hand}
    bought_at = {name: own for name, own in job.materials.items() if name not in on_hand}
    per_bag = {name: own.price_per_bag for name, own in bought_at.items() if own.price_per_bag is not None}
    per_t = {name: own.price_per_t for name, own in bought_at.items() if own.price_per_t is not None}
    found = workings.run(
        shopping,
        loads=needed,
        bag_kg=bags,
        price_per_bag=per_bag,
        price_per_t=per_t,
        near_enough_fraction=NEAR_ENOUGH_FRACTION,
    )
    buy = found.buy
    bought = [
        Purchase(
            material=material.name,
            mass_kg=math.fsum(load[material.name] for load in needed),
            bags=buy[material.name].bags,
            unit=material.unit,
            short_kg=found.short_kg.get(material.name, 0.0),
            is_on_hand=material.name in on_hand,
        )
        for material in site
    ]
    for index, admixture in enumerate(loads[0].admixtures):
        each = [load.admixtures[index] for load in loads]
        masses = [item.mass_kg for item in each if item.mass_kg is not None]
        volumes = [item.volume_ml for item in each if item.volume_ml is not None]
        packs = whole_up(math.fsum(item.packs or 0.0 for item in each))
        bought.append(
            Purchase(
                material=admixture.name,
                mass_kg=math.fsum(masses) if masses else None,
                bags=packs or None,
                unit="pack",
                volume_ml=math.fsum(volumes) if volumes else None,
            )
        )
    return bought, found.cost
