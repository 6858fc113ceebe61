"""The mix as made on this site: the user's own ratio, the materials with their figures or defaults."""

from collections.abc import Callable, Mapping
from math import fsum
from typing import Any

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, materials
from keeve.core.mixes.model import Mix, MixPart, Support
from keeve.core.mixes.procedures import Step
from keeve.core.planning.designed_mix import designed
from keeve.core.planning.job import Job, MaterialOnSite, OwnWater
from keeve.core.planning.placing import moved, wetness_of
from keeve.core.planning.plan import PlanMaterial
from keeve.core.rules.aggregate_moisture import sand_bulking
from keeve.core.rules.gypsum import KG_PER_POUND, LITRES_PER_US_QUART, plaster_ratio, water_density_kg_m3
from keeve.core.rules.workings import Workings

Minutes = tuple[float, float]
# What a vessel is for besides the materials of the mix.
WATER = "water"


def mix_of(job: Job, workings: Workings) -> Mix:
    """The job's mix as made on this site: its proportion, label or design."""
    mix = chosen_mix(job)
    if mix.basis_traits.asks_for == "label":
        mix = _by_label(mix, job.materials.get(mix.parts[0].name, MaterialOnSite()))
    mix = _without_packs(mix, job)
    if job.own_water != OwnWater() and not mix.has_usual_water:
        raise InputError(
            "no_own_water",
            f"own_water is for a mix you judge. Leave it out for {mix.name}.",
            ["own_water.ratio"],
        )
    if lives := [label.life_min for label in job.admixtures if label.life_min]:
        mix = _lasting(mix, min(lives))
    if mix.basis_traits.asks_for == "design":
        wetness_of(mix, job)  # a design is placed as it is designed: anything else is refused
        return designed(mix, job, workings)
    if job.design is not None:
        raise InputError(
            "no_design", f"design is for a concrete by strength. Leave it out for {mix.name}.", ["design"]
        )
    if job.proportion is not None:
        mix = _in_proportion(mix, job.proportion)
    if job.parts:
        mix = _with_own_parts(mix, job.parts)
    mix = _as_used(_in_own_water(_as_supported(mix, job.support), job.own_water), job)
    return _in_own_ratio(_spanned(_of_something(mix)), job, workings)


def _of_something(mix: Mix) -> Mix:
    """The mix without parts of nothing: 0 parts of lime is a mix without lime."""
    if not any(part.parts for part in mix.parts):
        raise InputError(
            "no_parts", f"Every part of {mix.name} is 0. Enter parts for at least one.", ["mix.parts"]
        )
    return mix.as_usual


def chosen_mix(job: Job) -> Mix:
    """The job's mix as it is known, before anything of the site."""
    return get_mix(job.mix) if isinstance(job.mix, str) else job.mix


# A mass of plaster and of water at 20 °C for each way a ratio is told: any will do, the ratio counts.
_TOLD: Mapping[str, Callable[[float], tuple[float, float]]] = {
    "water_per_100": lambda amount: (100.0, amount),
    "kg_per_l": lambda amount: (amount, water_density_kg_m3(20.0) / 1000),
    "lb_per_us_qt": lambda amount: (
        amount * KG_PER_POUND, water_density_kg_m3(20.0) / 1000 * LITRES_PER_US_QUART
    ),
}  # fmt: skip


def _in_own_ratio(mix: Mix, job: Job, workings: Workings) -> Mix:
    """The mix with the water of a ratio of one's own; a plaster's ratio is told in every way it is."""
    own = job.plaster
    if mix.basis != "gypsum" or mix.water is None:
        if own is None:
            return mix
        raise InputError(
            "no_plaster", f"plaster is a ratio of casting plaster. Leave it out for {mix.name}.", ["plaster"]
        )
    plaster_kg, water_kg = _TOLD[own.basis](own.amount) if own else (1.0, mix.water.ratio_default)
    before = len(workings.warnings)
    try:
        ratio = workings.run(plaster_ratio, plaster_kg=plaster_kg, water_kg=water_kg).water_per_100 / 100
    except InputError as fault:
        message = fault.message.replace("water_kg", "plaster.amount")
        raise InputError(fault.code, message, ["plaster.amount"]) from None
    meant = {"plaster.amount": 100 / ratio, "plaster.basis": "water_per_100"}
    workings.warnings[before:] = [
        item.model_copy(
            update={"field": "plaster.amount", "meant": meant if item.code == "reversed" else None}
        )
        for item in workings.warnings[before:]
    ]
    if own is None:
        return mix
    water = mix.water.model_copy(update={"ratio_low": ratio, "ratio_default": ratio, "ratio_high": ratio})
    return mix.model_copy(update={"water": water})


