"""A gloved handful of semi-dry screed, squeezed once, the hand opened."""

import math

from keeve.drawing.states.shape import Point, Shape, crumbs, drip, dryness, excess, line, lumps, palm

_X, _Y, _RADIUS = 108.0, 80.0, 50.0


def squeezed_ball(wetness: float, mixed: bool) -> list[Shape]:
    """The ball on the palm.

    Args:
        wetness: 0 will not bind, 0.5 binds, 1 drips.
        mixed: whether it is even; powder and tufts show where it is not.
    """
    dry, wet = dryness(wetness), excess(wetness)
    if dry > 0.5:
        return [*_fallen_apart(dry), *palm(), *crumbs(dry)]
    half, height = _RADIUS * (1 + 0.42 * wet), _RADIUS * (1 - 0.42 * wet)
    middle = _Y + (_RADIUS - height) * 0.9
    ball = [
        (_X + half * math.cos(angle), middle + height * math.sin(angle))
        for angle in (2 * math.pi * index / 60 for index in range(60))
    ]
    shapes = [Shape("paste", line(ball, closed=True))]
    # The fingers leave their grooves in a ball that binds; a wet one closes over them.
    shapes += (
        [Shape("groove", _groove(x, half, height, middle)) for x in (-26, -6, 14, 33)] if wet < 0.4 else []
    )
    if not mixed:
        shapes += lumps("powder", _POCKETS)
        shapes += [Shape("tuft", path) for path in _TUFTS]
    shapes += palm()
    if wet > 0.3:
        shapes.append(Shape("film", _shine(half, height, middle)))
        for index, x in enumerate((40, 74, 108, 140, 172)[: round(5 * wet)]):
            shapes += drip(x, 138 + 9 * (index % 2) + (8 if 60 < x < 160 else 0), 6 + 5 * (index % 3))
    return shapes


_POCKETS = ((84.0, 62.0, 15.0), (128.0, 92.0, 17.0), (122.0, 48.0, 10.0))
_TUFTS = (
    "M64,88 l16,-10 m-14,2 l14,8 m-6,-14 l-2,18",
    "M134,60 l16,8 m-16,2 l18,-6 m-10,-8 l4,18",
    "M96,104 l14,-6 m-12,-2 l10,10 m-2,-12 l-4,14",
)


def _groove(offset: float, half: float, height: float, middle: float) -> str:
    reach = height * math.sqrt(max(0.0, 1 - (offset / half) ** 2)) * 0.86
    x = _X + offset
    return f"M{x:.1f},{middle - reach:.1f} Q{x + 9:.1f},{middle - reach / 3:.1f} {x + 3:.1f},{middle + reach / 3:.1f}"


def _shine(half: float, height: float, middle: float) -> str:
    arc: list[Point] = [
        (_X + 0.8 * half * math.cos(angle), middle + 0.82 * height * math.sin(angle))
        for angle in (math.radians(200 + 7 * index) for index in range(15))
    ]
    return line(arc)


def _fallen_apart(dry: float) -> list[Shape]:
    """Loose pieces where a ball should be."""
    pieces = (
        (72, 100, 19),
        (104, 104, 24),
        (140, 104, 18),
        (92, 82, 13),
        (120, 80, 11),
        (54, 96, 10),
        (160, 98, 9),
    )
    return lumps("paste", [(x, y, r * (0.8 + 0.2 * dry)) for x, y, r in pieces], rough=0.34)
