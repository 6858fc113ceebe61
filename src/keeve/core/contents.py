"""What a running load holds: as it was charged and corrected, with what its plan still has to come."""

from typing import NamedTuple

from keeve.core.batch import Batch
from keeve.core.plan import Load, Plan, PlanStep


class Contents(NamedTuple):
    """What is in a load once all of it is in.

    Args:
        batch_kg: kg as charged by material.
        dry_kg: the same oven-dry.
        binder_kg: of which binder, kg.
        heap_l: free water that came with it, L; negative where it soaks.
        admixture_l: water in its admixtures, L.
        yield_l: what it makes, L of fresh volume.
        growth: its binder over what was planned: what the water follows.
        planned: the load as planned, its heap as it is expected to be.
    """

    batch_kg: dict[str, float]
    dry_kg: dict[str, float]
    binder_kg: float
    heap_l: float
    admixture_l: float
    yield_l: float
    growth: float
    planned: Load

    @property
    def has_binder(self) -> bool:
        """Whether there is binder in it that water could be reckoned by."""
        return self.binder_kg > CRUMB_KG

    def loose_of(self, masses_kg: dict[str, float]) -> float:
        """What these masses take loose, L; kg as charged."""
        charges = (self.planned.charge(name) for name in masses_kg)
        return sum(masses_kg[one.material] / one.mass_kg * one.volume_l for one in charges)

    def free_l(self, added_l: float) -> float:
        """All its free water with that much added, L."""
        return added_l + self.heap_l + self.admixture_l

    def to_add_l(self, planned_l: float) -> float:
        """What is added here for the water ratio that an amount added has in the load as planned, L."""
        free_l = self.planned.water.free_l(planned_l) * self.growth
        return max(free_l - self.heap_l - self.admixture_l, 0.0)

    def as_planned_l(self, added_l: float) -> float:
        """What is added to the load as planned for the water ratio that an amount added has here, L."""
        return self.planned.water.to_add_l(self.free_l(added_l) / self.growth)


# Less than that sticks to the shovel: nobody measures it out beside a mixer, kg.
CRUMB_KG = 0.01


def contents(plan: Plan, load: Load, batch: Batch) -> Contents:
    """What a load holds: what went in, and what its plan still has to come.

    Args:
        plan: the plan.
        load: the load, its heap as it is expected to be.
        batch: the load as it is.
    """
    batch_kg = {
        charge.material: batch.charged_kg.get(charge.material, 0.0)
        + batch.corrected_kg.get(charge.material, 0.0)
        + _to_come_kg(plan, load, batch, charge.material)
        for charge in load.charges
    }
    times = {charge.material: batch_kg[charge.material] / charge.mass_kg for charge in load.charges}
    dry_kg = {charge.material: charge.dry_kg * times[charge.material] for charge in load.charges}
    binder_kg = sum(dry_kg[name] for name in plan.binders)
    more_heap_l = sum(
        (dry_kg[item.name] - load.charge(item.name).dry_kg) * free_fraction(item.name, plan, batch)
        for item in plan.materials
    )
    return Contents(
        batch_kg=batch_kg,
        dry_kg=dry_kg,
        binder_kg=binder_kg,
        heap_l=load.water.in_heap_l + more_heap_l,
        admixture_l=load.water.in_admixture_l
        + sum(item.water_l * (batch.doses.get(item.name, 1.0) - 1) for item in load.admixtures),
        yield_l=load.yield_l * sum(batch_kg.values()) / sum(charge.mass_kg for charge in load.charges),
        growth=binder_kg / load.binder_kg,
        planned=load,
    )


def free_fraction(name: str, plan: Plan, batch: Batch) -> float:
    """Free water of a material over its oven-dry mass: as its heap is expected to be, else as planned."""
    material = plan.material(name)
    if batch.expected and batch.expected.heap == material.heap:
        return batch.expected.free_moisture_fraction
    return material.free_fraction


def _to_come_kg(plan: Plan, load: Load, batch: Batch, material: str) -> float:
    """What the steps that are not done still have to charge of a material, kg."""
    mass_kg = load.charge(material).mass_kg
    return sum(
        mass_kg * (step.share or 0.0) * left_of(step, load, batch)
        for step in plan.procedure
        if step.material == material
    )


def left_of(step: PlanStep, load: Load, batch: Batch) -> float:
    """How much of a step is still to be done: nothing of what is behind, a part where a part of its amount is in."""
    if step.step in batch.steps_done:
        return 0.0
    if step.kind == "charge" and step.material and step.share:
        planned = load.charge(step.material).mass_kg * step.share
        return max(1 - batch.step_kg.get(step.step, 0.0) / planned, 0.0) if planned else 1.0
    planned = load.water.start_l * (step.share or 0.0)
    return max(1 - batch.step_l.get(step.step, 0.0) / planned, 0.0) if planned else 1.0
