"""Control charts: two worked examples of the handbook, a plain loop beside each, and how often chance alone is seen."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.control_chart import control_chart

# Montgomery, example of the individuals chart, viscosity of aircraft primer paint (memory).
VISCOSITY = [
    33.75,
    33.05,
    34.00,
    33.81,
    33.46,
    34.02,
    33.68,
    33.27,
    33.49,
    33.20,
    33.62,
    33.00,
    33.54,
    33.12,
    33.84,
]
# Montgomery, example of the tabular CUSUM: twenty values of mean 10, then ten of mean 11, sigma 1 (memory).
CUSUM = [
    9.45, 7.99, 9.29, 11.66, 12.16, 10.18, 8.04, 11.46, 9.20, 10.34, 9.03, 11.47, 10.51, 9.40, 10.08, 9.37, 10.62,
    10.31, 8.52, 10.84, 10.90, 9.33, 12.29, 11.50, 10.60, 11.08, 10.38, 11.62, 11.31, 10.52,
]  # fmt: skip


def test_the_individuals_chart_of_the_handbook() -> None:
    chart = control_chart(VISCOSITY)
    # The handbook rounds the mean to 33.52 and the mean moving range to 0.48: limits 34.80 and 32.24, range 1.57.
    assert chart.centre == pytest.approx(33.52, abs=0.005)
    assert np.mean(chart.moving_ranges) == pytest.approx(0.48, abs=0.005)
    assert (chart.limits.upper, chart.limits.lower) == pytest.approx((34.80, 32.24), abs=0.01)
    assert chart.range_limit == pytest.approx(1.57, abs=0.01)
    assert chart.signals == []


def test_the_cusum_of_the_handbook() -> None:
    chart = control_chart(CUSUM, target=10.0, sigma=1.0)
    # The handbook: C+ of period 29 is 5.28, over 5, and has grown for seven periods; it ends at 5.30.
    assert (chart.sums_up[28], chart.sums_up[29]) == pytest.approx((5.28, 5.30), abs=0.005)
    drift = [signal for signal in chart.signals if signal.kind == "drift-up"]
    assert [(signal.index, signal.since) for signal in drift] == [(28, 22)]
    assert [signal for signal in chart.signals if signal.kind == "drift-down"] == []


VALUES = st.lists(st.floats(-50, 50), min_size=2, max_size=60).filter(
    lambda values: max(values) - min(values) > 1e-3
)


@given(VALUES)
def test_the_chart_is_what_a_plain_loop_makes_of_it(values: list[float]) -> None:
    chart, x = control_chart(values), np.array(values)
    ranges = np.abs(np.diff(x))
    sigma = ranges.mean() / 1.128
    assert chart.centre == pytest.approx(x.mean(), abs=1e-9)
    assert chart.limits.upper - chart.limits.lower == pytest.approx(2 * 2.66 * ranges.mean(), abs=1e-9)
    outside = np.flatnonzero((x > chart.limits.upper) | (x < chart.limits.lower))
    assert [one.index for one in chart.signals if one.kind in ("above", "below")] == list(outside)
    jumps = np.flatnonzero(ranges > chart.range_limit) + 1
    assert [one.index for one in chart.signals if one.kind == "jump"] == list(jumps)
    high = low = 0.0
    for index, value in enumerate(values):
        high = max(0.0, value - (chart.centre + sigma / 2) + high)
        low = max(0.0, (chart.centre - sigma / 2) - value + low)
        assert (chart.sums_up[index], chart.sums_down[index]) == pytest.approx((high, low), abs=1e-8)
    for one in chart.signals:
        if one.kind.startswith("drift"):
            sums = chart.sums_up if one.kind == "drift-up" else chart.sums_down
            assert sums[one.index] > 5 * chart.sigma
            assert all(total > 0 for total in sums[one.since : one.index + 1])


@given(VALUES, st.floats(-20, 20), st.floats(0.1, 9))
def test_the_unit_of_the_values_does_not_matter(values: list[float], shift: float, scale: float) -> None:
    one, other = control_chart(values), control_chart([shift + scale * value for value in values])
    assert other.centre == pytest.approx(shift + scale * one.centre, abs=1e-6)
    assert other.sigma == pytest.approx(scale * one.sigma, abs=1e-6)


def test_chance_alone_is_seldom_seen_and_a_shift_soon() -> None:
    """Montgomery (memory): with k 0.5 and h 5 chance is seen once in 465 values, a shift of one sigma after 10.4."""
    rng = np.random.default_rng(3)
    runs = [first_signal(rng.normal(0, 1, 4000)) for _ in range(150)]
    assert np.mean(runs) == pytest.approx(465, rel=0.2)
    shifted = [first_signal(rng.normal(1, 1, 200)) for _ in range(300)]
    assert np.mean(shifted) == pytest.approx(10.4, rel=0.08)


@pytest.mark.parametrize("count", [20, 465])
def test_a_series_calls_as_seldom_as_it_is_asked_to(count: int) -> None:
    """With centre and spread known: any signal in at most so many good series, and not in far fewer."""
    rng = np.random.default_rng(count)
    series = rng.normal(0, 1, (1500, count))
    called = [
        bool(
            control_chart(list(map(float, values)), target=0.0, sigma=1.0, false_alarms_fraction=0.1).signals
        )
        for values in series
    ]
    assert 0.05 < np.mean(called) < 0.1 + 3 * np.sqrt(0.09 / 1500)


def first_signal(values: np.ndarray) -> int:
    chart = control_chart([float(value) for value in values], target=0.0, sigma=1.0)
    drifts = [one.index for one in chart.signals if one.kind.startswith("drift")]
    return drifts[0] + 1 if drifts else len(values)


def test_where_nothing_differs_there_is_nothing_to_chart() -> None:
    with pytest.raises(InputError):
        control_chart([3.0, 3.0, 3.0])
