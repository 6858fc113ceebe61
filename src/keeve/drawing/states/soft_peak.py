"""A gauging trowel pulled straight up out of an overlay, and the peak it leaves."""

import math

from keeve.drawing.states.shape import (
    Point,
    Shape,
    cracks,
    drop,
    dryness,
    excess,
    line,
    lumps,
    ragged,
    scattered,
)

_SURFACE, _X = 122.0, 122.0


def soft_peak(wetness: float, mixed: bool) -> list[Shape]:
    """The peak.

    Args:
        wetness: 0 stands stiff, 0.5 soft and bent over, 1 levels.
        mixed: whether lumps are left in it.
    """
    dry, wet = dryness(wetness), excess(wetness)
    surface = _surface(dry, wet)
    shapes = [Shape("paste", line([(22, 175), *surface, (226, 175)], closed=True))]
    if dry > 0.5:
        shapes += cracks(
            "M112,66 l8,18 l-8,20", "M134,84 l-6,16 l8,14", "M56,126 l14,12 l-4,16", "M184,124 l-12,14"
        )
        shapes += scattered(((74, 108, 4), (166, 106, 4), (60, 112, 3)))
    if not mixed:
        shapes += lumps(
            "powder", ((118, 92, 13), (132, 118, 15), (92, 136, 14), (166, 146, 16), (48, 148, 12))
        )
    if wet > 0.3:
        shapes.append(Shape("film", line(surface[2:-2])))
        shapes += [Shape("ripple", _ripple(half)) for half in (24.0, 48.0, 76.0)]
        shapes += [drop(_X, 70), drop(_X + 2, 96)]
    return [
        *shapes,
        Shape("vessel", "M10,96 L22,176 H226 L238,96"),
        Shape("steel", f"M{_X - 9},4 h18 l-3,{30 + 4 * wet:.0f} q-6,6 -12,0 Z"),
        Shape("stroke-mark", "M158,40 v-26 M158,14 l-6,9 M158,14 l6,9"),
    ]


def _ripple(half: float) -> str:
    """One ring where a drop fell, seen flat."""
    end, middle = _SURFACE + 3 + half / 9, _SURFACE + 14 + half / 5
    return f"M{_X - half:.0f},{end:.0f} Q{_X:.0f},{middle:.0f} {_X + half:.0f},{end:.0f}"


def _surface(dry: float, wet: float) -> list[Point]:
    """The surface with its peak: jagged and upright, soft and bent, or gone."""
    height, width = (78 * dry + 62 * (1 - dry)) * (1 - wet), 24 + 8 * (1 - dry)
    points: list[Point] = []
    for index in range(55):
        u = -1 + index / 27
        rise = height * math.exp(-((u * 108 / width) ** 2) / 2)
        bend = (1 - dry) * (1 - wet) * 26 * (rise / 62) ** 3
        rough = 5 * dry * ragged(index)
        points.append((_X + u * 102 + bend, _SURFACE - rise + rough + 2 * (1 - wet) * ragged(index)))
    return points
