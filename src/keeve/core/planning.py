"""From a job to its plan."""

import math
from typing import Any

from keeve.core.admixtures import admixture_dose
from keeve.core.errors import InputError
from keeve.core.geometry import order_volume, slab_volume
from keeve.core.job import SHAPES, AreaNeed, BagsNeed, Job, MaterialOnSite, ShapeNeed, VolumeNeed
from keeve.core.loads import LoadSize, WholeBags, split_loads
from keeve.core.mixes import get_mix, materials
from keeve.core.mixes.model import MIXER_NAMES, Caution, Mix, MixPart, Procedure
from keeve.core.parts import Part, PartsBatch, volume_parts
from keeve.core.plan import (
    AdmixtureAmount,
    Charge,
    Load,
    LoadWater,
    Plan,
    PlanMaterial,
    PlanMix,
    PlanStep,
    PlanVolume,
    Purchase,
    VesselCount,
)
from keeve.core.rules import VERSION, RuleWarning
from keeve.core.water import sand_bulking, water_account
from keeve.core.workings import Workings

ESTIMATES = Caution(code="estimates", text="Estimates: local codes and licensed practice decide.")


def make_plan(job: Job) -> Plan:
    """The plan of a job.

    Args:
        job: the job, validated.

    Returns:
        Volumes, loads with their charges and water, shopping, procedure, cautions, warnings and workings.

    Raises:
        InputError: a field that cannot be used, named.
    """
    mix = get_mix(job.mix) if isinstance(job.mix, str) else job.mix
    procedure = _procedure(mix, job)
    workings = Workings()
    assumed = _assumed(job)
    parts, plan_materials = _parts(mix, job, workings, assumed)
    binder_kg_m3 = _binder_kg(parts, _batch(mix, parts, 1.0))
    net_m3, order_m3 = _volumes(job, binder_kg_m3, plan_materials, workings)
    split = workings.run(
        split_loads,
        order_m3=order_m3,
        mixer_working_l=job.mixer.working_l,
        whole_bags=_whole_bags(job, binder_kg_m3, plan_materials),
    )
    loads = _loads(mix, job, parts, split.loads, workings)
    workings.warnings += _suspicions(mix, job, loads)
    return Plan(
        rules_version=VERSION,
        title=job.title,
        mix=_plan_mix(mix, procedure, job),
        order=procedure.order,
        orders=mix.orders(job.mixer.kind),
        gauge=job.gauge,
        mixer=job.mixer,
        vessels=job.vessels,
        materials=plan_materials,
        volume=PlanVolume(net_m3=net_m3, order_m3=order_m3),
        limit=split.limit,
        loads=loads,
        shopping=_shopping(loads, plan_materials),
        procedure=_plan_steps(procedure),
        tests=mix.tests,
        cautions=[*mix.cautions, ESTIMATES],
        warnings=list({warning.code: warning for warning in workings.warnings}.values()),
        assumed=assumed,
        workings=workings.kept,
    )


def _procedure(mix: Mix, job: Job) -> Procedure:
    kind = job.mixer.kind
    found = mix.procedure(kind, job.order)
    if found:
        return found
    orders = mix.orders(kind)
    if not orders:
        allowed = ", ".join(dict.fromkeys(item.mixer for item in mix.procedures))
        raise InputError(
            "mixer_unsuited",
            f"{mix.name} is not mixed in a {MIXER_NAMES[kind].lower()}: set mixer.kind to one of {allowed}.",
            ["mixer.kind"],
        )
    raise InputError(
        "order_unsuited",
        f"{mix.name} has no {job.order} order for a {MIXER_NAMES[kind].lower()}: set order to {orders[0]}.",
        ["order"],
    )


def _assumed(job: Job) -> dict[str, Any]:
    assumed: dict[str, Any] = {}
    if "waste_fraction" not in job.model_fields_set:
        assumed["waste_fraction"] = job.waste_fraction
    if job.mixer.drum_l is None:
        assumed["mixer.drum_l"] = job.mixer.full_l
    return assumed


