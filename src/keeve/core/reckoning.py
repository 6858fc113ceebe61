"""A job reckoned up at its end: what was planned against what was mixed, placed and used; the waste it shows."""

from collections.abc import Sequence
from typing import Annotated

from pydantic import Field, TypeAdapter

from keeve.core.batch import Batch
from keeve.core.contents import contents
from keeve.core.errors import validated
from keeve.core.plan import Load, Plan
from keeve.core.rules import Amount, Strict

_USED: TypeAdapter[dict[str, float]] = TypeAdapter(dict[str, Annotated[Amount, Field(le=1e6)]])


class MaterialUse(Strict):
    """A material in kg: as planned, as it went into the loads, and as it was used up by count, where that was given."""

    name: str
    planned_kg: float
    charged_kg: float
    used_kg: float | None = None


class Reckoning(Strict):
    """The job in L and kg: to fill, made, placed, given to another use, kept, thrown away; the waste it shows."""

    net_l: float
    made_l: float
    placed_l: float
    given_l: float = 0.0
    kept_l: float = 0.0
    discarded_l: float
    waste_fraction: float
    planned_waste_fraction: float
    materials: list[MaterialUse]


def reckoned(
    plan: Plan, done: Sequence[tuple[Load, Batch]], used: dict[str, float] | None = None
) -> Reckoning:
    """The job as it was.

    What was placed filled what was measured, so that all over it is waste: uneven ground, boards, what stuck.

    Args:
        plan: the plan.
        done: its loads as planned, with what became of them.
        used: bags used up by material, as somebody counted them.

    Raises:
        InputError: a count that cannot be.
    """
    counted = validated(_USED, used or {})
    made_l = sum(contents(plan, load, batch).yield_l for load, batch in done if batch.water or batch.placed_l)
    placed_l = sum(batch.placed_l for _, batch in done)
    given_l, kept_l = sum(batch.given_l for _, batch in done), sum(batch.kept_l for _, batch in done)
    net_l = plan.volume.net_m3 * 1000
    materials = []
    for item in plan.materials:
        charged = (
            batch.charged_kg.get(item.name, 0.0) + batch.corrected_kg.get(item.name, 0.0) for _, batch in done
        )
        bags = counted.get(item.name)
        materials.append(
            MaterialUse(
                name=item.name,
                planned_kg=sum(load.charge(item.name).mass_kg for load in plan.loads),
                charged_kg=sum(charged),
                used_kg=bags * item.bag_kg if bags is not None and item.bag_kg else None,
            )
        )
    return Reckoning(
        net_l=net_l,
        made_l=made_l,
        placed_l=placed_l,
        given_l=given_l,
        kept_l=kept_l,
        discarded_l=max(made_l - placed_l - given_l - kept_l, 0.0),
        waste_fraction=max(placed_l / net_l - 1, 0.0),
        planned_waste_fraction=plan.volume.order_m3 / plan.volume.net_m3 - 1,
        materials=materials,
    )
