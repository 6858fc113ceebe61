"""Gypsum in time: its clock, and how a cast dries."""

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.stats import linregress

from keeve.core.errors import InputError
from keeve.core.rules.gypsum_time import Weighing, plaster_clock, plaster_drying

REFERENCE = {"water_per_100": 70.0, "water_c": 21.0, "batch_kg": 2.3, "mixing_min": 2.0}


def test_the_reference_clock() -> None:
    """70 : 100 at 21 °C (common practice, no source): pour at 10, thickening at 12, hard at 20, hottest at 30 min."""
    found = plaster_clock(**REFERENCE)
    names = ("soak", "mix", "pour", "thickening", "hard", "strip")
    assert [found.starts(name) for name in names] == [1, 4.5, 10, 12, 20, 30]
    assert found.factor == 1


def test_the_soak_goes_by_size() -> None:
    small = plaster_clock(**{**REFERENCE, "batch_kg": 2.2})
    assert small.starts("mix") == 2


@pytest.mark.parametrize(
    ("change", "slower"),
    [
        ({"water_per_100": 80.0}, True),
        ({"water_c": 11.0}, True),
        ({"age_factor": 1.2}, True),
        ({"batch_kg": 23.0}, False),
        ({"mixing_min": 4.0}, False),
        ({"water_c": 29.0}, False),
    ],
)
def test_what_slows_and_what_hastens(change: dict[str, float], slower: bool) -> None:
    found = plaster_clock(**{**REFERENCE, **change})
    assert (found.factor > 1) == slower
    assert found.starts("strip") == pytest.approx(30 * found.factor)


def test_ten_degrees_colder_is_a_factor_of_1_4() -> None:
    assert plaster_clock(**{**REFERENCE, "water_c": 11.0}).factor == pytest.approx(1.4)


@given(st.floats(40, 110), st.floats(0, 40), st.floats(0.05, 60), st.floats(0.5, 10), st.floats(0.5, 2))
def test_stages_follow_each_other(
    per_100: float, water_c: float, batch_kg: float, mixing_min: float, age: float
) -> None:
    found = plaster_clock(
        water_per_100=per_100, water_c=water_c, batch_kg=batch_kg, mixing_min=mixing_min, age_factor=age
    )
    starts = [stage.from_min for stage in found.stages]
    ends = [stage.to_min for stage in found.stages]
    assert ends[:-1] == starts[1:]
    assert ends[-1] is None
    thickens = found.starts("pour") >= 12 * found.factor
    assert thickens == ("thickens_in_bucket" in [item.code for item in found.warnings])
    if not thickens:
        assert starts == sorted(starts)


def test_hot_water_is_refused_and_warm_warned_of() -> None:
    with pytest.raises(InputError, match="cool water"):
        plaster_clock(**{**REFERENCE, "water_c": 41.0})
    assert [item.code for item in plaster_clock(**{**REFERENCE, "water_c": 31.0}).warnings] == ["warm_water"]


@given(st.floats(1, 50), st.floats(1.1, 1.9), st.floats(0.05, 2), st.integers(3, 12))
def test_a_cast_that_loses_its_share_each_day_is_dry_when_it_says(
    dry_kg: float, wet: float, rate: float, count: int
) -> None:
    weighings = [
        Weighing(day=float(day), kg=dry_kg * (1 + (wet - 1) * np.exp(-rate * day))) for day in range(count)
    ]
    weighings = [item for item in weighings if item.kg > dry_kg * 1.0001]
    assume(len(weighings) >= 3)
    found = plaster_drying(weighings=weighings, dry_kg=dry_kg)
    assert found.ready_day == pytest.approx(np.log((wet - 1) / 0.005) / rate, rel=1e-4)
    assert found.ready_day_sd == pytest.approx(0, abs=1e-3)


def test_the_fit_is_that_of_the_reference_library() -> None:
    days = np.array([0.0, 1.0, 2.2, 3.9, 5.0])
    kilograms = np.array([17.0, 15.6, 14.1, 13.2, 12.7])
    line = linregress(days, np.log(kilograms - 11.862))
    found = plaster_drying(
        weighings=[Weighing(day=day, kg=kg) for day, kg in zip(days, kilograms, strict=True)], dry_kg=11.862
    )
    ready = (np.log(0.005 * 11.862) - line.intercept) / line.slope
    assert found.ready_day == pytest.approx(ready)
    # The standard deviation of the line at that day, over its slope.
    at_ready = np.hypot(line.intercept_stderr, 0) ** 2 + ready**2 * line.stderr**2
    at_ready -= 2 * ready * days.mean() * line.stderr**2
    assert found.ready_day_sd == pytest.approx(np.sqrt(at_ready) / -line.slope)


@pytest.mark.parametrize("kilograms", [[18.0], [18.0, 17.0], [17.0, 17.5, 18.0], [10.0, 9.9, 10.0]])
def test_nothing_is_foretold_without_three_that_fall(kilograms: list[float]) -> None:
    weighings = [Weighing(day=float(day), kg=kg) for day, kg in enumerate(kilograms)]
    found = plaster_drying(weighings=weighings, dry_kg=10.0)
    assert found.ready_day is None
    assert found.ready_day_sd is None
