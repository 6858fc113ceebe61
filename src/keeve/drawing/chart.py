"""A chart of values across and up, bands and lines behind them, at desk and at phone width."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from keeve.core.units import System, fixed, to_shown, with_minus
from keeve.drawing.points import points
from keeve.figures.chart_figures import Axis, ChartFigures, Places

# Drawing units across; text keeps its size, so the phone's chart is narrower.
_DESK, _PHONE = 760.0, 400.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 52.0, 14.0, 30.0, 250.0
_HEIGHT = 296.0
# About so many figures along an axis; a dot, and the ring round one to look at.
_TICKS_UP, _TICKS_ACROSS = 5, {_DESK: 8, _PHONE: 4}
# Beyond the values the chart goes on by this much.
_ROOM = 0.06


class Tick(NamedTuple):
    """A figure along an axis: its text, and where it is."""

    text: str
    at: float


class ChartMark(NamedTuple):
    """A value: where it is, the load it is of, its words, whether it has a ring."""

    x: float
    y: float
    load_id: str
    words: str
    is_signal: bool


@dataclass(frozen=True)
class Chart:
    """Everything the template draws, in drawing units."""

    width: float
    height: float
    left: float
    right: float
    bottom: float
    bands: list[tuple[str, str]]
    lines: list[tuple[str, str]]
    joined: str
    marks: list[ChartMark]
    ups: list[Tick]
    acrosses: list[Tick]


def charts(figures: ChartFigures, units: System) -> list[Chart]:
    """The chart at desk and at phone width."""
    return [_chart(figures, units, width) for width in (_DESK, _PHONE)]


def _chart(figures: ChartFigures, units: System, width: float) -> Chart:
    across, up = _reader(figures.across, units), _reader(figures.up, units)
    dots = [(across(dot.x), up(dot.y)) for dot in figures.dots]
    edges = [*(line.places for line in figures.lines), *(band.upper for band in figures.bands)]
    edges += [band.lower for band in figures.bands]
    every = [*dots, *((across(x), up(y)) for places in edges for x, y in places)]
    x_scale = _Scale([x for x, _ in every], _LEFT, width - _RIGHT, _TICKS_ACROSS[width], room=0.0)
    y_scale = _Scale([y for _, y in every], _BOTTOM, _TOP, _TICKS_UP, room=_ROOM)

    def placed(places: Places) -> list[tuple[float, float]]:
        return [(x_scale.at(across(x)), y_scale.at(up(y))) for x, y in places]

    marks = [
        ChartMark(x_scale.at(x), y_scale.at(y), str(dot.load_id), dot.name, dot.is_signal)
        for dot, (x, y) in zip(figures.dots, dots, strict=True)
    ]
    return Chart(
        width=width,
        height=_HEIGHT,
        left=_LEFT,
        right=width - _RIGHT,
        bottom=_BOTTOM,
        bands=[
            (band.style, points([*placed(band.upper), *reversed(placed(band.lower))]))
            for band in figures.bands
        ],
        lines=[(line.style, points(placed(line.places))) for line in figures.lines],
        joined=points([(mark.x, mark.y) for mark in marks]) if figures.is_joined else "",
        marks=marks,
        ups=y_scale.ticks(),
        acrosses=[] if figures.is_joined else x_scale.ticks(),
    )


def _reader(axis: Axis, units: System) -> Callable[[float], float]:
    """The conversion of a kept value into that of the reader."""
    kind = axis.kind
    if axis.is_percent:
        return lambda value: value * 100
    return (lambda value: value) if kind is None else lambda value: to_shown(value, kind, units)


class _Scale:
    """From values to places: from the least to the greatest, with some room, and round figures between."""

    def __init__(self, values: Sequence[float], start: float, end: float, ticks: int, room: float) -> None:
        least, most = min(values), max(values)
        span = most - least or abs(most) or 1.0
        self._least, self._most = least - span * room, most + span * room
        if self._most == self._least:
            self._most += span
        self._start, self._end, self._ticks = start, end, ticks

    def at(self, value: float) -> float:
        share = (value - self._least) / (self._most - self._least)
        return round(self._start + share * (self._end - self._start), 1)

    def ticks(self) -> list[Tick]:
        step = _round_step((self._most - self._least) / self._ticks)
        decimals = max(0, -math.floor(math.log10(step) + 1e-9))
        first = math.ceil(self._least / step - 1e-9)
        last = math.floor(self._most / step + 1e-9)
        return [
            Tick(with_minus(fixed(count * step, decimals)), self.at(count * step))
            for count in range(first, last + 1)
        ]


def _round_step(least: float) -> float:
    """The least of 1, 2, 5, 10 … that is as large."""
    power = 10.0 ** math.floor(math.log10(least))
    return next(size * power for size in (1, 2, 5, 10) if size * power >= least * (1 - 1e-9))
