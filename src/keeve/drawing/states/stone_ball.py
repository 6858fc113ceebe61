"""A gloved handful of pervious concrete, squeezed once, the hand opened."""

import math

from keeve.drawing.states.shape import Shape, crumbs, drip, dryness, excess, lump, lumps, palm

_X, _Y = 108.0, 82.0
# Stones of the ball round its middle: x and y from it, and half their size.
_STONES = (
    (-34, 16, 15), (-8, 22, 16), (20, 20, 15), (42, 10, 12), (-42, -8, 13), (-18, -6, 16), (12, -6, 16), (36, -14, 13),
    (-26, -28, 13), (0, -32, 14), (24, -32, 11),
)  # fmt: skip
_LOOSE = (
    (44, 104, 13),
    (72, 106, 15),
    (104, 108, 14),
    (136, 108, 15),
    (166, 100, 11),
    (86, 84, 12),
    (122, 84, 13),
)
_LOST = ((18, 152, 11), (52, 168, 12), (214, 162, 11), (100, 172, 9))
_DRAINING = "M30,104 Q34,64 82,58 Q140,50 172,84 Q190,110 168,126 H44 Q28,122 30,104 Z"
_ON_THE_GLOVE = "M26,112 Q60,128 108,131 Q152,134 182,116 Q196,134 178,146 Q126,162 70,144 Q26,134 26,112 Z"


def stone_ball(wetness: float, mixed: bool) -> list[Shape]:
    """The ball on the palm.

    Args:
        wetness: 0 dull and falls apart, 0.5 holds and shines, 1 the paste drains off.
        mixed: whether every stone is coated.
    """
    dry, wet = dryness(wetness), excess(wetness)
    if dry > 0.5:
        return [*lumps("bare-stone", _LOOSE), *palm(), *crumbs(dry), *lumps("bare-stone", _LOST)]
    if wet > 0.4:
        drained = [(_X + x, _Y + y + 16 * wet, r - 2 * wet) for x, y, r in _STONES[::2]]
        shapes = [Shape("puddle-paste", _DRAINING), *lumps("stone", drained)]
    else:
        shapes = [Shape("coat", lump(_X + x, _Y + y, r + 4, n)) for n, (x, y, r) in enumerate(_STONES)]
        for n, (x, y, r) in enumerate(_STONES):
            shapes.append(
                Shape("coated-stone" if mixed or n % 2 == 0 else "bare-stone", lump(_X + x, _Y + y, r, n))
            )
        if mixed:
            shapes += [Shape("glint", _shine(_X + x, _Y + y, r)) for x, y, r in _STONES]
    if not mixed:
        shapes += lumps("powder", ((74, 92, 13), (132, 70, 14), (110, 104, 11)))
    shapes += palm()
    if wet > 0.3:
        shapes += [Shape("puddle-paste", _ON_THE_GLOVE), Shape("film", "M46,92 Q60,66 100,64 Q146,60 166,88")]
        for index, x in enumerate((48, 80, 112, 144, 170)):
            shapes += drip(x, 144 + 5 * (index % 2), 6 + 6 * (index % 3))
    return shapes


def _shine(x: float, y: float, radius: float) -> str:
    """A short bright arc on the upper left of a wet stone."""
    r, first, last = radius * 0.62, math.radians(205), math.radians(265)
    return (
        f"M{x + r * math.cos(first):.1f},{y + r * math.sin(first) * 0.8:.1f} "
        f"Q{x - r * 0.8:.1f},{y - r * 0.8:.1f} {x + r * math.cos(last):.1f},{y + r * math.sin(last) * 0.8:.1f}"
    )
