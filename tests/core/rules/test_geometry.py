"""Shapes, against independent geometry."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.geometry import cylinder_volume, order_volume, post_hole_volume, slab_volume

lengths = st.floats(0.01, 100)


@given(lengths, lengths, lengths, st.floats(0.1, 10))
def test_volume_goes_with_the_cube_of_the_scale(length: float, width: float, height: float, k: float) -> None:
    one = slab_volume(length_m=length, width_m=width, thickness_m=height).volume_m3
    scaled = slab_volume(length_m=k * length, width_m=k * width, thickness_m=k * height).volume_m3
    assert scaled == pytest.approx(k**3 * one)


@given(lengths, lengths)
def test_cylinder_is_its_slices(diameter: float, height: float) -> None:
    """Summed from 2000 strips under the circle: the chord at x is 2 √(r² − x²)."""
    radius, strips = diameter / 2, 2000
    middles = (-radius + (index + 0.5) * diameter / strips for index in range(strips))
    area = sum(2 * math.sqrt(radius**2 - x**2) for x in middles) * diameter / strips
    assert cylinder_volume(diameter_m=diameter, height_m=height).volume_m3 == pytest.approx(
        area * height, rel=1e-4
    )


@given(lengths, lengths, st.floats(0, 1))
def test_post_hole_and_post_make_the_hole(diameter: float, depth: float, share: float) -> None:
    side = diameter / 2
    around = post_hole_volume(
        hole_diameter_m=diameter,
        hole_depth_m=depth,
        post_width_m=side,
        post_thickness_m=side,
        embedment_m=share * depth,
    ).volume_m3
    hole = cylinder_volume(diameter_m=diameter, height_m=depth).volume_m3
    assert around + side * side * share * depth == pytest.approx(hole)


@pytest.mark.parametrize(
    ("change", "field"), [({"embedment_m": 0.7}, "embedment_m"), ({"post_width_m": 0.3}, "post_width_m")]
)
def test_a_post_that_cannot_be(change: dict[str, float], field: str) -> None:
    sizes = {"hole_diameter_m": 0.3, "hole_depth_m": 0.6, "post_width_m": 0.1, "post_thickness_m": 0.1}
    with pytest.raises(InputError) as refused:
        post_hole_volume(**{**sizes, "embedment_m": 0.5, **change})
    assert field in refused.value.fields


def test_waste_is_a_tenth_unless_said() -> None:
    ordered = order_volume(net_m3=2.0)
    assert ordered.order_m3 == pytest.approx(2.2)
    assert ordered.assumed == {"waste_fraction": 0.10}
