"""The stockpile chart: free moisture by load with what was predicted, what was seen, and what happened between."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from keeve.core.stockpile.stockpile import Stockpile
from keeve.drawing.points import points
from keeve.screens.our_kit.view import MoistureHistory, SeenPoint, moisture_history

# Drawing units across, at desk and at phone width.
_DESK, _PHONE = 760.0, 400.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 40.0, 66.0, 34.0, 236.0
# The scale never ends under this, so that a calm stockpile looks calm.
_LEAST_TOP_FRACTION = 0.06
_PAN, _CROSS = 7.0, 9.0
_WORDS: Mapping[str, str] = {
    "rain": "rain",
    "delivery": "delivery",
    "night": "overnight",
    "digging": "dug elsewhere",
    "untold": "change?",
}


class ObservationMark(NamedTuple):
    """A sight of the stockpile: by a load (a dot; crossed out where it was a slip), or by a dried pan (a square
    from its corner).
    """

    x: float
    y: float
    corner: tuple[float, float] | None
    cross: str


class ChangeMark(NamedTuple):
    """A change of the stockpile between loads: its place, in which word, and when."""

    x: float
    word: str
    at: datetime


class PercentLine(NamedTuple):
    """A line of the scale: its percent, its path, and the place of its label."""

    percent: int
    path: str
    label_x: float
    label_y: float


@dataclass(frozen=True)
class StockpileChart:
    """Everything the template draws, in drawing units; the last place is the load to come, its labels beside it.

    ``moistures``: the free moistures that were seen, as fractions, in order.
    """

    width: float
    band: str
    line: str
    seen: list[ObservationMark]
    changes: list[ChangeMark]
    ticks: list[PercentLine]
    next_place: tuple[float, float]
    next_label: tuple[float, float]
    next_moisture: float
    moistures: list[float]


def stockpile_charts(stockpile: Stockpile) -> list[StockpileChart]:
    """The chart at desk and at phone width; none where nothing was seen of the stockpile yet."""
    history = moisture_history(stockpile)
    return [_chart(history, width) for width in (_DESK, _PHONE)] if history else []


def _chart(history: MoistureHistory, width: float) -> StockpileChart:
    predicted = history.predicted
    top = max(_LEAST_TOP_FRACTION, history.top)
    step_x = (width - _LEFT - _RIGHT) / max(len(predicted) - 1, 1)

    def x(index: int) -> float:
        return _LEFT + index * step_x

    def y(fraction: float) -> float:
        return _BOTTOM - min(max(fraction / top, 0.0), 1.0) * (_BOTTOM - _TOP)

    upper = [(x(index), y(point.high)) for index, point in enumerate(predicted)]
    lower = [(x(index), y(point.low)) for index, point in enumerate(predicted)]
    middle = [(x(index), y(point.mean)) for index, point in enumerate(predicted)]
    end_x, end_y = middle[-1]
    return StockpileChart(
        width=width,
        band=points([*upper, *reversed(lower)]),
        line=points(middle),
        seen=[_seen(sight, x(sight.position), y(sight.moisture)) for sight in history.seen],
        changes=[
            ChangeMark(x(change.position), _WORDS[change.what], change.at) for change in history.changes
        ],
        ticks=[
            PercentLine(
                percent, f"M{_LEFT},{y(percent / 100):.1f} H{width - _RIGHT}", _LEFT - 8, y(percent / 100) + 6
            )
            for percent in range(0, int(top * 100) + 1, 2)
        ],
        next_place=(end_x, end_y),
        next_label=(end_x + 14, end_y - 2),
        next_moisture=predicted[-1].mean,
        moistures=[sight.moisture for sight in history.seen if not sight.is_slip],
    )


def _seen(sight: SeenPoint, x: float, y: float) -> ObservationMark:
    return ObservationMark(
        x=x,
        y=y,
        corner=(x - _PAN, y - _PAN) if sight.by_pan else None,
        cross=f"M{x - _CROSS:.1f},{y - _CROSS:.1f} l{2 * _CROSS:g},{2 * _CROSS:g} m0,-{2 * _CROSS:g} "
        f"l-{2 * _CROSS:g},{2 * _CROSS:g}"
        if sight.is_slip
        else "",
    )