def _parts(
    mix: Mix, job: Job, workings: Workings, assumed: dict[str, Any]
) -> tuple[list[Part], list[PlanMaterial]]:
    """The mix's components with the figures of the site, or the defaults of their material."""
    names = [part.name for part in mix.parts]
    for name in job.materials:
        if name not in names:
            raise InputError(
                "unknown_material",
                f"materials.{name} is no material of {mix.name}: use {', '.join(names)}.",
                [f"materials.{name}"],
            )
    found = [
        _part(part, job.materials.get(part.name, MaterialOnSite()), workings, assumed) for part in mix.parts
    ]
    return [part for part, _ in found], [material for _, material in found]


def _part(
    part: MixPart, site: MaterialOnSite, workings: Workings, assumed: dict[str, Any]
) -> tuple[Part, PlanMaterial]:
    if part.material not in materials():
        raise InputError(
            "unknown_material",
            f"mix.parts names {part.material!r}, which has no default figures.",
            ["mix.parts"],
        )
    default = materials()[part.material]
    known = site.model_dump(exclude_none=True)
    figures: dict[str, Any] = {}
    for name in ("bulk_density_kg_m3", "particle_density_kg_m3", "moisture_fraction", "absorption_fraction"):
        figures[name] = known.get(name, getattr(default, name))
    figures["bulking_fraction"] = known.get("bulking_fraction", default.bulking_fraction)
    if "moisture_fraction" in known and "bulking_fraction" not in known and default.bulking_fraction:
        # Weighed moisture without a jar test: the heap bulks as the default curve says, not as the default heap.
        figures["bulking_fraction"] = workings.run(
            sand_bulking, moisture_fraction=known["moisture_fraction"], grade="medium"
        ).bulking_fraction
    for name, value in figures.items():
        if name not in known and value:
            assumed[f"materials.{part.name}.{name}"] = value
    bag_kg = known.get("bag_kg", default.bag_kg)
    return (
        Part(name=part.name, parts=part.parts, is_binder=default.is_binder, **figures),
        PlanMaterial(
            name=part.name,
            title=default.name,
            hatch=default.hatch,
            is_binder=default.is_binder,
            parts=part.parts,
            moisture_fraction=figures["moisture_fraction"],
            bulking_fraction=figures["bulking_fraction"],
            bulk_density_kg_m3=figures["bulk_density_kg_m3"],
            bag_kg=bag_kg,
        ),
    )


def _inputs(mix: Mix, parts: list[Part], target_m3: float) -> dict[str, Any]:
    return {
        "components": [part.model_dump() for part in parts],
        "water_binder_ratio": mix.water.ratio_default,
        "air_fraction": mix.air_fraction,
        "target_m3": target_m3,
    }


def _batch(mix: Mix, parts: list[Part], target_m3: float) -> PartsBatch:
    return volume_parts(**_inputs(mix, parts, target_m3))


def _binder_kg(parts: list[Part], batch: PartsBatch) -> float:
    return sum(batch.dry_kg[part.name] for part in parts if part.is_binder)


def _volumes(
    job: Job, binder_kg_m3: float, site: list[PlanMaterial], workings: Workings
) -> tuple[float, float]:
    """Net and ordered volume. Bags make what they make: their volume is the order, waste inside."""
    by_bags = 0.0
    net = 0.0
    for index, need in enumerate(job.need):
        if isinstance(need, BagsNeed):
            by_bags += need.bags * _bag_kg(site) / binder_kg_m3
        elif isinstance(need, VolumeNeed):
            net += need.volume_m3
        elif isinstance(need, AreaNeed):
            net += workings.run(
                slab_volume, length_m=need.area_m2, width_m=1.0, thickness_m=need.depth_mm / 1000
            ).volume_m3
        else:
            net += _shape_volume(need, f"need.{index}", workings)
    order = workings.run(order_volume, net_m3=net, waste_fraction=job.waste_fraction).order_m3 if net else 0.0
    return net + by_bags / (1 + job.waste_fraction), order + by_bags


