"""What is bought covers what is needed, by no more than a bag or a tenth of a tonne."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.shopping import ready_mixed, shopping


@given(
    st.lists(st.floats(0.1, 500), min_size=1, max_size=8),
    st.floats(0, 800),
    st.sampled_from([20.0, 25.0, 42.6]),
)
def test_enough_and_not_a_bag_more(loads: list[float], on_hand: float, bag: float) -> None:
    needed = sum(loads)
    found = shopping(
        loads=[{"cement": mass, "sand": mass} for mass in loads],
        bag_kg={"cement": bag},
        on_hand_kg={"cement": on_hand, "sand": on_hand},
    )
    short = max(needed - on_hand, 0.0)
    assert short - 1e-6 <= found.buy["cement"].kg < short + bag
    assert short - 1e-6 <= found.buy["sand"].kg < short + 100
    for name in ("cement", "sand"):
        over = found.leftover_kg[name] - found.short_kg.get(name, 0.0)
        assert over == pytest.approx(on_hand + found.buy[name].kg - needed)
    assert found.cost is None


def test_a_hundredth_short_is_near_enough() -> None:
    """200.1 kg are 8 bags of 25, a tenth of a kilogram short; 202.5 kg are 9."""
    found = shopping(loads=[{"cement": 200.1}], bag_kg={"cement": 25}, near_enough_fraction=0.01)
    assert (found.buy["cement"].bags, found.short_kg) == (8, {"cement": pytest.approx(0.1)})
    for mass_kg, near, bags in ((202.5, 0.01, 9), (200.1, 0.0, 9)):
        found = shopping(loads=[{"cement": mass_kg}], bag_kg={"cement": 25}, near_enough_fraction=near)
        assert found.buy["cement"].bags == bags


def test_what_has_no_price_is_said_and_a_wrong_name_refused() -> None:
    found = shopping(loads=[{"cement": 30, "sand": 90}], bag_kg={"cement": 25}, price_per_bag={"cement": 7})
    assert found.cost == 14
    assert [(warning.code, "sand" in warning.message) for warning in found.warnings] == [("no_price", True)]
    with pytest.raises(InputError) as refused:
        shopping(loads=[{"cement": 30}], bag_kg={"lime": 20})
    assert refused.value.fields == ["bag_kg.lime"]


@given(
    st.floats(0.01, 20),
    st.floats(1, 60),
    st.floats(0.1, 50),
    st.floats(0, 8),
    st.floats(0, 300),
    st.sampled_from([0.25, 0.5, 1.0]),
)
def test_ready_mixed_makes_what_is_ordered_and_no_more_than_one_over(
    order_m3: float, yield_l: float, price: float, least_m3: float, per_m3: float, step_m3: float
) -> None:
    """Whatever is bought makes the order; a bag fewer, or a step less of a truck past its least, would not."""
    found = ready_mixed(
        order_m3=order_m3, own_cost=10, own_hours=2, people=2, wage_per_hour=15,
        packs=[{"name": "bag", "yield_l": yield_l, "price": price, "work_min": 0}],
        truck={"price_per_m3": per_m3, "least_m3": least_m3, "step_m3": step_m3, "work_min": 0},
    )  # fmt: skip
    made_m3 = {name: order_m3 + waste for name, waste in found.waste_m3.items()}
    assert found.cost["own"] == pytest.approx(10 + 2 * 2 * 15)
    assert made_m3["bag"] >= order_m3 * (1 - 1e-6)
    assert found.waste_m3["bag"] < yield_l / 1000 * (1 + 1e-6)
    assert found.cost["bag"] == pytest.approx(round(found.number["bag"]) * price)
    assert made_m3["truck"] >= max(order_m3, least_m3) * (1 - 1e-6)
    assert made_m3["truck"] <= max(order_m3 + step_m3, least_m3) + 1e-6
    assert found.cost["truck"] == pytest.approx(made_m3["truck"] * per_m3)
    assert found.cost[found.cheapest] == min(found.cost.values())


def test_two_packs_of_one_name_are_told_apart() -> None:
    pack = {"name": "bag", "yield_l": 12, "price": 5}
    with pytest.raises(InputError, match="its own name") as fault:
        ready_mixed(order_m3=1, own_cost=0, own_hours=0, packs=[pack, pack])
    assert fault.value.fields == ["packs.1.name"]
