"""Temperature and life against handbook figures, a steam table and a hand-worked Arrhenius law."""

import math
import warnings

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.temperature import cooling_plan, mix_temperature, working_life

# The check of ACI 305R's formula (from memory): a hot day's concrete, kg and °C.
HOT = {
    "aggregate_kg": 1800.0,
    "cement_kg": 350.0,
    "aggregate_water_kg": 20.0,
    "aggregate_c": 32.0,
    "cement_c": 50.0,
    "water_c": 25.0,
}


def test_a_hot_mix_and_ice_in_it() -> None:
    assert mix_temperature(**HOT, water_kg=160.0).mix_c == pytest.approx(32.41, abs=0.005)
    assert mix_temperature(**HOT, water_kg=110.0, ice_kg=50.0).mix_c == pytest.approx(24.38, abs=0.005)


def test_ice_takes_the_heat_that_a_steam_table_says() -> None:
    """The reference library iapws: water and ice at the melting point, kJ/kg; 4.186 kJ to a kcal."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from iapws import IAPWS95, _iapws

        fusion = IAPWS95(T=273.152519, P=0.101325).h - _iapws._Ice(273.152518, 0.101325)["h"]
    assert fusion == pytest.approx(333.4, abs=0.2)
    water_c = 30.0
    melted = mix_temperature(
        aggregate_kg=0.0,
        cement_kg=0.0,
        water_kg=9.0,
        ice_kg=1.0,
        aggregate_c=20.0,
        cement_c=20.0,
        water_c=water_c,
    ).mix_c
    assert (water_c * 9.0 - melted * 10.0) * 4.186 == pytest.approx(fusion, rel=0.005)


@given(st.floats(0, 45), st.floats(5, 60), st.floats(2, 35), st.floats(5, 30), st.floats(100, 220))
def test_what_a_cooling_plan_promises_is_what_it_gives(
    aggregate_c: float, cement_c: float, water_c: float, target_c: float, water_kg: float
) -> None:
    day = {**HOT, "aggregate_c": aggregate_c, "cement_c": cement_c, "water_c": water_c}
    found = cooling_plan(**day, water_kg=water_kg, target_c=target_c)
    again = mix_temperature(
        **{**day, "water_c": found.water_c}, water_kg=water_kg - found.ice_kg, ice_kg=found.ice_kg
    )
    assert again.mix_c == pytest.approx(found.mix_c, abs=1e-6)
    assert found.feasible == (found.mix_c <= target_c + 1e-6)
    assert 0 <= found.ice_kg <= 0.75 * water_kg + 1e-9
    assert min(5.0, water_c) - 1e-9 <= found.water_c <= water_c + 1e-9
    if found.ice_kg:
        assert found.water_c == pytest.approx(min(5.0, water_c))


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"aggregate_c": -1.0}, "aggregate_c"),
        ({"ice_kg": 900.0}, "ice_kg"),
        ({"aggregate_kg": 0.0, "cement_kg": 0.0, "water_kg": 0.0, "aggregate_water_kg": 0.0}, "water_kg"),
    ],
)
def test_mixes_that_cannot_be(change: dict[str, float], field: str) -> None:
    with pytest.raises(InputError) as refused:
        mix_temperature(**{**HOT, "water_kg": 160.0, **change})
    assert refused.value.fields == [field]


def test_life_runs_faster_in_the_heat_and_never_past_one_and_a_half() -> None:
    """By hand from Freiesleben Hansen and Pedersen (from memory): E/R = 4029.3 K above 20 °C."""
    assert working_life(life_min_at_20c=120.0, mix_c=20.0).life_min == pytest.approx(120.0)
    for mix_c, speed in ((25.0, 1.259), (30.0, 1.574), (35.0, 1.952)):
        assert math.exp(4029.3 * (1 / 293.15 - 1 / (mix_c + 273.15))) == pytest.approx(speed, rel=1e-3)
        assert working_life(life_min_at_20c=120.0, mix_c=mix_c).life_min == pytest.approx(
            120 / speed, rel=1e-3
        )
    # At 15 °C: E = 33 500 + 1470 · 5 = 40 850; 40 850 / 8.314 · (1/293.15 − 1/288.15) = −0.2908.
    assert working_life(life_min_at_20c=60.0, mix_c=15.0).life_min == pytest.approx(
        60 * math.exp(0.2908), rel=1e-3
    )
    assert working_life(life_min_at_20c=60.0, mix_c=3.0).life_min == pytest.approx(90.0)
