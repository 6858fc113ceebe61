"""The contents of each load: charges, water and admixtures, by volume, by mass or by the bag."""

from collections.abc import Callable, Sequence
from math import fsum
from typing import NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes import materials
from keeve.core.mixes.model import Admixture, Mix, MixPart, MixWater
from keeve.core.planning.job import AdmixtureLabel, Job, MaterialOnSite, Vessel
from keeve.core.planning.placing import moved, wetness_of
from keeve.core.planning.plan import AdmixtureAmount, Load, LoadWater, PlannedCharge, VesselCount
from keeve.core.planning.set_clock import water_c_of
from keeve.core.rules.admixtures import COUNTED_IN, AdmixtureDose, admixture_dose
from keeve.core.rules.aggregate_moisture import aggregate_moisture
from keeve.core.rules.gypsum import plaster_charge
from keeve.core.rules.load_sizes import LoadSize
from keeve.core.rules.proportioning import MassPart, Part, mass_parts, volume_parts
from keeve.core.rules.registry import rule_of
from keeve.core.rules.water import water_account
from keeve.core.rules.workings import Workings


class BagLabel(NamedTuple):
    """The label of a mix by the bag: kg of a bag, and for one bag L of mixed volume and of water."""

    bag_kg: float
    yield_l: float
    water_start_l: float
    water_min_l: float
    water_max_l: float


def label_of(job: Job, bag: str) -> BagLabel:
    """The label of the job's bag.

    Raises:
        InputError: a figure of the label is missing, named; or the start water is 0.
    """
    given = job.materials.get(bag)
    figures = given.model_dump(include=set(BagLabel._fields), exclude_none=True) if given else {}
    missing = [f"materials.{bag}.{name}" for name in BagLabel._fields if name not in figures]
    if missing:
        raise InputError(
            "label_missing",
            f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing. See the label on your bag.",
            missing,
        )
    if figures["water_start_l"] == 0:
        raise InputError(
            "label_water",
            f"materials.{bag}.water_start_l must be more than 0. "
            "Working time starts at first water, so enter the little you start with.",
            [f"materials.{bag}.water_start_l"],
        )
    return BagLabel(**figures)


class LoadAmounts(NamedTuple):
    """The amounts of a fresh volume: kg as charged, kg oven-dry, L loose, L of water to add."""

    masses_kg: dict[str, float]
    dry_kg: dict[str, float]
    volumes_l: dict[str, float]
    added_water_l: float


def amounts_by_parts(
    mix: Mix, water: MixWater, job: Job, parts: Sequence[Part], target_m3: float, workings: Workings
) -> LoadAmounts:
    """The amounts that make a fresh volume, by volume, by mass or as plaster."""
    if mix.basis_traits.charge_rule == rule_of(plaster_charge).id:
        return _of_plaster(water, job, parts[0], target_m3, workings)
    wanted = {
        "water_binder_ratio": water.ratio_default,
        "air_fraction": mix.air_fraction,
        "target_m3": target_m3 * _without_powders(mix, water, job, parts),
    }
    if mix.basis_traits.by_loose_volume:
        by_volume = workings.run(volume_parts, components=list(parts), **wanted)
        return LoadAmounts(
            by_volume.masses_kg, by_volume.dry_kg, by_volume.volumes_l, by_volume.added_water_l
        )
    fields = set(MassPart.model_fields)
    by_mass = workings.run(
        mass_parts, components=[MassPart(**part.model_dump(include=fields)) for part in parts], **wanted
    )
    loose_l = {
        part.name: by_mass.dry_kg[part.name] / part.dry_density_as_measured_kg_m3 * 1000 for part in parts
    }
    return LoadAmounts(by_mass.masses_kg, by_mass.dry_kg, loose_l, by_mass.added_water_l)


# Particle density of a polymer or plasticiser powder, kg/m3. Common practice, no source.
_POWDER_KG_M3 = 1300.0


