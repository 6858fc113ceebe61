"""The water line: from too dry to too runny, stretched near the target, where the decision is."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

from keeve.drawing.points import points
from keeve.drawing.spread import spread
from keeve.figures.water import WaterFigures

# Drawing units across, at desk and at phone width; text keeps its size, so the phone's line is narrower.
DESK, PHONE = 1000.0, 440.0
_MARGIN = 10.0
# Shares of the line that end at the start, the low end, the ceiling and past it. The part up to the start
# is squeezed, the window is stretched. A judgement made here, not a law.
_SHARES = (0.0, 0.30, 0.45, 0.88, 1.0)
_LABEL_WIDTH = 128.0
_LEAST_WINDOW = 2.0
# Start and target closer than that are one mark, L.
_SAME_L = 0.05
_NO_WIDTH_L = 1e-6


@dataclass(frozen=True)
class WaterMark:
    """A place on the line, its leader and the place of its label; ``name`` says which it is."""

    name: str
    x: float
    leader: str
    label_x: float
    litres: float


@dataclass(frozen=True)
class StrengthCurve:
    """Strength above the water line: its band, the low end nine in ten pass, its middle, a scale in MPa, and where the
    load is on the low end.
    """

    band: str
    low: str
    middle: str
    right: float
    ticks: list[tuple[float, str, float, float]]
    here: tuple[float, float] | None


@dataclass(frozen=True)
class WaterLine:
    """Everything the template draws, in drawing units."""

    view: str
    width: float
    left: float
    right: float
    length: float
    window_x: float
    window_width: float
    marks: list[WaterMark]
    target_x: float
    ceiling_x: float
    in_x: float
    in_width: float
    in_label_x: float
    total_l: float
    additions: list[float]
    expected: tuple[str, float] | None
    last_x: float | None
    scale: list[float]
    strength: StrengthCurve | None


def water_lines(figures: WaterFigures) -> list[WaterLine]:
    """The water line of a load at desk and at phone width."""
    return [water_line(figures, width) for width in (DESK, PHONE)]


def _places(figures: WaterFigures, left: float, right: float) -> Callable[[float], float]:
    """The places of litres on the line."""
    knots = _knots(figures)

    def x(litres: float) -> float:
        for (low, low_share), (high, high_share) in pairwise(knots):
            if litres <= high:
                part = (litres - low) / (high - low)
                return left + (low_share + (high_share - low_share) * part) * (right - left)
        return right

    return x


class SmallLine(NamedTuple):
    """The water of a load in its window, without words: for a row of a list."""

    view: str
    left: float
    length: float
    in_width: float
    window_x: float
    window_width: float
    ceiling_x: float


def small_line(figures: WaterFigures) -> SmallLine:
    """The water line of a load in a row of a list."""
    left, right = _MARGIN, DESK - _MARGIN
    x = _places(figures, left, right)
    window_x, ceiling_x = x(figures.window.min_l), x(figures.window.ceiling_l)
    return SmallLine(
        view=f"0 0 {DESK:g} 44",
        left=left,
        length=right - left,
        in_width=x(figures.total_l) - left,
        window_x=window_x,
        window_width=max(ceiling_x - window_x, _LEAST_WINDOW),
        ceiling_x=ceiling_x,
    )


def water_line(figures: WaterFigures, width: float) -> WaterLine:
    """The water line of a load at one width."""
    left, right = _MARGIN, width - _MARGIN
    window, total_l = figures.window, figures.total_l
    x = _places(figures, left, right)
    running, ticks = 0.0, []
    for addition in figures.additions_l:
        running += addition
        ticks.append(x(running))
    expected = figures.expected
    bracket = (x(expected.low_l), x(expected.high_l)) if expected else None
    return WaterLine(
        view=f"0 -114 {width:g} 290" if figures.strength else f"0 0 {width:g} 176",
        width=width,
        left=left,
        right=right,
        length=right - left,
        window_x=x(window.min_l),
        window_width=max(x(window.ceiling_l) - x(window.min_l), _LEAST_WINDOW),
        marks=_marks(figures, x, width),
        target_x=x(window.target_l),
        ceiling_x=x(window.ceiling_l),
        in_x=x(total_l),
        in_width=x(total_l) - left,
        in_label_x=_inside(x(total_l), 70.0, width),
        total_l=total_l,
        additions=ticks,
        expected=(
            f"M{bracket[0]:.1f},36 v10 H{bracket[1]:.1f} v-10",
            _inside((bracket[0] + bracket[1]) / 2, 150.0, width),
        )
        if bracket
        else None,
        last_x=x(expected.last_total_l) if expected and expected.last_total_l else None,
        scale=[x(litres) for litres in _round_litres(figures.top_l)],
        strength=_curve(figures, right, x) if figures.strength else None,
    )


def _inside(x: float, margin: float, width: float) -> float:
    return min(max(x, margin), width - margin)


def _marks(figures: WaterFigures, x: Callable[[float], float], width: float) -> list[WaterMark]:
    """Start, target and ceiling with labels apart; a start at the target has no mark of its own."""
    window = figures.window
    every = (("start", window.start_l), ("target", window.target_l), ("ceiling", window.ceiling_l))
    labels = spread(
        [x(litres) for _, litres in every], _LABEL_WIDTH, _LABEL_WIDTH / 2, width - _LABEL_WIDTH / 2
    )
    starts_right = abs(window.start_l - window.target_l) < _SAME_L
    bends = {"start": "98 V116", "target": "111 V116", "ceiling": "118"}
    return [
        WaterMark(name, x(litres), f"M{x(litres):.1f},{bends[name]} L{label_x:.1f},128", label_x, litres)
        for (name, litres), label_x in zip(every, labels, strict=True)
        if not (starts_right and name == "start")
    ]


def _knots(figures: WaterFigures) -> list[tuple[float, float]]:
    """Litres against share of the line, rising; bounds that fall together leave the later one.

    If the start lies inside the window, what comes before the window is squeezed instead.
    """
    window = figures.window
    knots = [(0.0, 0.0)]
    first_l = min(window.start_l, window.min_l)
    low_l = window.min_l if window.start_l < window.min_l else first_l
    for litres, share in zip((first_l, low_l, window.ceiling_l, figures.top_l), _SHARES[1:], strict=True):
        if litres > knots[-1][0] + _NO_WIDTH_L:
            knots.append((litres, share))
    return knots


def _round_litres(top: float) -> list[float]:
    step = next((size for size in (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100) if top / size <= 18), 200)
    return [index * step for index in range(int(top / step) + 1)]


# The strength is drawn between these heights above the line.
_HIGH_Y, _LOW_Y = -76.0, -14.0
_TEN_MPA = 10.0


def _curve(figures: WaterFigures, right: float, x: Callable[[float], float]) -> StrengthCurve:
    strength, here = figures.strength, figures.strength_here
    most = math.ceil(max(point.band.high_mpa for point in strength) / _TEN_MPA) * _TEN_MPA
    least = math.floor(min(point.band.low_mpa for point in strength) / _TEN_MPA) * _TEN_MPA

    def y(mpa: float) -> float:
        return _LOW_Y - (mpa - least) / (most - least) * (_LOW_Y - _HIGH_Y)

    upper = [(x(point.added_l), y(point.band.high_mpa)) for point in strength]
    lower = [(x(point.added_l), y(point.band.low_mpa)) for point in strength]
    step = _TEN_MPA if most - least <= 3 * _TEN_MPA else 2 * _TEN_MPA
    left = x(strength[0].added_l)
    levels = [least + step * index for index in range(int((most - least) / step) + 1)]
    return StrengthCurve(
        band=points([*upper, *reversed(lower)]),
        low=points(lower),
        middle=points([(x(point.added_l), y(point.band.mpa)) for point in strength]),
        right=right,
        ticks=[
            (mpa, f"M{left - 6:.1f},{y(mpa):.1f} H{right:.1f}", round(left - 12, 1), round(y(mpa) + 6, 1))
            for mpa in levels
        ],
        here=(x(here.added_l), y(here.band.low_mpa)) if here else None,
    )
