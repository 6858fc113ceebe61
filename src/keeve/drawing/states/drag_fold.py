"""A trowel dragged flat through lime mortar, the ridge before it folding over."""

import math

from keeve.drawing.states.shape import Point, Shape, cracks, dryness, excess, line, lumps, ragged, scattered

_GROUND = 150.0
_BLOCKS = (
    (40, 132, 17), (66, 120, 21), (100, 108, 25), (132, 122, 20), (86, 140, 14), (118, 142, 13), (20, 144, 10),
)  # fmt: skip
_SPECKS = (
    (48, 118, 6), (70, 88, 8), (98, 74, 6), (110, 112, 9), (64, 134, 6), (138, 126, 7), (90, 136, 5), (34, 140, 5),
)  # fmt: skip


def drag_fold(wetness: float, mixed: bool) -> list[Shape]:
    """The ridge before the blade, which moves to the left.

    Args:
        wetness: 0 short, breaks; 0.5 folds on itself; 1 slack, shines.
        mixed: whether the lime is spread.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes: list[Shape] = []
    if dry > 0.5:
        shapes += lumps("paste", _BLOCKS, rough=0.36)
        shapes += cracks("M92,92 l8,16 l-6,14", "M58,108 l10,12 l-4,12", "M134,108 l-6,14")
        shapes += scattered(((14, 128, 3), (30, 112, 4), (58, 92, 3), (8, 146, 4), (112, 80, 3)))
    else:
        shapes.append(Shape("paste", line(_wave(wet), closed=True)))
        if wet < 0.4:
            shapes += [Shape("fold", line(_curl(radius))) for radius in (31.0, 17.0)]
    if not mixed:
        shapes += lumps("powder", _SPECKS)
    if wet > 0.3:
        shapes.append(Shape("film", line(_wave(wet)[3:34])))
    return [
        *shapes,
        Shape("floor", f"M4,{_GROUND + 8} H246"),
        Shape("steel", f"M142,{_GROUND} L154,96 h7 L158,{_GROUND} Z"),
        Shape("tang", "M158,104 q18,-6 22,-26"),
        Shape("handle", "M174,80 l16,-34 q8,-8 14,0 l-16,38 Z"),
        *(Shape("stroke-mark", path) for path in ("M238,104 h-24", "M238,122 h-38", "M238,140 h-30")),
    ]


def _wave(wet: float) -> list[Point]:
    """The stockpile before the blade: high and overhanging, or slack and low."""
    points: list[Point] = [(10, _GROUND + 6)]
    for index in range(37):
        u = index / 36
        x = 10 + 136 * u
        fat = (
            92 * math.sin(min(u / 0.72, 1.0) * math.pi / 2) ** 2.4
            if u < 0.72
            else 92 - 20 * (u - 0.72) / 0.28
        )
        slack = 26 + 10 * u + 3 * math.sin(u * 14)
        height = fat * (1 - wet) + slack * wet + ragged(index) * 1.2 * (1 - wet)
        # A fat ridge leans over in the way it is pushed; its crest is ahead of its foot.
        points.append((x - 26 * (1 - wet) * (height / 92) ** 2 * (1 - u), _GROUND - height + 6))
    return [*points, (148, _GROUND + 6)]


def _curl(radius: float) -> list[Point]:
    """The fold, as a roll seen from its end."""
    return [
        (88 + radius * math.cos(angle) * 1.1, 98 + radius * math.sin(angle))
        for angle in (math.radians(20 + 11 * index) for index in range(25))
    ]