def _by_label(mix: Mix, label: MaterialOnSite) -> Mix:
    """The mix with the other figures of the label: part of a bag, life, rest and thickness."""
    least, greatest = mix.thickness_mm or (None, None)
    thickness = (label.thickness_min_mm or least, label.thickness_max_mm or greatest)
    mix = mix.model_copy(update={"thickness_mm": thickness if None not in thickness else None})
    if label.least_bag:
        mix = mix.model_copy(update={"least_bag": label.least_bag})
    if rest_min := label.rest_min:
        mix = _timed(mix, "rest", lambda minutes: (rest_min, max(rest_min, minutes[1])))
    return _lasting(mix, label.life_min) if label.life_min else mix


def _lasting(mix: Mix, life_min: float) -> Mix:
    """The mix with another working life, min at 20 °C."""
    mix = _timed(mix, "place", lambda _: (0.0, life_min))
    return mix.model_copy(update={"life_min": life_min})


def _timed(mix: Mix, kind: str, minutes: Callable[[Minutes], Minutes]) -> Mix:
    """The mix with other times for the steps of a kind."""

    def timed(step: Step) -> Step:
        return step.model_copy(update={"minutes": minutes(step.minutes)}) if step.kind == kind else step

    procedures = [
        procedure.model_copy(update={"steps": [timed(step) for step in procedure.steps]})
        for procedure in mix.procedures
    ]
    return mix.model_copy(update={"procedures": procedures})


def _in_proportion(mix: Mix, name: str) -> Mix:
    chosen = next((item for item in mix.proportions if item.name == name), None)
    if chosen is None:
        known = ", ".join(item.name for item in mix.proportions) or "none: leave it out"
        raise InputError(
            "unknown_proportion",
            f"proportion {name!r} isn't available for {mix.name}. Choose: {known}.",
            ["proportion"],
        )
    parts = [part.model_copy(update={"parts": chosen.parts.get(part.name, part.parts)}) for part in mix.parts]
    return mix.model_copy(update={"parts": parts, "water": chosen.water})


def _with_own_parts(mix: Mix, own: dict[str, float]) -> Mix:
    free = {part.name: part for part in mix.parts if part.least is not None}
    for name in own:
        if name not in free:
            raise InputError(
                "fixed_part",
                f"parts.{name} cannot be chosen for {mix.name}: "
                + (f"give {', '.join(f'parts.{item}' for item in free)}." if free else "leave it out."),
                [f"parts.{name}"],
            )
    left_out = {name for name, parts in own.items() if parts == 0}
    for name in left_out:
        if free[name].least:
            raise InputError(
                "needed_part",
                f"parts.{name} is 0, but {mix.name} needs {name}: enter {free[name].least:g} or more.",
                [f"parts.{name}"],
            )
    parts = [part.model_copy(update={"parts": own.get(part.name, part.parts)}) for part in mix.parts]
    return mix.model_copy(update={"parts": parts}).without(left_out)


def _without_packs(mix: Mix, job: Job) -> Mix:
    """The mix without the packs that the job leaves out, and without their steps: its bags are of no number then."""
    packs = {item.name: item for item in mix.admixtures if item.packs}
    for name, is_used in job.packs.items():
        if name not in packs or not (is_used or packs[name].optional):
            raise InputError(
                "unknown_pack",
                f"packs.{name}: {mix.name} {'cannot go without it' if name in packs else 'has no such pack'}. "
                "Leave it out.",
                [f"packs.{name}"],
            )
    left_out = {name for name, is_used in job.packs.items() if not is_used}
    return mix.without(left_out).model_copy(update={"bags_a_batch": None}) if left_out else mix


def _in_own_water(mix: Mix, own: OwnWater) -> Mix:
    """The mix with the crew's own usual water, which is inside what the mix may have."""
    water = mix.water
    if water is None or own == OwnWater():
        return mix
    ratio = own.ratio or water.ratio_default
    if not water.ratio_low <= ratio <= water.ratio_high:
        raise InputError(
            "ratio_outside",
            f"own_water.ratio is {ratio:.3g}, outside the range of {mix.name}: "
            f"enter {water.ratio_low:.3g} to {water.ratio_high:.3g}.",
            ["own_water.ratio"],
        )
    share = own.start_share or water.start_share
    update = {"ratio_default": ratio, "start_share": share, "why": "Your own usual water."}
    return mix.model_copy(update={"water": water.model_copy(update=update)})


