"""The contents of the mixer: what was loaded and corrected less what left it, and what its plan still adds."""

from math import fsum
from typing import NamedTuple

from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load, Plan, PlanStep
from keeve.core.tolerances import CRUMB_KG


class Contents(NamedTuple):
    """The contents of the mixer once all of the load, or of what is left of it, is in.

    Args:
        batch_kg: kg as charged, by material.
        dry_kg: the same oven-dry.
        binder_kg: the binder in it, kg.
        added_l: water that was added, L.
        aggregate_water_l: free water in its aggregate, L; negative where the aggregate soaks.
        admixture_l: water in its admixtures, L.
        yield_l: fresh volume, L.
        growth: its binder over the planned binder; its water follows that.
        planned: as much of the load as planned, with the expected water of its stockpile.
    """

    batch_kg: dict[str, float]
    dry_kg: dict[str, float]
    binder_kg: float
    added_l: float
    aggregate_water_l: float
    admixture_l: float
    yield_l: float
    growth: float
    planned: Load

    @property
    def has_binder(self) -> bool:
        """Whether it holds enough binder to base a water ratio on."""
        return self.binder_kg > CRUMB_KG

    @property
    def water_kg(self) -> float:
        """All its free water, kg."""
        return self.free_l(self.added_l)

    def free_l(self, added_l: float) -> float:
        """All its free water with this much added, L."""
        return added_l + self.aggregate_water_l + self.admixture_l

    def to_add_l(self, planned_l: float) -> float:
        """Water to add here for the same ratio that ``planned_l`` gives in the load as planned, L."""
        free_l = self.planned.water.free_l(planned_l) * self.growth
        return max(free_l - self.aggregate_water_l - self.admixture_l, 0.0)

    def as_planned_l(self, added_l: float) -> float:
        """Water to add to the load as planned for the same ratio that ``added_l`` gives here, L."""
        return self.planned.water.to_add_l(self.free_l(added_l) / self.growth)


def contents(plan: Plan, load: Load, state: LoadState, share: float = 1.0) -> Contents:
    """The contents of a load: what went in, and what its plan still adds.

    Args:
        plan: the plan.
        load: the whole load, with the expected water of its stockpile.
        state: the state of the load.
        share: how much of the load is looked at: what is in the mixer, or 1 for the whole, as though nothing had left.
    """
    planned = load.times(share)
    batch_kg = {
        charge.material: share
        * (state.held_kg.get(charge.material, 0.0) + _to_come_kg(plan, load, state, charge.material))
        for charge in load.charges
    }
    times = {charge.material: batch_kg[charge.material] / charge.mass_kg for charge in planned.charges}
    dry_kg = {charge.material: charge.dry_kg * times[charge.material] for charge in planned.charges}
    binder_kg = fsum(dry_kg[name] for name in plan.binders)
    more_aggregate_water_l = fsum(
        (dry_kg[item.name] - planned.charge(item.name).dry_kg) * free_fraction(item.name, plan, state)
        for item in plan.materials
    )
    more_admixture_l = fsum(item.water_l * (state.dose(item.name) - 1) for item in planned.admixtures)
    return Contents(
        batch_kg=batch_kg,
        dry_kg=dry_kg,
        binder_kg=binder_kg,
        added_l=state.water_l * share,
        aggregate_water_l=planned.water.in_aggregate_l + more_aggregate_water_l,
        admixture_l=planned.water.in_admixture_l + more_admixture_l,
        yield_l=planned.yield_l
        * fsum(batch_kg.values())
        / fsum(charge.mass_kg for charge in planned.charges),
        growth=binder_kg / planned.binder_kg,
        planned=planned,
    )


def free_fraction(name: str, plan: Plan, state: LoadState) -> float:
    """Free water of a material over its oven-dry mass: as its stockpile is expected to be, otherwise as planned."""
    material = plan.material(name)
    if state.expected and state.expected.stockpile == material.stockpile:
        return state.expected.free_moisture_fraction
    return material.free_fraction


def _to_come_kg(plan: Plan, load: Load, state: LoadState, material: str) -> float:
    """Mass that the open steps still add of a material to the whole load, kg."""
    mass_kg = load.charge(material).mass_kg
    return fsum(
        mass_kg * (step.share or 0.0) * left_of(step, load, state)
        for step in plan.procedure
        if step.material == material
    )


def left_of(step: PlanStep, load: Load, state: LoadState) -> float:
    """The share of a step of the whole load that is still to be done, 0 to 1."""
    if step.step in state.steps_done:
        return 0.0
    if step.kind == "charge" and step.material and step.share:
        planned = load.charge(step.material).mass_kg * step.share
        return max(1 - state.step_kg.get(step.step, 0.0) / planned, 0.0) if planned else 1.0
    planned = load.water.start_l * (step.share or 0.0)
    return max(1 - state.step_l.get(step.step, 0.0) / planned, 0.0) if planned else 1.0