def _without_powders(mix: Mix, water: MixWater, job: Job, parts: Sequence[Part]) -> float:
    """The share of the volume left to the parts of the mix, where powders dosed on the binder take the rest."""
    doses = [_label_of(item, job) for item in mix.admixtures]
    powder_kg_kg = fsum(
        label.dose / 100
        for label in doses
        if label and label.form == "powder" and label.basis == "percent_binder"
    )
    if not powder_kg_kg:
        return 1.0
    alone = amounts_by_parts(
        mix.model_copy(update={"admixtures": []}),
        water,
        job.model_copy(update={"admixtures": []}),
        parts,
        1.0,
        Workings(),
    )
    return 1 / (1 + binder_kg(parts, alone) * powder_kg_kg / _POWDER_KG_M3)


def _of_plaster(
    water: MixWater, job: Job, plaster: Part, target_m3: float, workings: Workings
) -> LoadAmounts:
    """Plaster and its water. Water of plaster is weighed: it counts by the kilogram, as everywhere in a load."""
    charge = workings.run(
        plaster_charge,
        volume_m3=target_m3,
        water_per_100=water.ratio_default * 100,
        powder_density_kg_m3=plaster.particle_density_kg_m3,
        water_c=water_c_of(job.conditions),
    )
    mass_kg = {plaster.name: charge.plaster_kg}
    loose_l = {plaster.name: charge.plaster_kg / plaster.bulk_density_kg_m3 * 1000}
    return LoadAmounts(mass_kg, mass_kg, loose_l, charge.water_kg)


def binder_kg(parts: Sequence[Part], amounts: LoadAmounts) -> float:
    """The binder in these amounts, kg."""
    return fsum(amounts.dry_kg[part.name] for part in parts if part.is_binder)


def each_size(sizes: list[LoadSize], load_of: Callable[[LoadSize], Load]) -> list[Load]:
    """Every load; loads of one size are computed once, and are once in the workings."""
    by_size: dict[float, Load] = {}
    for size in sizes:
        if size.volume_m3 not in by_size:
            by_size[size.volume_m3] = load_of(size)
    return [by_size[size.volume_m3].model_copy(update={"number": size.number}) for size in sizes]


def load_by_parts(
    mix: Mix, water: MixWater, job: Job, parts: Sequence[Part], size: LoadSize, workings: Workings
) -> Load:
    """One load of a mix by volume or by mass."""
    amounts = amounts_by_parts(mix, water, job, parts, size.volume_m3, workings)
    return load_of_amounts(mix, water, job, parts, amounts, size, workings)


def load_of_amounts(
    mix: Mix,
    water: MixWater,
    job: Job,
    parts: Sequence[Part],
    amounts: LoadAmounts,
    size: LoadSize,
    workings: Workings,
) -> Load:
    """One load of a mix by volume or by mass, of these amounts: their water and admixtures."""
    binder = binder_kg(parts, amounts)
    aggregate_water_l = fsum(_stockpile_water_kg(part, amounts, workings) for part in parts)
    # A dose by the litre is stirred into the tub: it counts on the water of the tub, not of the stockpile.
    admixtures, admixture_l = _admixtures(mix, job, amounts, binder, size.volume_m3, workings)

    def to_add(ratio: float) -> float:
        return max(ratio * binder - aggregate_water_l - admixture_l, 0.0)

    target_l = to_add(water.ratio_default)
    workings.run(
        water_account,
        binder_kg=binder,
        added_l=target_l,
        free_aggregate_water_kg=aggregate_water_l,
        admixture_water_kg=admixture_l,
    )
    start_l = target_l * water.start_share
    return Load(
        number=size.number,
        yield_l=size.volume_m3 * 1000,
        # Under water a powder takes no more room than its grains.
        loose_l=size.volume_m3 * 1000
        if mix.regime_traits.in_order
        else fsum(amounts.volumes_l.values()) + start_l,
        binder_kg=binder,
        charges=[_charge(part, amounts, job) for part in mix.parts],
        water=LoadWater(
            start_l=start_l,
            min_l=to_add(water.ratio_low),
            target_l=target_l,
            ceiling_l=to_add(water.ratio_high),
            in_aggregate_l=aggregate_water_l,
            in_admixture_l=admixture_l,
        ),
        admixtures=admixtures,
    )


