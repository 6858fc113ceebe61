"""The heap chart: free moisture by load with what was foretold, what was seen, and what happened between."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from keeve.core.carry_over import Told
from keeve.core.tracker import EIGHT_IN_TEN, NextWater

# Drawing units across, at desk and at phone width.
_DESK, _PHONE = 760.0, 400.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 40.0, 66.0, 34.0, 236.0
# The scale never ends under this, so that a calm heap looks calm.
_LEAST_TOP_FRACTION = 0.06
_WORDS = {"rain": "rain", "delivery": "fresh load", "night": "a night"}


class Seen(NamedTuple):
    """A sight of the heap: by a load, or by a dried pan."""

    x: float
    y: float
    by_pan: bool


class Change(NamedTuple):
    """Where the heap changed between loads, in which word, and when."""

    x: float
    word: str
    at: datetime


@dataclass(frozen=True)
class HeapChart:
    """Everything the template draws, in drawing units; the last of ``line`` is the load to come."""

    width: float
    left: float
    right: float
    band: str
    line: list[tuple[float, float]]
    seen: list[Seen]
    changes: list[Change]
    ticks: list[tuple[float, float]]


def heap_charts(history: Sequence[Told], following: NextWater) -> list[HeapChart]:
    """The chart at desk and at phone width."""
    return [_chart(history, following, width) for width in (_DESK, _PHONE)]


def _chart(history: Sequence[Told], following: NextWater, width: float) -> HeapChart:
    foretold = [(step.free_moisture_fraction, step.sd_fraction) for step in following.path]
    foretold.append((following.free_moisture_fraction, following.sd_fraction))
    seen = [step.seen_fraction for step in following.path]
    top = max(
        [_LEAST_TOP_FRACTION, *(value for value in seen if value), *(mean + sd for mean, sd in foretold)]
    )
    step_x = (width - _LEFT - _RIGHT) / len(history)

    def x(index: int) -> float:
        return _LEFT + index * step_x

    def y(fraction: float) -> float:
        return _BOTTOM - min(max(fraction / top, 0.0), 1.0) * (_BOTTOM - _TOP)

    upper = [(x(index), y(mean + EIGHT_IN_TEN * sd)) for index, (mean, sd) in enumerate(foretold)]
    lower = [(x(index), y(mean - EIGHT_IN_TEN * sd)) for index, (mean, sd) in enumerate(foretold)]
    return HeapChart(
        width=width,
        left=_LEFT,
        right=width - _RIGHT,
        band=" ".join(f"{px:.1f},{py:.1f}" for px, py in [*upper, *reversed(lower)]),
        line=[(x(index), y(mean)) for index, (mean, _) in enumerate(foretold)],
        seen=[
            Seen(x(index), y(value), by_pan=not told.past.was_mixed)
            for index, (told, value) in enumerate(zip(history, seen, strict=True))
            if value is not None
        ],
        changes=[
            Change(x(index), _WORDS[told.past.reset], told.at)
            for index, told in enumerate(history)
            if told.past.reset
        ],
        ticks=[(percent, y(percent / 100)) for percent in range(0, int(top * 100) + 1, 2)],
    )
