"""The water of a running load, adjusted to the expected moisture of its stockpile.

One stockpile of a plan is followed, its sand or else its stone: that drains, dries and is rained on. The water of the
other materials is taken as planned.
"""

from keeve.core.planning.plan import Load, LoadWater, Plan, PlanMaterial
from keeve.core.running.events import ExpectedWater
from keeve.core.tolerances import LEAST_POUR_L


def followed(plan: Plan) -> PlanMaterial | None:
    """The material of the plan whose stockpile is followed; None where everything comes dry in bags."""
    return next((material for material in plan.materials if material.stockpile), None)


def as_expected(plan: Plan, load: Load, expected: ExpectedWater | None) -> Load:
    """The load with its water adjusted to the expected moisture of its stockpile."""
    material = followed(plan)
    if material is None or expected is None:
        return load
    water = shifted_water(load, material, expected.free_moisture_fraction, expected.weighed)
    return load.model_copy(update={"water": water.model_copy(update={"start_l": expected.start_l})})


def shifted_water(load: Load, material: PlanMaterial, free_fraction: float, weighed: bool) -> LoadWater:
    """The water of a load for a stockpile with this much free water.

    Judging by eye moves the target. It may lower the ceiling but never raise it: an eye that likes it wet would raise
    it load by load. A dried pan raises it.
    """
    planned = load.water
    drier_l = free_water_kg(load, material) - free_fraction * load.charge(material.name).dry_kg
    bounds_l = drier_l if weighed else min(drier_l, 0.0)
    ceiling_l = max(planned.ceiling_l + bounds_l, LEAST_POUR_L)
    low_l = min(max(planned.min_l + bounds_l, 0.0), ceiling_l)
    return LoadWater(
        start_l=planned.start_l,
        min_l=low_l,
        target_l=min(max(planned.target_l + drier_l, low_l), ceiling_l),
        ceiling_l=ceiling_l,
        in_aggregate_l=planned.in_aggregate_l - drier_l,
        in_admixture_l=planned.in_admixture_l,
    )


def free_water_kg(load: Load, material: PlanMaterial) -> float:
    """The free water in the followed stockpile's material as planned, kg."""
    return load.charge(material.name).dry_kg * material.free_fraction