def _stockpile_water_kg(part: Part, amounts: LoadAmounts, workings: Workings) -> float:
    """The free water in a component, kg; its working is kept where it is damp."""
    moisture = {
        "dry_mass_kg": amounts.dry_kg[part.name],
        "total_moisture_fraction": part.moisture_fraction,
        "absorption_fraction": part.absorption_fraction,
    }
    run = workings.run if part.moisture_fraction else Workings().run
    return run(aggregate_moisture, **moisture).free_water_kg


def vessels_for(material: str, vessels: list[Vessel]) -> list[Vessel]:
    """The vessels of a material: those kept for it, then those for everything."""
    own = [vessel for vessel in vessels if vessel.material == material]
    return own + [vessel for vessel in vessels if vessel.material is None]


def first_volume(material: str, vessels: list[Vessel]) -> tuple[str, float] | None:
    """The first vessel of a material that holds a known volume: its name, and that, L."""
    return next(((one.name, one.volume_l) for one in vessels_for(material, vessels) if one.volume_l), None)


def _charge(part: MixPart, amounts: LoadAmounts, job: Job) -> PlannedCharge:
    name = part.name
    bag_kg = bag_kg_of(part, job)
    counts = []
    for vessel in vessels_for(name, job.vessels):
        if vessel.kind != "bag" and vessel.volume_l:
            counts.append(VesselCount(name=vessel.name, count=amounts.volumes_l[name] / vessel.volume_l))
        elif vessel.kind == "bag" and bag_kg:
            # A bag holds it dry.
            counts.append(VesselCount(name=vessel.name, count=amounts.dry_kg[name] / bag_kg))
    return PlannedCharge(
        material=name,
        mass_kg=amounts.masses_kg[name],
        dry_kg=amounts.dry_kg[name],
        volume_l=amounts.volumes_l[name],
        vessels=counts,
    )


def bag_kg_of(part: MixPart, job: Job) -> float | None:
    """A bag of a part, kg: the job's, else the usual one; None of what comes loose."""
    return job.materials.get(part.name, MaterialOnSite()).bag_kg or materials()[part.material].bag_kg


def label_target_l(mix: Mix, label: BagLabel, job: Job) -> float:
    """Water to aim at for one bag, L: the middle of the label's range, moved as the job is placed.

    It is not less than the start its owner wrote.
    """
    low_l = max(label.water_min_l, label.water_start_l)
    usual_l = max((label.water_min_l + label.water_max_l) / 2, low_l)
    wanted = wetness_of(mix, job)
    return moved(usual_l, low_l, max(label.water_max_l, usual_l), wanted.shift) if wanted else usual_l


def load_by_bag(
    mix: Mix, label: BagLabel, job: Job, parts: Sequence[Part], size: LoadSize, workings: Workings
) -> Load:
    """One load of a mix by the bag: its water is the label's; other parts are weighed to the bag."""
    bags = size.bags or size.volume_m3 * 1000 / label.yield_l
    each = {part.name: bags * label.bag_kg * part.parts / parts[0].parts for part in parts}
    loose_l = {part.name: each[part.name] / part.bulk_density_kg_m3 * 1000 for part in parts}
    start_l = bags * label.water_start_l
    target_l = bags * label_target_l(mix, label, job)
    binder = fsum(each.values())
    amounts = LoadAmounts(each, each, loose_l, target_l)
    packs = bags / (mix.bags_a_batch or 1)
    admixtures, admixture_l = _admixtures(mix, job, amounts, binder, size.volume_m3, workings, packs)
    return Load(
        number=size.number,
        yield_l=size.volume_m3 * 1000,
        loose_l=fsum(loose_l.values()) + start_l,
        binder_kg=binder,
        charges=[
            PlannedCharge(
                material=part.name,
                mass_kg=each[part.name],
                dry_kg=each[part.name],
                volume_l=loose_l[part.name],
                vessels=[VesselCount(name=part.unit, count=bags)] if part.unit else [],
            )
            for part in mix.parts
        ],
        water=LoadWater(
            start_l=max(start_l - admixture_l, 0.0),
            min_l=max(bags * label.water_min_l - admixture_l, 0.0),
            target_l=max(target_l - admixture_l, 0.0),
            ceiling_l=max(bags * label.water_max_l - admixture_l, 0.0),
            in_aggregate_l=0.0,
            in_admixture_l=admixture_l,
        ),
        admixtures=admixtures,
    )


