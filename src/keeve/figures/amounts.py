"""Amounts as every screen and paper shows them: charges, doses and purchases with what belongs beside them."""

from collections.abc import Sequence
from typing import NamedTuple

from keeve.core.planning.amounts import (
    GaugedAmount,
    Jar,
    WeighedWater,
    gauged,
    gauged_step,
    jar_for,
    weighed_water,
)
from keeve.core.planning.plan import AdmixtureAmount, Load, Plan, PlanStep, load_steps


class Dose(NamedTuple):
    """An admixture in a load: whole packs, a volume (and the jar that measures it) or a mass; none: by its label."""

    name: str
    packs: float | None
    volume_ml: float | None
    mass_g: float | None
    jar: Jar | None
    number: float | None = None
    counted_in: str = ""


def dose_of(item: AdmixtureAmount, share: float = 1.0) -> Dose:
    """An admixture, or a share of it, as it is shown."""
    mass_g = None if item.mass_kg is None else item.mass_kg * 1000 * share
    volume_ml = None if item.volume_ml is None else item.volume_ml * share
    # Nobody splashes finer than a quarter; the exact amount is beside it.
    number = None if item.count is None else max(round(item.count * share * 4) / 4, 0.25)
    jar = None if volume_ml is None or number else jar_for(volume_ml)
    return Dose(item.name, item.packs, volume_ml, mass_g, jar, number, item.counted_in)


class StepView(NamedTuple):
    """A step with its amount: a charge as it is measured, water in L and as it is weighed, doses."""

    plan: PlanStep
    amount: GaugedAmount | None
    water_l: float | None
    weighed: WeighedWater | None
    doses: Sequence[Dose]


def steps_of(plan: Plan, load: Load) -> list[StepView]:
    """Every step of a load as it is shown."""
    return [
        StepView(
            step.plan,
            gauged_step(plan, load, step),
            step.water_l,
            weighed_water(plan, step.water_l) if step.water_l else None,
            [dose_of(item) for item in step.admixtures],
        )
        for step in load_steps(plan, load)
    ]


class MaterialAmount(NamedTuple):
    """A material of a load as it is measured, and whether it is damp."""

    name: str
    amount: GaugedAmount
    is_damp: bool


def material_amounts(plan: Plan, load: Load) -> list[MaterialAmount]:
    """The materials of a load."""
    return [
        MaterialAmount(
            charge.material, gauged(plan, charge), plan.material(charge.material).moisture_fraction > 0
        )
        for charge in load.charges
    ]


class BoughtLine(NamedTuple):
    """A line of the shopping list; ``hatch`` is None for an admixture, ``rule`` the rule of its amount."""

    name: str
    title: str
    hatch: str | None
    bags: int | None
    unit: str
    bag_kg: float | None
    mass_kg: float | None
    volume_ml: float | None
    moisture_fraction: float
    short_kg: float
    rule: str

    @property
    def is_by_label(self) -> bool:
        """Whether only its label says how much."""
        return self.mass_kg is None and self.bags is None and self.volume_ml is None


def shopping_list(plan: Plan) -> list[BoughtLine]:
    """The shopping list of a plan."""
    known = {material.name: material for material in plan.materials}
    lines = []
    for item in plan.shopping:
        material = known.get(item.material)
        on_hand = ", on hand" if item.is_on_hand else ""
        lines.append(
            BoughtLine(
                name=item.material + on_hand,
                title=(material.title if material else item.material.capitalize()) + on_hand,
                hatch=material.hatch if material else None,
                bags=item.bags,
                unit=item.unit,
                bag_kg=material.bag_kg if material else None,
                mass_kg=item.mass_kg,
                volume_ml=item.volume_ml,
                moisture_fraction=material.moisture_fraction if material else 0.0,
                short_kg=item.short_kg,
                rule=plan.charge_rule if material else "admixture-dose",
            )
        )
    return lines
