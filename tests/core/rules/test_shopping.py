"""What is bought covers what is needed, by no more than a bag or a tenth of a tonne."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.shopping import shopping


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
