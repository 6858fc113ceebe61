"""Figures as bars from nothing, what was planned as a frame round them, at desk and at phone width."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from keeve.core.units import System, as_read, fixed, with_minus
from keeve.figures.chart_figures import Bars, ChartBar

# Drawing units across, and how much of a name there is room for; text keeps its size, so the phone's is narrower.
_WIDTHS: Sequence[tuple[float, int]] = ((760.0, 48), (400.0, 18))
_ROW, _TOP, _HIGH, _FRAME = 52.0, 24.0, 14.0, 3.0


class RowBar(NamedTuple):
    """A bar: its words and figures, the height of its row, where it is, where what was planned is (or None)."""

    words: str
    figures: str
    y: float
    x: float
    width: float
    planned_x: float | None
    planned_width: float


@dataclass(frozen=True)
class RowBars:
    """Everything the template draws, in drawing units; ``zero_x`` is where nothing is."""

    width: float
    height: float
    zero_x: float
    top: float
    high: float
    rows: list[RowBar]


def row_bars(bars: Bars, units: System) -> list[RowBars]:
    """The bars at desk and at phone width."""
    return [_drawn(bars, units, width, longest) for width, longest in _WIDTHS]


def _drawn(bars: Bars, units: System, width: float, longest: int) -> RowBars:
    values = [value for bar in bars.bars for value in (bar.value, bar.planned) if value is not None]
    least, most = min(0.0, *values), max(0.0, *values)
    room, across = width - 2 * _FRAME, most - least or 1.0

    def at(value: float) -> float:
        return round(_FRAME + (value - least) / across * room, 1)

    def span(value: float) -> tuple[float, float]:
        return min(at(0.0), at(value)), round(abs(at(value) - at(0.0)), 1)

    rows = []
    for number, bar in enumerate(bars.bars):
        x, length = span(bar.value)
        planned_x, planned_width = (None, 0.0) if bar.planned is None else span(bar.planned)
        words = bar.words if len(bar.words) <= longest else f"{bar.words[: longest - 1]}…"
        rows.append(
            RowBar(words, _figures(bar, bars, units), number * _ROW, x, length, planned_x, planned_width)
        )
    return RowBars(width, len(rows) * _ROW, at(0.0), _TOP, _HIGH, rows)


def _figures(bar: ChartBar, bars: Bars, units: System) -> str:
    def shown(value: float) -> str:
        if bars.is_percent:
            return f"{fixed(value * 100, bars.decimals)} %"
        if bars.kind is None:
            return with_minus(fixed(value, bars.decimals))
        return str(as_read(value, bars.kind, units, bars.decimals))

    return shown(bar.value) if bar.planned is None else f"{shown(bar.value)}, planned {shown(bar.planned)}"
