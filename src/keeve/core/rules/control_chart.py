"""Control charts: whether what one load differs from the last is chance, or something changed."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from math import exp, sqrt
from statistics import NormalDist, fmean
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import Dimension, Example, Result, Signed, Strict, published, rule

_MOST = 10_000
# Three standard deviations of single values by their mean moving range (3/1.128), and of the range (D4 of two).
_LIMITS, _D2, _RANGE_LIMIT = 2.66, 1.128, 3.267
# CUSUM: the slack and the decision interval, in standard deviations.
_SLACK, _DECISION = 0.5, 5.0
# By Siegmund a CUSUM behaves as one whose decision interval is so much wider; and how often its root is drawn nearer.
_SIEGMUND, _STEPS = 1.166, 20
SignalKind = Literal["above", "below", "jump", "drift-up", "drift-down"]


class Limits(Strict):
    """Between these values chance alone keeps nearly every one."""

    lower: float
    upper: float


class Signal(Strict):
    """A sign that something changed, at a value (from 0).

    ``kind``: the value is ``above`` or ``below`` the limits; it is a ``jump`` from the one before; many values in a
    row, since ``since``, add up to a ``drift-up`` or ``drift-down``.
    """

    index: int
    kind: SignalKind
    since: int


class ControlChart(Result):
    """Centre, limits and signals of values in order; and of what they were worked out."""

    centre: float
    limits: Limits
    signals: list[Signal]
    sigma: float
    moving_ranges: list[float]
    range_limit: float
    sums_up: list[float]
    sums_down: list[float]
    sum_limit: float


@rule(
    "control-chart",
    formula="mean ± 2.66 · mean moving range; CUSUM with k = 0.5 σ, h = 5 σ, σ = mean moving range / 1.128",
    math=(
        r"\bar x \pm 2.66 \, \overline{MR} \qquad \hat\sigma = \frac{\overline{MR}}{1.128} \qquad "
        r"C_i^+ = \max(0, \; x_i - \bar x - 0.5 \hat\sigma + C_{i-1}^+) > 5 \hat\sigma"
    ),
    sources=[
        published(
            "Montgomery, Introduction to Statistical Quality Control: individuals chart, tabular CUSUM, its run length"
        )
    ],
    example=Example(
        given={"values": [10.0, 12.0, 11.0, 13.0, 12.0]},
        gives={"centre": 11.6, "range_limit": 4.9005, "sigma": 1.3297872340425532},
        origin="by hand: mean 58/5; ranges 2, 1, 2, 1 have mean 1.5; 1.5 · 3.267 and 1.5 / 1.128",
    ),
)
def control_chart(
    values: Annotated[list[Signed], Field(min_length=2, max_length=_MOST)],
    target: Signed | None = None,
    sigma: Dimension | None = None,
    false_alarms_fraction: Annotated[float, Field(gt=0, le=0.5)] | None = None,
) -> ControlChart:
    """Finds values in a series that differ by more than chance.

    Args:
        values: the values in order, two or more.
        target: what they should be. Blank: their average.
        sigma: their standard deviation, if known. Blank: from the steps between them.
        false_alarms_fraction: the chance that so many values show a signal where nothing changed. Blank: the limits of
            the handbook, which grow more likely to be passed with every value.

    Returns:
        centre, limits with lower and upper, signals (each with index from 0, kind and since); sigma, moving_ranges
        with range_limit, and the sums of the CUSUM up and down with sum_limit, in the unit of the values.

    Raises:
        InputError: the values are all alike, so that there is no chance to compare with.
    """
    ranges = [abs(later - earlier) for earlier, later in pairwise(values)]
    mean_range = fmean(ranges) if sigma is None else sigma * _D2
    if mean_range == 0:
        raise InputError("all_alike", "values are all the same. There is nothing to chart.", ["values"])
    deviation = mean_range / _D2 if sigma is None else sigma
    centre = fmean(values) if target is None else target
    widths = _Widths() if false_alarms_fraction is None else _widths(len(values), false_alarms_fraction)
    limits = Limits(lower=centre - widths.value * deviation, upper=centre + widths.value * deviation)
    range_limit = widths.step * deviation
    up = _sums([value - centre for value in values], deviation)
    down = _sums([centre - value for value in values], deviation)
    sum_limit = widths.total * deviation
    signals = [
        *_outside(values, limits),
        *(
            Signal(index=index, kind="jump", since=index)
            for index, size in enumerate(ranges, start=1)
            if size > range_limit
        ),
        *_drifts(up, sum_limit, "drift-up"),
        *_drifts(down, sum_limit, "drift-down"),
    ]
    return ControlChart(
        centre=centre,
        limits=limits,
        signals=sorted(signals, key=lambda signal: (signal.index, signal.kind)),
        sigma=deviation,
        moving_ranges=ranges,
        range_limit=range_limit,
        sums_up=up,
        sums_down=down,
        sum_limit=sum_limit,
    )


class _Widths(NamedTuple):
    """How far a value, a step and a sum may go, in standard deviations."""

    value: float = _LIMITS * _D2
    step: float = _RANGE_LIMIT * _D2
    total: float = _DECISION


def _widths(count: int, false_alarms: float) -> _Widths:
    """The widths at which each of the three is passed by chance in a third of so many series of that length."""
    each = false_alarms / 3 / count
    two_sided = -NormalDist().inv_cdf(each / 2)
    # Siegmund: both sums together run (e^b − b − 1) values with a slack of a half.
    wide = _DECISION + _SIEGMUND
    for _ in range(_STEPS):
        wide -= (exp(wide) - wide - 1 - 1 / each) / (exp(wide) - 1)
    return _Widths(value=two_sided, step=sqrt(2) * two_sided, total=wide - _SIEGMUND)


def _outside(values: Sequence[float], limits: Limits) -> Iterator[Signal]:
    for index, value in enumerate(values):
        if value > limits.upper:
            yield Signal(index=index, kind="above", since=index)
        elif value < limits.lower:
            yield Signal(index=index, kind="below", since=index)


def _sums(offsets: Sequence[float], sigma: float) -> list[float]:
    """What values were off to one side adds up to, less the slack of each; it begins anew at nothing."""
    sums, before = [], 0.0
    for offset in offsets:
        before = max(0.0, before + offset - _SLACK * sigma)
        sums.append(before)
    return sums


def _drifts(sums: Sequence[float], limit: float, kind: SignalKind) -> Iterator[Signal]:
    """Where a sum first passes its bound, and since when it grew."""
    since, is_told = 0, False
    for index, total in enumerate(sums):
        if total == 0:
            since, is_told = index + 1, False
        elif total > limit and not is_told:
            is_told = True
            yield Signal(index=index, kind=kind, since=since)
