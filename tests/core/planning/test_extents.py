"""How far a load goes: along what is made, and all loads together just as far as the job."""

from math import fsum
from random import Random
from typing import Any

import pytest
from helpers import plan

from keeve.core.planning.extents import reach_of

BRICKS = {"unit_length_mm": 215, "unit_height_mm": 65, "unit_width_mm": 102.5, "joint_mm": 10}
WALL = {"length_m": 5.0, "height_m": 2.4}
NEEDS: list[tuple[dict[str, Any], dict[str, float]]] = [
    ({"shape": "slab-volume", "length_m": 12.5, "width_m": 0.5, "thickness_m": 0.04}, {"length_m": 12.5}),
    ({"shape": "slab-volume", "length_m": 2, "width_m": 1, "thickness_m": 0.1, "count": 4}, {"items": 4}),
    ({"area_m2": 8, "depth_mm": 15}, {"area_m2": 8}),
    ({"shape": "floor-volume", "rooms": [{"length_m": 4, "width_m": 3}], "thickness_m": 0.05}, {"area_m2": 12}),
    ({"shape": "coat-volume", **WALL, "openings_m2": 2, "coats_mm": [10]}, {"area_m2": 10}),
    # 32 courses of a brick and its joint of 75 mm in 2.4 m; 60 bricks a m2 less a little, as every handbook has it.
    ({"shape": "unit-masonry-mortar", **WALL, **BRICKS}, {"area_m2": 12, "units": 711.1, "courses": 32}),
    ({"shape": "post-hole-volume", "hole_diameter_m": 0.3, "hole_depth_m": 0.6, "post_width_m": 0.1,
      "post_thickness_m": 0.1, "embedment_m": 0.5}, {}),
    ({"volume_m3": 0.2}, {}),
    ({"bags": 3}, {}),
]  # fmt: skip


@pytest.mark.parametrize(("need", "extents"), NEEDS)
@pytest.mark.parametrize("seed", range(3))
def test_all_loads_go_as_far_as_the_job(need: dict[str, Any], extents: dict[str, float], seed: int) -> None:
    chance = Random(seed)
    waste, mixer_l = chance.choice((0, 0.1, 0.3)), chance.uniform(30, 120)
    mixer = {"kind": "tilting-drum", "working_l": mixer_l}
    found = plan(need=need, waste_fraction=waste, mixer=mixer)
    reached = [{part.kind: part.amount for part, _ in reach_of(found, load.yield_l)} for load in found.loads]
    for kind, whole in extents.items():
        assert fsum(each[kind] for each in reached) == pytest.approx(whole, rel=1e-3)
    assert all(each.keys() == extents.keys() for each in reached)


def test_of_several_items_nobody_knows_which_is_filled() -> None:
    two = [{"area_m2": 8, "depth_mm": 15}, {"area_m2": 2, "depth_mm": 30}]
    assert reach_of(plan(need=two), 50) == []
