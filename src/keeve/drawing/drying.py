"""The drying chart: the weight of a cast by day, down to the weight it comes to, and the day it will be there."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from keeve.core.loads.drying import Drying
from keeve.core.rules.gypsum_time import DRY_FRACTION
from keeve.drawing.points import points

_DESK, _PHONE = 760.0, 400.0
_LEFT, _RIGHT, _TOP, _BOTTOM = 12.0, 90.0, 30.0, 200.0
_LEAST_DAYS = 2.0
_POINTS = 40


@dataclass(frozen=True)
class DryingChart:
    """Everything the template draws, in drawing units: places of weighings, the fitted curve, the band of the day."""

    width: float
    right: float
    label_x: float
    weighings: list[tuple[float, float]]
    curve: str
    dry_y: float
    wet_y: float
    ready: tuple[float, float, float] | None
    days: list[tuple[float, int]]


def drying_charts(figures: Drying) -> list[DryingChart]:
    """The chart at desk and at phone width."""
    return [_chart(figures, width) for width in (_DESK, _PHONE)]


def _chart(figures: Drying, width: float) -> DryingChart:
    right = width - _RIGHT
    first = figures.poured_at
    last = max([one.at for one in figures.weighings] + [figures.ready_at or first])
    days = max((last - first) / timedelta(days=1) * 1.08, _LEAST_DAYS)
    span_kg = max(figures.wet_kg - figures.dry_kg, 1e-6)

    def x(at: datetime) -> float:
        return _LEFT + (at - first) / timedelta(days=1) / days * (right - _LEFT)

    def y(kg: float) -> float:
        return _BOTTOM - (kg - figures.dry_kg) / span_kg * (_BOTTOM - _TOP)

    ready = None
    if figures.ready_at:
        half = timedelta(days=figures.ready_days_band)
        low, high = x(max(figures.ready_at - half, first)), x(figures.ready_at + half)
        ready = (low, min(high, right) - low, x(figures.ready_at))
    step = next(size for size in (1, 2, 5, 10, 20, 50, 1000) if days / size <= 8)
    return DryingChart(
        width=width,
        right=right,
        label_x=right + 6,
        weighings=[(x(one.at), y(one.kg)) for one in figures.weighings],
        curve=_curve(figures, x, y) if figures.ready_at else "",
        dry_y=y(figures.dry_kg),
        wet_y=y(figures.wet_kg),
        ready=ready,
        days=[(x(first + timedelta(days=day)), day) for day in range(0, math.floor(days) + 1, step)],
    )


def _curve(figures: Drying, x: Callable[[datetime], float], y: Callable[[float], float]) -> str:
    """The weight over the dry weight, falling by the same share each day to where it is dry."""
    begun, ready = figures.weighings[0], figures.ready_at
    if ready is None or begun.kg <= figures.dry_kg or ready <= begun.at:
        return ""
    over_kg, end_kg = begun.kg - figures.dry_kg, DRY_FRACTION * figures.dry_kg
    places = []
    for index in range(_POINTS + 1):
        share = index / _POINTS
        at = begun.at + (ready - begun.at) * share
        places.append((x(at), y(figures.dry_kg + over_kg * (end_kg / over_kg) ** share)))
    return points(places)
