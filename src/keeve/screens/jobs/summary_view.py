"""The summary of a job: the volumes side by side, and what was used."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple
from uuid import UUID

from keeve.core.log.job_summary import JobSummary
from keeve.core.planning.plan import Plan
from keeve.core.tolerances import DROP_L

Outcome = Literal["discarded", "given", "kept"]


class UsedMaterial(NamedTuple):
    """A material: planned, charged and used, kg; ``in_bags``: whether its bags can be counted."""

    name: str
    title: str
    planned_kg: float
    charged_kg: float
    used_kg: float | None
    in_bags: bool


@dataclass(frozen=True)
class SummaryPage:
    """The summary of a job.

    Args:
        plan_id: the plan's id.
        plan: the plan.
        summary: what it came to.
        is_closed: whether the job was closed.
        planned_l: the volume that was planned to be made, L.
        elsewhere_l: what was thrown away, used elsewhere or stored, L, where it is more than a drop.
        materials: what was used.
    """

    plan_id: UUID
    plan: Plan
    summary: JobSummary
    is_closed: bool
    planned_l: float
    elsewhere_l: dict[Outcome, float]
    materials: Sequence[UsedMaterial]


def summary_page(plan_id: UUID, plan: Plan, found: JobSummary, *, is_closed: bool) -> SummaryPage:
    """The summary of a job, as it was closed, or as it is so far."""
    elsewhere: dict[Outcome, float] = {
        "discarded": found.discarded_l,
        "given": found.given_l,
        "kept": found.in_store_l,
    }
    known = {material.name: material for material in plan.materials}
    return SummaryPage(
        plan_id=plan_id,
        plan=plan,
        summary=found,
        is_closed=is_closed,
        planned_l=found.net_l * (1 + found.planned_waste_fraction),
        elsewhere_l={name: litres for name, litres in elsewhere.items() if litres > DROP_L},
        materials=[
            UsedMaterial(
                use.name,
                known[use.name].title,
                use.planned_kg,
                use.charged_kg,
                use.used_kg,
                in_bags=bool(known[use.name].bag_kg),
            )
            for use in found.materials
        ],
    )
