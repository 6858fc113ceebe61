"""A water line as it is shown: the window, what is in, what the stockpile is expected to leave, strength by water."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import fsum
from typing import NamedTuple

from keeve.core.loads.contents import Contents, contents
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Window
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.workings import Workings

# The line goes on past the ceiling by this much, and past what is in.
_PAST_CEILING, _PAST_TOTAL = 1.12, 1.02
_LEAST_TOP_L = 0.1
# So many points make a smooth curve.
_POINTS = 40


class StrengthPoint(NamedTuple):
    """Strength at 28 days with this much water added, L."""

    added_l: float
    band: StrengthBand


@dataclass(frozen=True)
class WaterFigures:
    """The figures of a water line, litres added.

    Args:
        window: start, low end, target and ceiling.
        additions_l: every addition, in order.
        total_l: their sum.
        top_l: where the line ends.
        expected: what the stockpile is expected to leave for the tap, where that is shown.
        strength: strength by water, in rising order; empty where no law describes the mix.
        strength_here: strength with what is in, or with the target before there is water.
    """

    window: Window
    additions_l: Sequence[float]
    total_l: float
    top_l: float
    expected: ExpectedWater | None = None
    strength: Sequence[StrengthPoint] = ()
    strength_here: StrengthPoint | None = None


def water_figures(
    window: Window,
    additions_l: Sequence[float] = (),
    expected: ExpectedWater | None = None,
    strength_of: tuple[Plan, Contents] | None = None,
) -> WaterFigures:
    """The figures of a water line.

    Args:
        window: its window.
        additions_l: what went in, in order.
        expected: what the stockpile is expected to leave for the tap, where that is shown.
        strength_of: the plan and the contents whose strength is shown; None for none.
    """
    total_l = fsum(additions_l)
    top_l = max(window.ceiling_l * _PAST_CEILING, total_l * _PAST_TOTAL, _LEAST_TOP_L)
    plain = WaterFigures(window, list(additions_l), total_l, top_l, expected)
    if strength_of is None:
        return plain
    plan, held = strength_of
    least_l = held.to_add_l(held.planned.water.min_l)
    sampled = (least_l + (top_l - least_l) * index / _POINTS for index in range(_POINTS + 1))
    points = [point for added_l in sampled if (point := _strength(plan, held, added_l))]
    if len(points) < 2:
        return plain
    here = _strength(plan, held, total_l or window.target_l)
    return WaterFigures(window, plain.additions_l, total_l, top_l, expected, points, here)


def _strength(plan: Plan, held: Contents, added_l: float) -> StrengthPoint | None:
    band = strength_of_load(plan, held.planned, held.as_planned_l(added_l), Workings())
    return StrengthPoint(added_l, band) if band else None


def planned_water(plan: Plan, load: Load) -> WaterFigures:
    """The water line of a load before it is mixed."""
    water = load.water
    window = Window(water.start_l, water.min_l, water.target_l, water.ceiling_l)
    return water_figures(window, strength_of=(plan, contents(plan, load, LoadState())))
