"""The thickness of a layer on a common scale, so that mixes can be compared at a glance."""

import math
from typing import NamedTuple

WIDTH = 240.0
_LEAST_MM, _MOST_MM = 1.0, 1000.0
# Marks of the scale, mm.
MARKS = (1, 3, 10, 30, 100, 300, 1000)


class ThicknessBar(NamedTuple):
    """The range, where it begins and how wide it is, and the marks of the scale, in drawing units."""

    left: float
    width: float
    marks: list[float]


# Narrower than that a range cannot be seen.
_LEAST_WIDTH = 4.0


def thickness_x(thickness_mm: float) -> float:
    """The place of a thickness: each tenfold takes the same length."""
    bounded = min(max(thickness_mm, _LEAST_MM), _MOST_MM)
    return round(math.log(bounded / _LEAST_MM) / math.log(_MOST_MM / _LEAST_MM) * WIDTH, 1)


def thickness_bar(span_mm: tuple[float, float]) -> ThicknessBar:
    """The bar of a range in mm."""
    left, right = thickness_x(span_mm[0]), thickness_x(span_mm[1])
    return ThicknessBar(
        left, max(round(right - left, 1), _LEAST_WIDTH), [thickness_x(mark) for mark in MARKS]
    )