def _shape_volume(need: ShapeNeed, path: str, workings: Workings) -> float:
    try:
        one: float = workings.run(SHAPES[need.shape], **need.sizes()).volume_m3
    except InputError as fault:
        fault.fields = [f"{path}.{field}" for field in fault.fields]
        raise
    return one * need.count


def _bag_kg(site: list[PlanMaterial]) -> float:
    bag_kg = next((material.bag_kg for material in site if material.bag_kg), None)
    if bag_kg is None:
        raise InputError(
            "no_bag", "No material of this mix comes in bags: give its bag_kg under materials.", ["materials"]
        )
    return bag_kg


def _whole_bags(job: Job, binder_kg_m3: float, site: list[PlanMaterial]) -> WholeBags | None:
    return WholeBags(bag_kg=_bag_kg(site), binder_kg_m3=binder_kg_m3) if job.whole_bags else None


def _loads(mix: Mix, job: Job, parts: list[Part], sizes: list[LoadSize], workings: Workings) -> list[Load]:
    """Every load; loads of one size are computed, and kept in the workings, once."""
    by_size: dict[float, Load] = {}
    for size in sizes:
        if size.volume_m3 not in by_size:
            by_size[size.volume_m3] = _load(mix, job, parts, size, workings)
    return [by_size[size.volume_m3].model_copy(update={"number": size.number}) for size in sizes]


def _load(mix: Mix, job: Job, parts: list[Part], size: LoadSize, workings: Workings) -> Load:
    batch = workings.run(volume_parts, **_inputs(mix, parts, size.volume_m3))
    binder_kg = _binder_kg(parts, batch)
    heap_l = sum(batch.dry_kg[part.name] * part.free_water_fraction for part in parts)
    # A dose by the litre is stirred into the tub, so it counts on what comes out of the tub, not on the heap's water.
    admixtures, admixture_l = _admixtures(mix, job, parts, batch, size.volume_m3, workings)

    def to_add(ratio: float) -> float:
        return max(ratio * binder_kg - heap_l - admixture_l, 0.0)

    target_l = to_add(mix.water.ratio_default)
    workings.run(
        water_account,
        binder_kg=binder_kg,
        added_l=target_l,
        free_aggregate_water_kg=heap_l,
        admixture_water_kg=admixture_l,
    )
    return Load(
        number=size.number,
        yield_l=size.volume_m3 * 1000,
        loose_l=sum(batch.volumes_l.values()) + target_l * mix.water.start_share,
        binder_kg=binder_kg,
        charges=[_charge(part.name, batch, job) for part in parts],
        water=LoadWater(
            start_l=target_l * mix.water.start_share,
            min_l=to_add(mix.water.ratio_low),
            target_l=target_l,
            ceiling_l=to_add(mix.water.ratio_high),
            in_heap_l=heap_l,
            in_admixture_l=admixture_l,
        ),
        admixtures=admixtures,
    )


def _charge(name: str, batch: PartsBatch, job: Job) -> Charge:
    return Charge(
        material=name,
        mass_kg=batch.masses_kg[name],
        dry_kg=batch.dry_kg[name],
        volume_l=batch.volumes_l[name],
        vessels=[
            VesselCount(name=vessel.name, count=batch.volumes_l[name] / vessel.volume_l)
            for vessel in job.vessels
        ],
    )


