"""Splitting an order into loads."""

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.load_sizes import WholeBags, split_loads


@given(st.floats(0.001, 50), st.floats(20, 500))
def test_equal_loads_sum_to_the_order_and_fit(order_m3: float, working_l: float) -> None:
    found = split_loads(order_m3=order_m3, mixer_working_l=working_l)
    volumes = [load.volume_m3 for load in found.loads]
    assert math.fsum(volumes) == pytest.approx(order_m3)
    assert max(volumes) <= working_l / 1000 * (1 + 1e-8)
    assert len(volumes) == 1 or (len(volumes) - 1) * working_l / 1000 < order_m3
    assert [load.number for load in found.loads] == list(range(1, len(volumes) + 1))


@given(st.floats(0.05, 10), st.floats(30, 300), st.sampled_from([20.0, 25.0, 42.64]), st.floats(150, 500))
def test_whole_bags_but_in_the_remainder(
    order_m3: float, working_l: float, bag_kg: float, binder: float
) -> None:
    assume(bag_kg / binder / 4 <= working_l / 1000)
    found = split_loads(
        order_m3=order_m3, mixer_working_l=working_l, whole_bags=WholeBags(bag_kg=bag_kg, binder_kg_m3=binder)
    )
    bags = [load.bags or 0.0 for load in found.loads]
    *whole, last = bags
    assert math.fsum(load.volume_m3 for load in found.loads) == pytest.approx(order_m3)
    assert all(count % 0.25 == 0 for count in whole)
    # Spread evenly: no load is more than a bag larger than another, but for the crumb of the last.
    assert max(bags) - min(whole, default=last) <= 1
    assert max(bags) - last <= 1 + 1e-9
    assert all(load.volume_m3 <= working_l / 1000 * (1 + 1e-8) for load in found.loads)
    assert found.limit == "bag"


@given(st.floats(0.005, 20), st.floats(20, 500), st.sampled_from([None, 10.0, 25.0]))
def test_no_load_is_made_for_a_hundredth(order_m3: float, working_l: float, bag_kg: float | None) -> None:
    """A drum is full within a hundredth, and less than a hundredth of the order is left out; fewer would not do."""
    bags = WholeBags(bag_kg=bag_kg, binder_kg_m3=400) if bag_kg else None
    found = split_loads(
        order_m3=order_m3, mixer_working_l=working_l, whole_bags=bags, near_enough_fraction=0.01
    )
    made_m3 = math.fsum(load.volume_m3 for load in found.loads)
    assert 0.99 * order_m3 * (1 - 1e-9) <= made_m3 <= order_m3 * (1 + 1e-9)
    assert max(load.volume_m3 for load in found.loads) <= working_l / 1000 / 0.99 * (1 + 1e-8)
    most_m3 = working_l / 1000
    if bag_kg:
        part = next(part for part in (1, 0.5, 0.25) if most_m3 * 400 / bag_kg / part >= 1 - 1e-9)
        most_m3 = math.floor(most_m3 * 400 / bag_kg / part + 1e-9) * part * bag_kg / 400
    assert len(found.loads) == 1 or (len(found.loads) - 1) * most_m3 < 0.99 * order_m3


def test_bags_by_hand() -> None:
    """25 kg at 250 kg a m3 make 100 L: four fit a barrow of 330 L three at a time; 2.001 bags are one load of two."""
    bags = WholeBags(bag_kg=25, binder_kg_m3=250)
    for order_m3, working_l, counts in (
        (0.4, 330, [2, 2]),
        (0.2001, 210, [2]),
        (1.0, 330, [3, 3, 2, 2]),
        (0.26, 210, [1, 1.6]),
    ):
        found = split_loads(
            order_m3=order_m3, mixer_working_l=working_l, whole_bags=bags, near_enough_fraction=0.01
        )
        assert [load.bags for load in found.loads] == pytest.approx(counts)


@pytest.mark.parametrize(("working_l", "each"), [(200, 2), (90, 1), (70, 0.5), (25, 0.25)])
def test_bags_a_load_by_hand(working_l: float, each: float) -> None:
    """A 25 kg bag at 315 kg a m3 makes 79.4 L: two fit 200 L, one 90 L, a half 70 L, a quarter 25 L."""
    found = split_loads(
        order_m3=1, mixer_working_l=working_l, whole_bags=WholeBags(bag_kg=25, binder_kg_m3=315)
    )
    assert found.loads[0].bags == each


@pytest.mark.parametrize(
    ("change", "limit", "loads"),
    [
        ({}, "mixer", 10),
        ({"life_min": 60, "cycle_min": 10, "placing_m3_h": 0.06}, "life", 20),
        ({"cycle_min": 10, "placing_m3_h": 0.15, "keep_pace": True}, "crew", 40),
    ],
)
def test_the_smallest_cap_limits(change: dict[str, float], limit: str, loads: int) -> None:
    """1 m3: 100 L by the mixer; 0.06 · 50 / 60 = 50 L by life; 0.15 · 10 / 60 = 25 L by the crew."""
    found = split_loads(order_m3=1, mixer_working_l=100, **change)  # type: ignore[arg-type]
    assert (found.limit, len(found.loads)) == (limit, loads)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"life_min": 10, "cycle_min": 10, "placing_m3_h": 1}, "life_min"),
        ({"keep_pace": True}, "placing_m3_h"),
        ({"whole_bags": WholeBags(bag_kg=25, binder_kg_m3=10)}, "whole_bags.bag_kg"),
        ({"order_m3": 1e6}, "order_m3"),
    ],
)
def test_splits_that_cannot_be(change: dict[str, object], field: str) -> None:
    with pytest.raises(InputError) as refused:
        split_loads(**{"order_m3": 1, "mixer_working_l": 100, **change})  # type: ignore[arg-type]
    assert field in refused.value.fields
