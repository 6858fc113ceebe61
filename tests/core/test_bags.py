"""Mixes by the bag: the label rules."""

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.bags import bagged
from keeve.core.errors import InputError

LABEL = {"bag_kg": 25.0, "yield_l": 12.0, "water_start_l": 1.5, "water_min_l": 1.75, "water_max_l": 2.5}
MIX = {"mix": "concrete-bagged", "vessels": [], "mixer": {"kind": "tilting-drum", "working_l": 90}}


@given(st.floats(0.001, 5), st.floats(5, 30), st.sampled_from([1.0, 0.5, 0.25]))
def test_bags_make_at_least_what_is_wanted_and_less_than_a_part_more(
    target: float, bag_yield: float, part: float
) -> None:
    found = bagged(
        bag_kg=25, bag_yield_l=bag_yield, water_start_l=1.5, water_min_l=1.75, water_max_l=2.5,
        target_m3=target, part_fraction=part,
    )  # fmt: skip
    assert found.yield_l >= target * 1000 * (1 - 1e-9)
    assert found.yield_l - target * 1000 < part * bag_yield
    assert found.bags % part == 0
    assert found.water_l.max == pytest.approx(2.5 * found.bags)


def test_the_typical_label() -> None:
    """A single recorded label: 27 kg take 1.9 L, never above 3.3 (common practice, no source)."""
    found = bagged(
        bag_kg=27, bag_yield_l=13, water_start_l=1.9, water_min_l=1.9, water_max_l=3.3, target_m3=0.026
    )
    assert (found.bags, found.water_l.start, found.water_l.max) == (2, 3.8, 6.6)


def test_a_plan_by_the_bag_is_whole_bags_with_the_labels_water() -> None:
    """0.25 m3 and a tenth is 275 L: 22.9 bags of 12 L, so 23; seven (84 L) fit a 90 L drum, the last takes two."""
    found = plan(**MIX, materials={"bag": LABEL})
    assert found.volume.order_m3 == pytest.approx(0.276)
    bags = [load.charge("bag").vessels[0].count for load in found.loads]
    assert bags == pytest.approx([7, 7, 7, 2])
    first = found.loads[0]
    assert first.charge("bag").mass_kg == pytest.approx(175)
    water = first.water
    assert (water.start_l, water.min_l, water.target_l, water.ceiling_l) == pytest.approx(
        (10.5, 12.25, 14.875, 17.5)
    )
    assert [(item.material, item.bags) for item in found.shopping] == [("bag", 23)]


def test_needs_in_bags_and_a_label_that_is_missing_or_wrong() -> None:
    assert plan(**MIX, materials={"bag": LABEL}, need={"bags": 6}).shopping[0].bags == 6
    with pytest.raises(InputError, match="read the label") as refused:
        plan(**MIX, materials={"bag": {"bag_kg": 25}})
    assert refused.value.fields == [
        f"materials.bag.{name}" for name in ("yield_l", "water_start_l", "water_min_l", "water_max_l")
    ]
    with pytest.raises(InputError) as refused:
        plan(**MIX, materials={"bag": {**LABEL, "water_min_l": 3.0}})
    assert "water_min_l" in refused.value.fields
    with pytest.raises(InputError, match="halved or quartered"):
        bagged(
            bag_kg=25,
            bag_yield_l=12,
            water_start_l=1,
            water_min_l=1,
            water_max_l=2,
            target_m3=1,
            part_fraction=0.3,
        )
