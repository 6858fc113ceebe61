"""The stockpile chart: free moisture by load with what was foretold, what was seen, and what happened between."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from keeve.core.rules.next_water import BAND_SD, NextWater
from keeve.core.stockpile.forecast import Observation

# Drawing units across, at desk and at phone width.
_DESK, _PHONE = 760.0, 400.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 40.0, 66.0, 34.0, 236.0
# The scale never ends under this, so that a calm stockpile looks calm.
_LEAST_TOP_FRACTION = 0.06
_WORDS = {"rain": "rain", "delivery": "fresh load", "night": "a night"}


class Seen(NamedTuple):
    """A sight of the stockpile: by a load, or by a dried pan."""

    x: float
    y: float
    by_pan: bool


class Change(NamedTuple):
    """Where the stockpile changed between loads, in which word, and when."""

    x: float
    word: str
    at: datetime


@dataclass(frozen=True)
class StockpileChart:
    """Everything the template draws, in drawing units; the last of ``line`` is the load to come."""

    width: float
    left: float
    right: float
    band: str
    line: list[tuple[float, float]]
    seen: list[Seen]
    changes: list[Change]
    ticks: list[tuple[float, float]]


def stockpile_charts(history: Sequence[Observation], following: NextWater) -> list[StockpileChart]:
    """The chart at desk and at phone width."""
    return [_chart(history, following, width) for width in (_DESK, _PHONE)]


def _chart(history: Sequence[Observation], following: NextWater, width: float) -> StockpileChart:
    predicted = [(step.free_moisture_fraction, step.sd_fraction) for step in following.path]
    predicted.append((following.free_moisture_fraction, following.sd_fraction))
    seen = [step.seen_fraction for step in following.path]
    top = max(
        [_LEAST_TOP_FRACTION, *(value for value in seen if value), *(mean + sd for mean, sd in predicted)]
    )
    step_x = (width - _LEFT - _RIGHT) / len(history)

    def x(index: int) -> float:
        return _LEFT + index * step_x

    def y(fraction: float) -> float:
        return _BOTTOM - min(max(fraction / top, 0.0), 1.0) * (_BOTTOM - _TOP)

    upper = [(x(index), y(mean + BAND_SD * sd)) for index, (mean, sd) in enumerate(predicted)]
    lower = [(x(index), y(mean - BAND_SD * sd)) for index, (mean, sd) in enumerate(predicted)]
    return StockpileChart(
        width=width,
        left=_LEFT,
        right=width - _RIGHT,
        band=" ".join(f"{px:.1f},{py:.1f}" for px, py in [*upper, *reversed(lower)]),
        line=[(x(index), y(mean)) for index, (mean, _) in enumerate(predicted)],
        seen=[
            Seen(x(index), y(value), by_pan=not observed.past.was_mixed)
            for index, (observed, value) in enumerate(zip(history, seen, strict=True))
            if value is not None
        ],
        changes=[
            Change(x(index), _WORDS[observed.past.reset], observed.at)
            for index, observed in enumerate(history)
            if observed.past.reset
        ],
        ticks=[(percent, y(percent / 100)) for percent in range(0, int(top * 100) + 1, 2)],
    )
