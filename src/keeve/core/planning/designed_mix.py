"""A designed concrete as a mix by mass: from its strength and slump, or from its binder and the water over it."""

import math
from typing import Any

from keeve.core.errors import InputError
from keeve.core.mixes import materials
from keeve.core.mixes.model import Mix, MixPart, MixWater, Sort
from keeve.core.planning.job import Design, Job, MaterialOnSite
from keeve.core.rules.concrete_design import (
    ConcreteContent,
    concrete_by_content,
    concrete_design_aci,
)
from keeve.core.rules.workings import Workings

# What carries the air of an air-entrained design.
AIR_ENTRAINER = "air-entrainer"
# What a designed concrete is made of, and what may take the place of some of its cement.
_DESIGNED: tuple[Sort, ...] = ("cement", "sand", "stone")
_IN_PLACE_OF_CEMENT: tuple[Sort, ...] = ("slag", "fly ash", "silica fume")
# Of the designed water, the least that still compacts: a judgement made here.
_LEAST_OF_DESIGN = 0.9
# A slab is no thinner than that many of its stones: ACI 318, from memory.
_STONES_THICK = 3


def designed(mix: Mix, job: Job, workings: Workings) -> Mix:
    """The designed concrete as a mix by mass. Its water is the ceiling: more would break the design.

    Raises:
        InputError: the design is missing or not whole, or the mix is not made of what a design is made of.
    """
    design = job.design
    if design is None:
        raise InputError("missing", f"design is missing. {mix.name} needs design.strength_mpa.", ["design"])
    by_sort = {materials()[part.material].sort: part for part in mix.parts}
    if len(by_sort) < len(mix.parts) or set(by_sort) - set(_IN_PLACE_OF_CEMENT) != set(_DESIGNED):
        raise InputError(
            "design_parts",
            f"{mix.name} is designed by strength, so it has one part each of {', '.join(_DESIGNED)}.",
            ["mix.parts"],
        )
    shares = _binder_shares(design, by_sort)
    density = {sort: _particle_density(part, job.materials.get(part.name)) for sort, part in by_sort.items()}
    # A blend fills what its parts fill.
    binder_density = 1 / math.fsum(share / density[sort] for sort, share in shares.items())
    found = _run(design, binder_density, density["stone"], density["sand"], workings)
    masses = found.per_m3
    parts_of = {**shares, "sand": masses.sand / masses.cement, "stone": masses.stone / masses.cement}
    parts = [
        part.model_copy(update={"parts": parts_of[sort]})
        for sort, part in by_sort.items()
        if parts_of.get(sort)
    ]
    water = MixWater(
        ratio_low=found.w_c * _LEAST_OF_DESIGN,
        ratio_default=found.w_c,
        ratio_high=found.w_c,
        start_share=0.85,
        why="The designed water is the max. Start below it and stop at the slump.",
    )
    # The designed air does not come by itself: its agent is then no matter of choice.
    admixtures = [
        item.model_copy(update={"optional": False})
        if item.name == AIR_ENTRAINER and design.air_entrained
        else item
        for item in mix.admixtures
    ]
    _, greatest_mm = mix.thickness_mm or (0.0, math.inf)
    left_out = {part.name for part in mix.parts} - {part.name for part in parts}
    return mix.without(left_out).model_copy(
        update={
            "basis": "mass",
            "parts": parts,
            "water": water,
            "air_fraction": found.air_fraction,
            "admixtures": admixtures,
            "thickness_mm": (_STONES_THICK * design.stone_max_mm, greatest_mm),
        }
    )


def _binder_shares(design: Design, by_sort: dict[Sort, MixPart]) -> dict[Sort, float]:
    """The parts of the binder, as shares of its mass."""
    given: dict[Sort, tuple[str, float]] = {
        "slag": ("slag_fraction", design.slag_fraction),
        "fly ash": ("fly_ash_fraction", design.fly_ash_fraction),
        "silica fume": ("silica_fume_fraction", design.silica_fume_fraction),
    }
    shares = {sort: share for sort, (_, share) in given.items() if share}
    for sort in shares:
        if sort not in by_sort:
            raise InputError(
                "design_parts", f"This mix has no {sort}. Leave it out.", [f"design.{given[sort][0]}"]
            )
    cement = 1 - math.fsum(shares.values())
    if cement <= 0:
        raise InputError(
            "no_cement",
            "Slag, fly ash and silica fume replace all the cement. Leave some cement.",
            [f"design.{given[sort][0]}" for sort in shares],
        )
    return {"cement": cement, **shares}


def _run(
    design: Design, binder_density: float, stone_density: float, sand_density: float, workings: Workings
) -> ConcreteContent:
    """The rule of the design; its refusals and warnings named as in the job."""
    wanted = ("strength_mpa",) if design.by == "strength" else ("binder_kg_m3", "w_cm")
    missing = [f"design.{name}" for name in wanted if getattr(design, name) is None]
    if missing:
        raise InputError("missing", f"{' and '.join(missing)} missing. Enter it.", missing)
    same: dict[str, Any] = design.model_dump(
        include={
            "stone_max_mm", "fineness_modulus", "stone_rodded_density_kg_m3", "air_entrained", "exposure",
            "thin_section", "sulfate_or_sea",
        }
    )  # fmt: skip
    same |= {"stone_density_kg_m3": stone_density, "sand_density_kg_m3": sand_density}
    if design.by == "strength":
        same |= {"strength_mpa": design.strength_mpa, "slump_mm": design.slump_mm}
        return workings.run_for("design", concrete_design_aci, **same, cement_density_kg_m3=binder_density)
    same |= {"binder_kg_m3": design.binder_kg_m3, "w_cm": design.w_cm}
    return workings.run_for("design", concrete_by_content, **same, binder_density_kg_m3=binder_density)


def _particle_density(part: MixPart, site: MaterialOnSite | None) -> float:
    own = site.particle_density_kg_m3 if site else None
    return own or materials()[part.material].particle_density_kg_m3
