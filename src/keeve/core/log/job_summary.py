"""The summary of a job: planned against mixed, placed and used, and the waste that shows."""

from collections.abc import Sequence
from math import fsum
from typing import Annotated

from pydantic import Field, TypeAdapter

from keeve.core.errors import validated
from keeve.core.log.load_row import LoadRow
from keeve.core.planning.plan import Plan
from keeve.core.rules.registry import Amount, Strict

_USED: TypeAdapter[dict[str, float]] = TypeAdapter(dict[str, Annotated[Amount, Field(le=1e6)]])


class MaterialUse(Strict):
    """A material of the job, kg: planned, in the loads, and used by count where that was given."""

    name: str
    planned_kg: float
    charged_kg: float
    used_kg: float | None = None


class JobSummary(Strict):
    """The job in L: net, made, placed, given to another use, stored, discarded; its waste; its materials."""

    net_l: float
    made_l: float
    placed_l: float
    given_l: float = 0.0
    in_store_l: float = 0.0
    discarded_l: float
    waste_fraction: float
    planned_waste_fraction: float
    materials: list[MaterialUse]


def summarise_job(
    plan: Plan, loads: Sequence[LoadRow], used_bags: dict[str, float] | None = None
) -> JobSummary:
    """The summary of a job.

    The volume placed filled what was measured, so everything over that is waste: uneven ground, boards, what stuck.

    Args:
        plan: the plan.
        loads: its loads that were begun.
        used_bags: bags used by material, as counted.

    Raises:
        InputError: a count out of bounds.
    """
    counted = validated(_USED, used_bags or {})
    made_l = fsum(load.made_l for load in loads if load.was_mixed)
    placed_l = fsum(load.placed_l for load in loads)
    given_l, in_store_l = fsum(load.given_l for load in loads), fsum(load.in_store_l for load in loads)
    net_l = plan.volume.net_m3 * 1000
    materials = []
    for item in plan.materials:
        bags = counted.get(item.name)
        materials.append(
            MaterialUse(
                name=item.name,
                planned_kg=fsum(load.charge(item.name).mass_kg for load in plan.loads),
                charged_kg=fsum(load.used_kg.get(item.name, 0.0) for load in loads),
                used_kg=bags * item.bag_kg if bags is not None and item.bag_kg else None,
            )
        )
    return JobSummary(
        net_l=net_l,
        made_l=made_l,
        placed_l=placed_l,
        given_l=given_l,
        in_store_l=in_store_l,
        discarded_l=max(made_l - placed_l - given_l - in_store_l, 0.0),
        waste_fraction=max(placed_l / net_l - 1, 0.0),
        planned_waste_fraction=plan.volume.order_m3 / plan.volume.net_m3 - 1,
        materials=materials,
    )
