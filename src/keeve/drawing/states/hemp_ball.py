"""A gloved handful of hemp and lime, squeezed once, then pressed with a thumb."""

import math

from keeve.drawing.states.shape import Shape, crumbs, drip, dryness, excess, line, lump, lumps, palm

_X, _Y, _RADIUS = 108.0, 84.0, 46.0
_SQUEEZED_OUT = (
    "M40,118 q10,-8 22,2 q12,8 24,2 q14,-4 24,4 q14,4 26,-2 q16,-6 26,2 q-6,18 -24,18 H66 q-22,-6 -26,-26 Z"
)


def hemp_ball(wetness: float, mixed: bool) -> list[Shape]:
    """The ball on the palm.

    Args:
        wetness: 0 crumbles, 0.5 just holds, 1 sticks and squeezes out paste.
        mixed: whether the binder is spread.
    """
    dry, wet = dryness(wetness), excess(wetness)
    if dry > 0.5:
        stockpile = [
            _straw(108 + 74 * math.cos(n * 2.4), 108 - 26 * abs(math.sin(n * 1.3)), n) for n in range(34)
        ]
        fallen = [_straw(14 + (n * 47) % 220, 150 + (n * 13) % 26, n) for n in range(12)]
        return [*stockpile, *palm(), *fallen, *crumbs(dry)]
    half, height, middle = _RADIUS * (1 + 0.3 * wet), _RADIUS * (1 - 0.3 * wet), _Y + 14 * wet
    around = (2 * math.pi * n / 48 for n in range(48))
    ball = [(_X + half * math.cos(angle), middle + height * math.sin(angle)) for angle in around]
    shapes = [Shape("coat", line(ball, closed=True))]
    for n in range(30):
        # Sunflower order spreads them evenly.
        angle, reach = n * 2.39996, 0.86 * math.sqrt((n + 0.5) / 30)
        shapes.append(
            _straw(_X + half * reach * math.cos(angle), middle + height * reach * math.sin(angle), n)
        )
    if wet < 0.4:
        shapes += [_straw(_X + 48 * math.cos(angle), _Y + 48 * math.sin(angle), n) for n, angle in _OUTSIDE]
    if not mixed:
        shapes += lumps("powder", ((84, 66, 15), (132, 84, 17), (104, 106, 12)))
    elif wet < 0.4:
        # The thumb has broken a piece off.
        shapes += [
            Shape("gap", "M132,44 l-12,16 l10,12 l-14,14"),
            Shape("coat", lump(176, 64, 13, 3, rough=0.3)),
        ]
        shapes += [_straw(176, 62, 2), _straw(172, 68, 5)]
    shapes += palm()
    if wet > 0.3:
        left, right, low, high = (
            _X - half * 0.8,
            _X + half * 0.8,
            middle - height * 0.5,
            middle - height * 1.15,
        )
        shapes.append(Shape("puddle-paste", _SQUEEZED_OUT))
        shapes.append(Shape("film", f"M{left:.1f},{low:.1f} Q{_X:.1f},{high:.1f} {right:.1f},{low:.1f}"))
        for index, x in enumerate((60, 92, 124, 152)):
            shapes += drip(x, 144, 6 + 6 * (index % 3))
    return shapes


# Straws that stand out of a ball that just holds.
_OUTSIDE = tuple((n, math.radians(188 + 18 * n)) for n in range(9))


def _straw(x: float, y: float, index: int) -> Shape:
    """A short piece of shiv, turned by its number."""
    angle = index * 1.13
    dx, dy = 9 * math.cos(angle), 6 * math.sin(angle)
    return Shape("straw", f"M{x - dx:.1f},{y - dy:.1f} L{x + dx:.1f},{y + dy:.1f}")