def _admixtures(
    mix: Mix,
    job: Job,
    amounts: LoadAmounts,
    binder: float,
    volume_m3: float,
    workings: Workings,
    packs: float = 1.0,
) -> tuple[list[AdmixtureAmount], float]:
    """The amount of each admixture, by the user's label or its usual dose, and the water in all of them, L.

    Of a pack that belongs to a batch, as much of it as there is of the batch.
    """
    paths = {label.name: f"admixtures.{index}." for index, label in enumerate(job.admixtures)}
    known = {item.name for item in mix.admixtures}
    for name, path in paths.items():
        if name not in known:
            raise InputError("unknown_admixture", f"{mix.name} has no admixture {name!r}.", [f"{path}name"])
    doses, brought_l = [], 0.0
    for wanted in mix.admixtures:
        path, label = paths.get(wanted.name, ""), _label_of(wanted, job)
        if wanted.packs:
            doses.append(AdmixtureAmount(name=wanted.name, mass_kg=None, volume_ml=None, packs=packs))
            continue
        if label is None and wanted.optional:
            continue
        if label is None:
            doses.append(AdmixtureAmount(name=wanted.name, mass_kg=None, volume_ml=None))
            continue
        dose = _dose(mix, job, label, path, amounts, binder, volume_m3, workings)
        doses.append(
            AdmixtureAmount(
                name=wanted.name,
                mass_kg=dose.mass_kg,
                volume_ml=dose.volume_ml,
                count=label.dose * (_bags(mix, job, amounts) or 0.0) if label.basis in COUNTED_IN else None,
                counted_in=COUNTED_IN.get(label.basis, ""),
                water_l=dose.water_in_kg,
                looks=wanted.looks,
            )
        )
        brought_l += dose.water_in_kg
    return doses, brought_l


def _label_of(wanted: Admixture, job: Job) -> AdmixtureLabel | None:
    """The dose of an admixture: the user's label, else the mix's own; None where neither says."""
    own = next((label for label in reversed(job.admixtures) if label.name == wanted.name), None)
    if own is None and wanted.usual_dose is not None and wanted.usual_basis is not None:
        return AdmixtureLabel(
            name=wanted.name, dose=wanted.usual_dose, basis=wanted.usual_basis, form=wanted.form
        )
    return own


def _dose(
    mix: Mix,
    job: Job,
    label: AdmixtureLabel,
    path: str,
    amounts: LoadAmounts,
    binder: float,
    volume_m3: float,
    workings: Workings,
) -> AdmixtureDose:
    try:
        return workings.run(
            admixture_dose,
            binder_kg=binder,
            dose=label.dose,
            basis=label.basis,
            form=label.form,
            cement_kg=_cement_kg(mix, amounts),
            volume_m3=volume_m3,
            water_l=amounts.added_water_l,
            bags=_bags(mix, job, amounts),
            buckets=_buckets(job, amounts),
            density_kg_l=label.density_kg_l,
            solids_fraction=label.solids_fraction,
            each=label.each,
        )
    except InputError as fault:
        fault.fields = [f"{path}{field}" for field in fault.fields]
        raise


def _bags(mix: Mix, job: Job, amounts: LoadAmounts) -> float | None:
    """The bags in a load, of the first part that comes in them; None where none does."""
    for part in mix.parts:
        if bag_kg := bag_kg_of(part, job):
            return amounts.dry_kg[part.name] / bag_kg
    return None


def _buckets(job: Job, amounts: LoadAmounts) -> float | None:
    """The buckets of water of a load, in the first vessel that water is measured in; None without one."""
    level = (item.volume_l for item in vessels_for("water", job.vessels) if item.kind == "level")
    bucket_l = next((volume_l for volume_l in level if volume_l), None)
    return amounts.added_water_l / bucket_l if bucket_l else None


def _cement_kg(mix: Mix, amounts: LoadAmounts) -> float | None:
    """The cement in a load, kg; None where the mix has none."""
    cements = [part.name for part in mix.parts if materials()[part.material].sort == "cement"]
    return fsum(amounts.dry_kg[name] for name in cements) if cements else None