def _as_used(mix: Mix, job: Job) -> Mix:
    """The mix with its water moved inside its window, as the use, the hands, the air and the base ask."""
    wanted, water = wetness_of(mix, job), mix.water
    if wanted is None or water is None:
        return mix
    ratio = moved(water.ratio_default, water.ratio_low, water.ratio_high, wanted.shift)
    return mix.model_copy(
        update={"water": water.model_copy(update={"ratio_default": ratio, "why": wanted.why})}
    )


def _as_supported(mix: Mix, support: Support | None) -> Mix:
    """The mix with the thickness it has when laid so."""
    if support is None:
        return mix
    if support not in mix.supports:
        known = ", ".join(mix.supports) or "none: leave it out"
        raise InputError(
            "unknown_laying",
            f"support {support!r} isn't available for {mix.name}. Choose: {known}.",
            ["support"],
        )
    return mix.model_copy(update={"thickness_mm": mix.supports[support]})


def _spanned(mix: Mix) -> Mix:
    """The mix, the spans of what hangs on its binders as they now are."""
    binders = fsum(part.parts for part in mix.parts if materials()[part.material].is_binder)
    parts = [
        part.model_copy(
            update={"least": part.of_binders[0] * binders, "greatest": part.of_binders[1] * binders}
        )
        if part.of_binders
        else part
        for part in mix.parts
    ]
    return mix.model_copy(update={"parts": parts})


def materials_on_site(mix: Mix, job: Job, workings: Workings, assumed: dict[str, Any]) -> list[PlanMaterial]:
    """Every component of the mix with the figures of the site, or the defaults of its material.

    Args:
        mix: the mix in its proportion.
        job: the job, for what was weighed.
        workings: keeps the rules that are run.
        assumed: gets the defaults that are taken, by field.

    Raises:
        InputError: the job names a material that the mix has not.
    """
    names = [part.name for part in mix.parts]
    left_out = {part.name for part in chosen_mix(job).parts} - set(names)
    for name in job.materials:
        if name in left_out:
            continue
        if name not in names and mix.basis_traits.is_blended and len(mix.parts) == 1:
            raise InputError(
                "all_in_bag",
                f"materials.{name} isn't needed: {mix.name} is all-in. Add no sand or lime. Leave it out.",
                [f"materials.{name}"],
                meant={f"materials.{name}": None},
            )
        if name not in names:
            raise InputError(
                "unknown_material",
                f"materials.{name} is not in {mix.name}: use {', '.join(names)}.",
                [f"materials.{name}"],
            )
    for index, vessel in enumerate(job.vessels):
        if vessel.material not in (None, WATER, *names, *left_out):
            raise InputError(
                "unknown_material",
                f"vessels.{index}.material is not in {mix.name}: use {', '.join(names)}, or leave it out.",
                [f"vessels.{index}.material"],
            )
    return [
        _material(part, job.materials.get(part.name, MaterialOnSite()), workings, assumed)
        for part in mix.parts
    ]


def _material(
    part: MixPart, site: MaterialOnSite, workings: Workings, assumed: dict[str, Any]
) -> PlanMaterial:
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
        # Weighed moisture without a jar test: the stockpile bulks by the default curve, not as the default stockpile.
        figures["bulking_fraction"] = workings.run(
            sand_bulking, moisture_fraction=known["moisture_fraction"], grade="medium"
        ).bulking_fraction
    for name, value in figures.items():
        if name not in known and value:
            assumed[f"materials.{part.name}.{name}"] = value
    return PlanMaterial(
        name=part.name,
        parts=part.parts,
        is_binder=default.is_binder,
        **figures,
        title=default.name,
        hatch=default.hatch,
        is_dry=default.is_dry,
        bag_kg=known.get("bag_kg", default.bag_kg),
        unit=part.unit or "bag",
        sort=default.sort,
        least=part.least,
        greatest=part.greatest,
        stockpile=part.material if default.is_stockpiled else "",
        age_months=site.age_months,
    )
