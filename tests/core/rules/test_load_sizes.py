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
    *whole, _ = found.loads
    assert math.fsum(load.volume_m3 for load in found.loads) == pytest.approx(order_m3)
    assert all(load.bags is not None and load.bags % 0.25 == 0 for load in whole)
    assert all(load.volume_m3 <= working_l / 1000 * (1 + 1e-8) for load in found.loads)
    assert found.limit == "bag"


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
