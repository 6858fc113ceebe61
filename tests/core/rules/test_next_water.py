"""The water that learns, on simulated days with the truth known (stockpile_days.py), and what it must not take up."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from stockpile_days import SCENARIOS, score

from keeve.core.rules.next_water import NextWater, next_water

# A thousand days each, asked before every load, are run by hand (python tests/stockpile_days.py 1000). Here fewer
# days and loads, with as much more room in the bounds.
DAYS, AFTER = 150, (1, 3, 6, 10, 14, 19)


def after(*loads: dict[str, Any], absorption: float = 0.0) -> NextWater:
    whole = [{"added_l": 8.0, "dry_aggregate_kg": 80.0, "judged": "right", **load} for load in loads]
    return next_water(
        history=whole, target_water_kg=12.0, dry_aggregate_kg=80.0, absorption_fraction=absorption
    )


@pytest.mark.parametrize("scenario", SCENARIOS)
def test_the_next_start_is_nearer_than_the_last_total_and_its_band_holds(scenario: str) -> None:
    found = score(scenario, DAYS, AFTER, seed=1)
    assert found.over_last <= 1.05
    if scenario in ("base", "rain", "delivery", "fast drying"):
        assert found.over_last < 0.75
        assert found.over_first < 0.5
    assert 0.72 <= found.coverage <= 0.90


def test_the_stockpile_is_learned_from_what_was_added() -> None:
    """12 kg wanted in 80; 9 L added each time: the stockpile brings 3 kg, 3.75 %."""
    found = after(*[{"added_l": 9.0}] * 12)
    assert found.free_moisture_fraction == pytest.approx(0.0375, abs=0.002)
    assert found.start_l == pytest.approx(9.0, abs=0.15)
    assert found.low_l < found.start_l < found.high_l
    assert found.last_total_l == 9.0
    drying = after(*[{"added_l": 7.0 + 0.2 * number} for number in range(10)])
    assert drying.start_l > drying.last_total_l - 0.1


def test_a_dry_load_wanted_more_and_a_wet_one_less() -> None:
    dry, right, wet = (after({"judged": judged}).start_l for judged in ("dry", "right", "wet"))
    assert wet < right < dry


def test_an_unmixed_reading_counts_for_nothing() -> None:
    with_it = after({}, {"judged": "unmixed", "added_l": 3.0}, {})
    without = after({}, {"judged": "unmixed", "added_l": 12.0}, {})
    assert with_it == without
    assert after({"added_l": 9.0}, {"judged": "unmixed", "added_l": 0.0, "reset": "rain"}).last_total_l == 9.0


def test_a_load_of_another_mix_from_the_stockpile_teaches_the_same() -> None:
    """4 % in both: 12 kg of 80 wanted leaves 8.8 L to add, 9 kg of 60 leaves 6.6, and 18 kg of 80 leaves 14.8."""
    same = after(*[{"added_l": 8.8}] * 6)
    smaller = after(*[{"added_l": 6.6, "dry_aggregate_kg": 60.0}] * 6)
    wetter = after(*[{"added_l": 14.8, "target_water_kg": 18.0}] * 6)
    assert smaller.start_l == pytest.approx(same.start_l)
    assert wetter.free_moisture_fraction == pytest.approx(0.04, abs=0.003)
    assert [round(each.seen_fraction or 0, 9) for each in wetter.path] == [0.04] * 6


def test_rain_widens_the_band_and_a_pan_test_narrows_it_less_what_is_absorbed() -> None:
    calm, rained = after(*[{}] * 6), after(*[{}] * 6, {"judged": "unmixed", "reset": "rain"})
    assert rained.sd_fraction > 2 * calm.sd_fraction
    panned = after({"judged": "unmixed", "pan_moisture_fraction": 0.08}, absorption=0.01)
    assert panned.free_moisture_fraction == pytest.approx(0.07, abs=0.004)
    assert panned.sd_fraction < 0.012


@given(
    st.lists(st.tuples(st.floats(0, 20), st.sampled_from(["dry", "right", "wet", "unmixed"])), max_size=12)
)
def test_the_start_is_never_under_nothing_and_scales_with_the_load(loads: list[tuple[float, str]]) -> None:
    history = [{"added_l": added, "dry_aggregate_kg": 80.0, "judged": judged} for added, judged in loads]
    one = next_water(history=history, target_water_kg=12.0, dry_aggregate_kg=80.0)
    two = next_water(history=history, target_water_kg=24.0, dry_aggregate_kg=160.0)
    assert 0 <= one.low_l <= one.start_l <= one.high_l
    assert (two.low_l, two.start_l, two.high_l) == pytest.approx(
        (2 * one.low_l, 2 * one.start_l, 2 * one.high_l)
    )
    assert not one.warnings or one.start_l == 0
