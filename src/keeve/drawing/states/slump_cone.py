"""Concrete after the slump cone is lifted, with the cone it stood in dashed behind it."""

import math

from keeve.drawing.states.shape import Shape, cracks, dryness, excess, line, lump, lumps, scattered

_X, _GROUND = 108.0, 158.0
# The cone, 300 mm high, 200 at the bottom, 100 at the top, at 0.44 a mm.
_HEIGHT, _BOTTOM, _TOP = 132.0, 44.0, 22.0


def slump_cone(wetness: float, mixed: bool) -> list[Shape]:
    """The shape that is left when the cone is lifted.

    Args:
        wetness: 0 hardly sinks, 0.5 sinks in range, 1 collapses.
        mixed: whether every stone is coated.
    """
    dry, wet = dryness(wetness), excess(wetness)
    sunk = 0.06 * dry + 0.28 * (1 - dry) * (1 - wet) + 0.80 * wet
    height = _HEIGHT * (1 - sunk)
    top_y = _GROUND - height
    shapes = [
        Shape("floor", f"M4,{_GROUND + 2} H246"),
        Shape("concrete", _stand(height, wet)),
        *lumps("stone", _stones(height, wet)),
    ]
    if dry > 0.5:
        loose = ((46, 150, 6), (36, 154, 4), (168, 151, 5), (178, 155, 3), (58, 153, 3), (160, 154, 3))
        shapes += scattered(loose)
        shapes += cracks("M96,52 l6,16 l-5,14 l5,16", "M120,78 l-5,14 l6,16 l-4,12")
    if not mixed:
        bare = ((70, 132, 9), (140, 126, 10), (92, 84, 8), (124, 104, 9), (150, 148, 7), (64, 150, 7))
        shapes += [Shape("powder", lump(102, 120, 19, 3)), Shape("powder", lump(116, 78, 12, 5))]
        shapes += lumps("bare-stone", bare)
    if wet > 0.3:
        shapes.append(Shape("film", f"M22,{_GROUND + 1} H{2 * _X - 22 + 10:.0f}"))
    return [
        *shapes,
        Shape(
            "ghost",
            f"M{_X - _BOTTOM},{_GROUND} L{_X - _TOP},{_GROUND - _HEIGHT} H{_X + _TOP} L{_X + _BOTTOM},{_GROUND}",
        ),
        Shape("steel", f"M{_X - 40},{_GROUND - _HEIGHT - 9} H232 v6 H{_X - 40} Z"),
        Shape("measure", f"M214,{_GROUND - _HEIGHT - 2} V{top_y:.1f} M206,{top_y:.1f} H222"),
        Shape("measure-thin", f"M{_X + 4},{top_y:.1f} H206"),
    ]


def _stand(height: float, wet: float) -> str:
    """The stockpile: still a cone, barrelled as it sinks, a pancake when it collapses."""
    sunk = 1 - height / _HEIGHT
    bottom = _BOTTOM * (1 + 0.35 * sunk + 0.75 * wet)
    top = _TOP * (1 + 0.5 * sunk + 0.8 * wet)
    right = []
    for index in range(21):
        u = index / 20
        half = bottom + (top - bottom) * u + 16 * sunk * math.sin(u * math.pi)
        right.append((half + 1.6 * math.sin(index * 2.3), _GROUND - height * u))
    left = [(-x, y) for x, y in reversed(right)]
    return line([(_X + x, y) for x, y in [*right, *left]], closed=True)


def _stones(height: float, wet: float) -> list[tuple[float, float, float]]:
    """Stones in the mortar; in a collapsed stockpile fewer stay in sight."""
    spots = ((-24, 0.12), (2, 0.1), (26, 0.16), (-14, 0.34), (14, 0.38), (-4, 0.6), (12, 0.72), (-10, 0.84))
    kept = spots[: 8 - round(4 * wet)]
    return [(_X + x * (1 + 0.9 * wet), _GROUND - 4 - height * u * 0.94, 5.5) for x, u in kept]
