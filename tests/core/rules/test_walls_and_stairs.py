"""Built-up shapes, against published figures and independent counting."""

import math
from typing import Any

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.calc import calc
from keeve.core.rules.geometry import cylinder_volume, frustum_volume
from keeve.core.rules.walls_and_stairs import (
    coat_volume,
    layered_wall_volume,
    pointing_volume,
    stairs_volume,
    unit_masonry_mortar,
)

sizes = st.floats(0.05, 20)
BRICK = {"unit_length_mm": 215.0, "unit_height_mm": 65.0, "joint_mm": 10.0}


def test_a_square_metre_of_brickwork() -> None:
    """Handbook figures for the 215 × 65 × 102.5 mm brick with 10 mm joints (from memory).

    59.26 bricks, usually rounded to 60, 0.01761 m3 of mortar and 17.19 m of joints a m2.
    """
    wall = unit_masonry_mortar(wall_area_m2=1.0, unit_width_mm=102.5, **BRICK)
    assert wall.units == pytest.approx(59.26, abs=0.005)
    assert wall.volume_m3 == pytest.approx(0.01761, abs=5e-6)
    assert pointing_volume(wall_area_m2=1.0, depth_mm=15.0, **BRICK).joint_length_m == pytest.approx(
        17.19, abs=0.005
    )


@given(st.integers(2, 30), st.integers(2, 30))
def test_masonry_is_what_units_and_joints_counted_one_by_one_make(columns: int, courses: int) -> None:
    """A wall of whole units, each with one bed and one perpend of its own: volumes added up in mm3."""
    length, height, width, joint = 215.0, 65.0, 102.5, 10.0
    area_m2 = columns * (length + joint) * courses * (height + joint) / 1e6
    bed = (length + joint) * joint * width
    perpend = height * joint * width
    found = unit_masonry_mortar(wall_area_m2=area_m2, unit_width_mm=width, **BRICK)
    assert found.units == pytest.approx(columns * courses)
    assert found.volume_m3 == pytest.approx(columns * courses * (bed + perpend) / 1e9)
    joints_m = columns * courses * (length + joint + height) / 1000
    pointed = pointing_volume(wall_area_m2=area_m2, depth_mm=20.0, **BRICK)
    assert pointed.joint_length_m == pytest.approx(joints_m)
    assert pointed.volume_m3 == pytest.approx(joints_m * 0.01 * 0.02)


@given(sizes, sizes, st.floats(0.1, 0.9))
def test_a_frustum_is_a_cone_less_its_tip(diameter: float, height: float, narrowing: float) -> None:
    """By similar triangles: the whole cone is height / (1 − narrowing) high, the tip narrowing³ of it."""
    cone = math.pi * diameter**2 / 4 * height / (1 - narrowing) / 3
    found = frustum_volume(bottom_diameter_m=diameter, top_diameter_m=diameter * narrowing, height_m=height)
    assert found.volume_m3 == pytest.approx(cone * (1 - narrowing**3))
    straight = frustum_volume(bottom_diameter_m=diameter, top_diameter_m=diameter, height_m=height)
    assert straight.volume_m3 == pytest.approx(
        cylinder_volume(diameter_m=diameter, height_m=height).volume_m3
    )


@given(sizes, sizes, sizes, st.integers(1, 40))
def test_stairs_are_their_columns(width: float, going: float, rise: float, steps: int) -> None:
    columns = sum(width * going * rise * step for step in range(1, steps + 1))
    assert stairs_volume(width_m=width, going_m=going, rise_m=rise, steps=steps).volume_m3 == pytest.approx(
        columns
    )


@given(
    st.floats(1, 100), st.floats(0, 0.9), st.lists(st.floats(1, 30), min_size=1, max_size=4), st.floats(0, 10)
)
def test_coats_add_up(area: float, share: float, coats: list[float], uneven: float) -> None:
    whole = coat_volume(area_m2=area, openings_m2=share * area, coats_mm=coats, uneven_mm=uneven)
    each = [coat_volume(area_m2=area, openings_m2=share * area, coats_mm=[coat]).volume_m3 for coat in coats]
    assert whole.net_area_m2 == pytest.approx(area * (1 - share))
    assert whole.volume_m3 == pytest.approx(sum(each) + whole.net_area_m2 * uneven / 1000)


def test_layers_of_a_hemp_wall() -> None:
    wall: dict[str, Any] = {"wall_area_m2": 10.0, "thickness_mm": 300.0, "studs": []}
    assert layered_wall_volume(**wall).layers is None
    assert layered_wall_volume(**wall, height_m=2.4, layer_mm=50.0).layers == 48
    assert layered_wall_volume(**wall, height_m=2.41, layer_mm=50.0).layers == 49


STUD = {"width_mm": 50, "depth_mm": 100, "length_m": 20}


@pytest.mark.parametrize(
    ("rule", "given", "field"),
    [
        ("coat-volume", {"area_m2": 4, "openings_m2": 4, "coats_mm": [10]}, "openings_m2"),
        ("coat-volume", {"area_m2": 4, "coats_mm": []}, "coats_mm"),
        ("coat-volume", {"area_m2": 4, "coats_mm": [10, -1]}, "coats_mm.1"),
        ("stairs-volume", {"width_m": 1, "going_m": 0.3, "rise_m": 0.2, "steps": 2.5}, "steps"),
        ("layered-wall-volume", {"wall_area_m2": 9, "thickness_mm": 90, "studs": [STUD]}, "studs.0.depth_mm"),
        ("layered-wall-volume", {"wall_area_m2": 1, "thickness_mm": 100, "studs": [STUD]}, "studs"),
    ],
)
def test_shapes_that_cannot_be(rule: str, given: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as refused:
        calc(rule, given)
    assert field in refused.value.fields


def test_a_job_takes_every_shape_by_its_rule() -> None:
    """By hand: 16 m2 at 20 mm are 0.32 m3, three steps 0.36 m3; the wall of ten m2 takes 0.145 m3 of mortar."""
    needs = [
        {"shape": "coat-volume", "area_m2": 20, "openings_m2": 4, "coats_mm": [10, 10]},
        {"shape": "stairs-volume", "width_m": 1, "going_m": 0.3, "rise_m": 0.2, "steps": 3},
        {"shape": "unit-masonry-mortar", "wall_area_m2": 10, "unit_length_mm": 190, "unit_height_mm": 90,
         "unit_width_mm": 100, "joint_mm": 10},
    ]  # fmt: skip
    assert plan(need=needs).volume.net_m3 == pytest.approx(0.32 + 0.36 + 0.145)