def _admixtures(
    mix: Mix,
    job: Job,
    parts: list[Part],
    batch: PartsBatch,
    volume_m3: float,
    workings: Workings,
) -> tuple[list[AdmixtureAmount], float]:
    """Each admixture of the mix by the user's label (without one: no amount), and the water they bring in L."""
    labels = {label.name: (index, label) for index, label in enumerate(job.admixtures)}
    if unknown := set(labels) - {item.name for item in mix.admixtures}:
        name = unknown.pop()
        raise InputError(
            "unknown_admixture",
            f"{mix.name} has no admixture {name!r}.",
            [f"admixtures.{labels[name][0]}.name"],
        )
    amounts, brought_l = [], 0.0
    for wanted in mix.admixtures:
        if wanted.name not in labels:
            amounts.append(AdmixtureAmount(name=wanted.name, mass_kg=None, volume_ml=None))
            continue
        index, label = labels[wanted.name]
        try:
            dose = workings.run(
                admixture_dose,
                binder_kg=_binder_kg(parts, batch),
                dose=label.dose,
                basis=label.basis,
                form=label.form,
                cement_kg=batch.dry_kg.get("cement"),
                volume_m3=volume_m3,
                water_l=batch.added_water_l,
                density_kg_l=label.density_kg_l,
                solids_fraction=label.solids_fraction,
            )
        except InputError as fault:
            fault.fields = [f"admixtures.{index}.{field}" for field in fault.fields]
            raise
        amounts.append(AdmixtureAmount(name=wanted.name, mass_kg=dose.mass_kg, volume_ml=dose.volume_ml))
        brought_l += dose.water_in_kg
    return amounts, brought_l


def _suspicions(mix: Mix, job: Job, loads: list[Load]) -> list[RuleWarning]:
    found = []
    largest = max(loads, key=lambda load: load.loose_l)
    if largest.loose_l > job.mixer.full_l:
        found.append(
            RuleWarning(
                code="loose_charge_high",
                message=(
                    f"The loose charge of {largest.loose_l:.0f} L is more than the {job.mixer.full_l:.0f} L "
                    "the mixer holds to the rim: it will not all go in before some of it has sunk."
                ),
                field="mixer.working_l",
                suggestion="Lower mixer.working_l, or charge slowly with the mixer turning.",
            )
        )
    for amount in loads[0].admixtures:
        if amount.mass_kg is None:
            found.append(
                RuleWarning(
                    code="no_label_dose",
                    message=f"No dose is given for the {amount.name}, so no amount is shown.",
                    field="admixtures",
                    suggestion=f"Read the dose from the label of your {amount.name} and type it in.",
                )
            )
    return found


def _plan_mix(mix: Mix, procedure: Procedure, job: Job) -> PlanMix:
    return PlanMix(
        id=mix.id,
        name=mix.name,
        ratio=mix.ratio,
        air_fraction=mix.air_fraction,
        water_why=mix.water.why,
        wet_out_min=mix.wet_out_min,
        life_min=mix.life_min,
        retempering=mix.retempering,
        retempering_why=mix.retempering_why,
        too_much_water=mix.too_much_water,
        too_little_water=mix.too_little_water,
        placing=mix.placing,
        order_why=procedure.why,
        gauge_why=mix.gauges.get(job.gauge, ""),
    )


def _plan_steps(procedure: Procedure) -> list[PlanStep]:
    steps, starts = [], 0.0
    for index, step in enumerate(procedure.steps):
        steps.append(PlanStep(step=index + 1, starts_min=starts, **step.model_dump()))
        starts += step.minutes[0]
    return steps


def _shopping(loads: list[Load], site: list[PlanMaterial]) -> list[Purchase]:
    bought = []
    for material in site:
        mass = sum(load.charge(material.name).mass_kg for load in loads)
        # A hair under a whole bag more is no bag more.
        bags = math.ceil(mass / material.bag_kg - 1e-9) if material.bag_kg else None
        bought.append(Purchase(material=material.name, mass_kg=mass, bags=bags))
    for index, admixture in enumerate(loads[0].admixtures):
        each = [load.admixtures[index] for load in loads]
        masses = [item.mass_kg for item in each if item.mass_kg is not None]
        volumes = [item.volume_ml for item in each if item.volume_ml is not None]
        bought.append(
            Purchase(
                material=admixture.name,
                mass_kg=sum(masses) if masses else None,
                bags=None,
                volume_ml=sum(volumes) if volumes else None,
            )
        )
    return bought
