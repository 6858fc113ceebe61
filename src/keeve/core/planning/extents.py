"""How far the mix goes: the lengths, areas and numbers along which an item of a job is worked."""

from collections.abc import Mapping

from keeve.core.planning.job import AreaNeed, Need, ShapeNeed
from keeve.core.planning.moulds import MouldNeed
from keeve.core.planning.plan import Along, Extent, Plan


def extents_of(need: Need, facts: Mapping[str, float]) -> list[Extent]:
    """The measures of an item, all of its count; none where it is told by what is mixed.

    Args:
        need: the item.
        facts: the further results of its shape's rule, for one of it.
    """
    if isinstance(need, AreaNeed):
        return [Extent(kind="area_m2", amount=need.area_m2)]
    if not isinstance(need, ShapeNeed | MouldNeed):
        return []
    if need.count > 1:
        # So many of the same are counted; one is measured along its own.
        return [Extent(kind="items", amount=need.count)]
    one = _of_one(need.shape, need.sizes(), facts) if isinstance(need, ShapeNeed) else {}
    return [Extent(kind=kind, amount=amount) for kind, amount in one.items() if amount]


def _of_one(shape: str, sizes: Mapping[str, float], facts: Mapping[str, float]) -> Mapping[Along, float]:
    match shape:
        case "slab-volume":
            return {"length_m": sizes["length_m"]}
        case "floor-volume":
            return {"area_m2": facts["area_m2"]}
        case "coat-volume":
            return {"area_m2": facts["net_area_m2"]}
        case "cloth-plaster":
            return {"area_m2": sizes["area_m2"]}
        case "unit-masonry-mortar" | "pointing-volume" | "layered-wall-volume":
            return {"area_m2": _wall_m2(sizes), **_on_wall(sizes, facts)}
    return {}


def _wall_m2(sizes: Mapping[str, float]) -> float:
    area_m2 = sizes.get("wall_area_m2") or sizes.get("length_m", 0.0) * sizes.get("height_m", 0.0)
    return max(area_m2 - sizes.get("openings_m2", 0.0), 0.0)


def _on_wall(sizes: Mapping[str, float], facts: Mapping[str, float]) -> Mapping[Along, float]:
    """Bricks and courses of masonry, layers of an infill."""
    if "units" not in facts:
        return {"layers": facts.get("layers", 0.0)}
    course_mm = sizes["unit_height_mm"] + sizes["joint_mm"]
    return {"units": facts["units"], "courses": sizes.get("height_m", 0.0) * 1000 / course_mm}


def reach_of(plan: Plan, mixed_l: float) -> list[tuple[Extent, Extent]]:
    """How far so much of a plan's mix goes, waste and all, and of how much; nothing where it has several items.

    Args:
        plan: the plan.
        mixed_l: the mixed volume, L.
    """
    if len(plan.volume.items) != 1:
        return []
    share = min(mixed_l / 1000 / plan.volume.order_m3, 1.0)
    (item,) = plan.volume.items
    return [(whole.model_copy(update={"amount": whole.amount * share}), whole) for whole in item.extents]
