"""The strength to expect of a load at 28 days, where the law describes its mix."""

from keeve.core.mixes.model import Sort
from keeve.core.planning.plan import Load, Plan, PlanStrength
from keeve.core.rules.strength import LEAST_RATIO, MOST_RATIO, StrengthBand, strength_band, water_penalty
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import ROUNDING

AGE_DAYS = 28.0
# More air than a concrete traps by itself was put in on purpose: the data have none of it.
_MOST_AIR = 0.03
# What the law was fitted to: cement, sand, stone, and slag and fly ash beside the cement.
_DESCRIBED: set[Sort | None] = {"cement", "sand", "stone"}
_MAY_HAVE: set[Sort | None] = {"slag", "fly ash"}


def is_described(plan: Plan) -> bool:
    """Whether the law was fitted to such a mix: cement, sand and stone, maybe slag and fly ash, no air put in.

    Mortars, lime, hemp, no-fines and bags of their own label are not; a dry-pack is under what can be compacted.
    """
    sorts = {material.sort for material in plan.materials}
    return sorts - _MAY_HAVE == _DESCRIBED and plan.mix.air_fraction <= _MOST_AIR


def _is_plain_and_loosened(plan: Plan, load: Load) -> bool:
    """Whether it is of plain cement with a plasticiser: of these the law says some 11 MPa too much at 28 days."""
    is_plain = not {material.sort for material in plan.materials} & _MAY_HAVE
    return is_plain and any(item.loosens and item.mass_kg for item in load.admixtures)


def strength_of_load(
    plan: Plan, load: Load, added_l: float, workings: Workings, age_days: float = AGE_DAYS
) -> StrengthBand | None:
    """Strength at an age with that much water added; None outside what the law was fitted to.

    Nor is there a figure below the mix's least water: what cannot be compacted is weaker, whatever its ratio.

    Args:
        plan: the plan.
        load: the load, its stockpile as planned or as expected.
        added_l: water from the tap, L, over what the load has grown by correction.
        workings: keeps the rule that is run.
        age_days: the age, from a day to a year.
    """
    water_kg = load.water.free_l(added_l)
    if added_l < load.water.min_l - ROUNDING or not is_described(plan) or _is_plain_and_loosened(plan, load):
        return None
    if not LEAST_RATIO <= water_kg / load.binder_kg <= MOST_RATIO:
        return None
    per_m3 = 1000 / load.yield_l
    dry_kg = {material.sort: load.charge(material.name).dry_kg for material in plan.materials}
    return workings.run(
        strength_band,
        cement_kg_m3=dry_kg["cement"] * per_m3,
        slag_kg_m3=dry_kg.get("slag", 0.0) * per_m3,
        fly_ash_kg_m3=dry_kg.get("fly ash", 0.0) * per_m3,
        water_kg_m3=water_kg * per_m3,
        stone_kg_m3=dry_kg["stone"] * per_m3,
        sand_kg_m3=dry_kg["sand"] * per_m3,
        age_days=age_days,
    )


def strength_of_plan(plan: Plan, designed_mpa: float | None, workings: Workings) -> PlanStrength | None:
    """The strength to expect of the plan's loads at their target water, and what one litre more costs.

    Args:
        plan: the plan.
        designed_mpa: the mean it was designed for, MPa; None where it was not designed.
        workings: keeps the rules that are run.
    """
    load = plan.loads[0]
    band = strength_of_load(plan, load, load.water.target_l, workings)
    if band is None:
        return None
    water_kg = load.water.free_l(load.water.target_l)
    extra = {"binder_kg": load.binder_kg, "water_kg": water_kg, "extra_water_kg": 1.0}
    litre_more = (
        workings.run(water_penalty, **extra).strength_ratio
        if (water_kg + 1.0) / load.binder_kg <= MOST_RATIO
        else None
    )
    return PlanStrength(
        age_days=AGE_DAYS,
        mpa=band.mpa,
        low_mpa=band.low_mpa,
        high_mpa=band.high_mpa,
        litre_more_ratio=litre_more,
        designed_mpa=designed_mpa,
    )
