"""The volume of each item of a job, and the volume to make."""

from collections.abc import Callable
from math import fsum
from typing import NoReturn

from keeve.core.errors import InputError
from keeve.core.planning.extents import extents_of
from keeve.core.planning.job import SHAPES, AreaNeed, BagsNeed, Job, Need, OnHandNeed, VolumeNeed, WeightNeed
from keeve.core.planning.moulds import MouldNeed, mould_m3
from keeve.core.planning.plan import PlanItem, PlanVolume
from keeve.core.rules.geometry import order_volume, slab_volume
from keeve.core.rules.workings import Workings

# What is told of what is mixed, not of what is filled with it: its volume is the order, waste inside.
_OF_WHAT_IS_MIXED = (BagsNeed, WeightNeed, OnHandNeed)


def volumes(
    job: Job,
    bag_l: float | None,
    fresh_kg_m3: float,
    on_hand_m3: Callable[[OnHandNeed, str], float],
    workings: Workings,
) -> PlanVolume:
    """Net and ordered volume. Bags make what they make, and a weight is what is mixed.

    Args:
        job: the job.
        bag_l: what a bag of binder makes, L; None where none comes in bags.
        fresh_kg_m3: what a cubic metre weighs fresh, kg/m3.
        on_hand_m3: what a batch of what is there makes, m3, by the need and its path.
        workings: keeps the rules that are run.

    Raises:
        InputError: a size that cannot be, by its path in the job; bags where nothing comes in bags.
    """
    items = [
        _item(need, f"need.{index}", bag_l, fresh_kg_m3, job.waste_fraction, on_hand_m3, workings)
        for index, need in enumerate(job.need)
    ]
    net_m3 = fsum(item.net_m3 for item in items)
    measured_m3 = fsum(
        item.net_m3
        for item, need in zip(items, job.need, strict=True)
        if not isinstance(need, _OF_WHAT_IS_MIXED)
    )
    order_m3 = (net_m3 - measured_m3) * (1 + job.waste_fraction)
    if measured_m3:
        order_m3 += workings.run(order_volume, net_m3=measured_m3, waste_fraction=job.waste_fraction).order_m3
    return PlanVolume(net_m3=net_m3, order_m3=order_m3, items=items)


def _item(
    need: Need,
    path: str,
    bag_l: float | None,
    fresh_kg_m3: float,
    waste: float,
    on_hand_m3: Callable[[OnHandNeed, str], float],
    workings: Workings,
) -> PlanItem:
    if isinstance(need, VolumeNeed):
        return PlanItem(name=need.name, net_m3=need.volume_m3)
    if isinstance(need, BagsNeed):
        return PlanItem(name=need.name, net_m3=need.bags * (bag_l or no_bag()) / 1000 / (1 + waste))
    if isinstance(need, WeightNeed):
        return PlanItem(name=need.name, net_m3=need.mass_kg / fresh_kg_m3 / (1 + waste))
    if isinstance(need, OnHandNeed):
        return PlanItem(name=need.name, net_m3=on_hand_m3(need, path) / (1 + waste))
    if isinstance(need, AreaNeed):
        layer = workings.run(
            slab_volume, length_m=need.area_m2, width_m=1.0, thickness_m=need.depth_mm / 1000
        )
        return PlanItem(name=need.name, net_m3=layer.volume_m3, extents=extents_of(need, {}))
    if isinstance(need, MouldNeed):
        sizes = mould_m3(need, path, workings)
        one_m3 = sizes.pop("volume_m3")
        each_m3 = [one_m3 * part / fsum(need.pieces) for part in need.pieces]
        return PlanItem(
            name=need.name,
            net_m3=one_m3 * need.count,
            facts=sizes,
            pieces_m3=each_m3,
            extents=extents_of(need, sizes),
        )
    try:
        found = workings.run(SHAPES[need.shape], **need.sizes())
    except InputError as fault:
        fault.fields = [f"{path}.{field}" for field in fault.fields]
        raise
    facts = {name: value for name, value in found.model_dump().items() if isinstance(value, int | float)}
    one_m3 = facts.pop("volume_m3")
    extents = extents_of(need, facts)
    return PlanItem(name=need.name, net_m3=one_m3 * need.count, facts=facts, extents=extents)


def no_bag() -> NoReturn:
    """Refuse to count in bags where nothing of the mix comes in bags."""
    raise InputError(
        "no_bag", "No material of this mix comes in bags. Enter its bag_kg under materials.", ["materials"]
    )
