"""The water line: from dry to running, stretched near the target, where the decision is."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Plan
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.workings import Workings
from keeve.core.running.contents import Contents
from keeve.core.running.events import ExpectedWater
from keeve.core.running.next_step import Window
from keeve.web.drawings.spread import spread

# Drawing units across, at desk and at phone width; text keeps its size, so the phone's line is narrower.
DESK, PHONE = 1000.0, 440.0
_MARGIN = 10.0
# Shares of the line that end at the start, the low end, the ceiling and past it. The part up to the start
# is squeezed, the window is stretched. A judgement made here, not a law.
_SHARES = (0.0, 0.30, 0.45, 0.88, 1.0)
_PAST_CEILING = 1.12
_LABEL_WIDTH = 128.0


@dataclass(frozen=True)
class Mark:
    """A place on the line and where its label stands."""

    x: float
    label_x: float
    litres: float


class Strength(NamedTuple):
    """Strength of a load by its water: the plan, and what the load holds."""

    plan: Plan
    held: Contents


@dataclass(frozen=True)
class StrengthCurve:
    """Strength above the water line: its band, its middle, a scale in MPa, and where the load stands on it."""

    band: str
    middle: str
    left: float
    ticks: list[tuple[float, float]]
    here: tuple[float, float] | None


@dataclass(frozen=True)
class WaterLine:
    """Everything the template draws, in drawing units."""

    width: float
    left: float
    right: float
    start: Mark
    low_x: float
    target: Mark
    ceiling: Mark
    in_x: float
    in_label_x: float
    total_l: float
    additions: list[float]
    foreseen: tuple[float, float] | None
    last_x: float | None
    scale: list[tuple[float, float]]
    strength: StrengthCurve | None


def water_lines(
    window: Window,
    additions_l: Sequence[float],
    expected: ExpectedWater | None = None,
    strength: Strength | None = None,
) -> list[WaterLine]:
    """The water line of a load at desk and at phone width.

    Args:
        window: litres added: start, low end, target, ceiling.
        additions_l: what went in, in order.
        expected: what its stockpile is expected to leave for the tap, where that is to be shown.
        strength: of what to draw the strength above it; nothing is drawn where no law describes the mix.
    """
    return [water_line(window, additions_l, width, expected, strength) for width in (DESK, PHONE)]


def water_line(
    window: Window,
    additions_l: Sequence[float],
    width: float,
    expected: ExpectedWater | None = None,
    strength: Strength | None = None,
) -> WaterLine:
    """The water line of a load at one width."""
    left, right = _MARGIN, width - _MARGIN
    total = sum(additions_l)
    top = max(window.ceiling_l * _PAST_CEILING, total * 1.02, 0.1)
    knots = _knots(window, top)

    def x(litres: float) -> float:
        for (low, low_share), (high, high_share) in pairwise(knots):
            if litres <= high:
                part = (litres - low) / (high - low)
                return left + (low_share + (high_share - low_share) * part) * (right - left)
        return right

    wanted = [x(window.start_l), x(window.target_l), x(window.ceiling_l)]
    labels = spread(wanted, _LABEL_WIDTH, _LABEL_WIDTH / 2, width - _LABEL_WIDTH / 2)
    running, ticks = 0.0, []
    for addition in additions_l:
        running += addition
        ticks.append(x(running))
    return WaterLine(
        width=width,
        left=left,
        right=right,
        start=Mark(wanted[0], labels[0], window.start_l),
        low_x=x(window.min_l),
        target=Mark(wanted[1], labels[1], window.target_l),
        ceiling=Mark(wanted[2], labels[2], window.ceiling_l),
        in_x=x(total),
        in_label_x=min(max(x(total), 70.0), width - 70.0),
        total_l=total,
        additions=ticks,
        foreseen=(x(expected.low_l), x(expected.high_l)) if expected else None,
        last_x=x(expected.last_total_l) if expected and expected.last_total_l else None,
        strength=_curve(strength, total or window.target_l, top, x) if strength else None,
        scale=[(litres, x(litres)) for litres in _round_litres(top)],
    )


def _knots(window: Window, top: float) -> list[tuple[float, float]]:
    """Litres against share of the line, rising; bounds that fall together leave the later one.

    Where the start lies inside the window, what comes before the window is squeezed instead.
    """
    knots = [(0.0, 0.0)]
    first_l = min(window.start_l, window.min_l)
    low_l = window.min_l if window.start_l < window.min_l else first_l
    for litres, share in zip((first_l, low_l, window.ceiling_l, top), _SHARES[1:], strict=True):
        if litres > knots[-1][0] + 1e-6:
            knots.append((litres, share))
    return knots


def _round_litres(top: float) -> list[float]:
    step = next((size for size in (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100) if top / size <= 18), 200)
    return [index * step for index in range(int(top / step) + 1)]


# The strength is drawn between these heights above the line, from so many points.
_HIGH_Y, _LOW_Y = -76.0, -14.0
_POINTS = 40
_TEN_MPA = 10.0


def _curve(strength: Strength, in_l: float, top: float, x: Callable[[float], float]) -> StrengthCurve | None:
    def at(litres: float) -> StrengthBand | None:
        return strength_of_load(strength.plan, held.planned, held.as_planned_l(litres), Workings())

    held = strength.held
    least_l = held.to_add_l(held.planned.water.min_l)
    steps = (least_l + (top - least_l) * index / _POINTS for index in range(_POINTS + 1))
    sampled = [(litres, at(litres)) for litres in steps]
    known = [(litres, band) for litres, band in sampled if band is not None]
    if len(known) < 2:
        return None
    most = math.ceil(max(band.high_mpa for _, band in known) / _TEN_MPA) * _TEN_MPA
    least = math.floor(min(band.low_mpa for _, band in known) / _TEN_MPA) * _TEN_MPA

    def y(mpa: float) -> float:
        return _LOW_Y - (mpa - least) / (most - least) * (_LOW_Y - _HIGH_Y)

    here = at(in_l)
    upper = [(x(litres), y(band.high_mpa)) for litres, band in known]
    lower = [(x(litres), y(band.low_mpa)) for litres, band in known]
    step = _TEN_MPA if most - least <= 3 * _TEN_MPA else 2 * _TEN_MPA
    return StrengthCurve(
        band=_points([*upper, *reversed(lower)]),
        left=x(known[0][0]),
        middle=_points([(x(litres), y(band.mpa)) for litres, band in known]),
        ticks=[
            (least + step * index, y(least + step * index)) for index in range(int((most - least) / step) + 1)
        ],
        here=(x(in_l), y(here.mpa)) if here else None,
    )


def _points(places: Sequence[tuple[float, float]]) -> str:
    return " ".join(f"{px:.1f},{py:.1f}" for px, py in places)
