"""A cupful of fine high-strength mix poured onto a clean plate."""

import math

from keeve.drawing.states.shape import (
    Point,
    Shape,
    circle,
    cracks,
    drop,
    dryness,
    excess,
    line,
    lumps,
    scattered,
)

_X, _PLATE = 125.0, 142.0
_BUBBLES = (
    (70, 122, 5),
    (98, 124, 7),
    (130, 121, 6),
    (160, 124, 8),
    (186, 123, 4),
    (114, 130, 4),
    (146, 131, 4),
)


def self_level(wetness: float, mixed: bool) -> list[Shape]:
    """The pour.

    Args:
        wetness: 0 stays in a pile, 0.5 levels while bubbles burst, 1 bleeds at its rim.
        mixed: whether crumbs are left in it.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes = [
        Shape("board", f"M6,{_PLATE} H244 L232,{_PLATE + 16} H18 Z"),
        Shape("paste", line(_body(dry), closed=True)),
    ]
    if dry > 0.5:
        shapes += cracks("M106,66 l10,20 l-8,24", "M140,72 l-8,18 l12,24", "M84,104 l12,16")
        shapes += scattered(((58, 136, 4), (192, 136, 5), (48, 138, 3), (204, 138, 3)))
    elif wet < 0.3 and mixed:
        shapes += [Shape("bubble", circle(*place)) for place in _BUBBLES]
        shapes += [Shape("burst", _burst(84, 108)), Shape("burst", _burst(148, 106))]
    if not mixed:
        shapes += lumps(
            "powder", ((78, 126, 9), (110, 122, 12), (150, 124, 11), (182, 128, 8), (128, 132, 6))
        )
    if wet > 0.3:
        shapes += [
            Shape("puddle", f"M8,{_PLATE} Q16,{_PLATE - 9} 42,{_PLATE - 8} L42,{_PLATE} Z"),
            Shape("puddle", f"M242,{_PLATE} Q234,{_PLATE - 9} 208,{_PLATE - 8} L208,{_PLATE} Z"),
            Shape("film", "M42,122 Q125,112 208,122"),
            *(Shape("grain", circle(52 + (n * 29) % 150, 138 - (n % 2) * 3.5, 2.4)) for n in range(26)),
            *(drop(x, y) for x, y in ((12, 150), (236, 150), (24, 158))),
        ]
    shapes.append(Shape("vessel", "M174,8 l52,16 l-14,44 l-52,-16 Z"))
    return shapes if dry > 0.5 else [*shapes, Shape("stroke-mark", "M152,58 q-8,10 -8,22")]


def _burst(x: float, y: float) -> str:
    """A bubble that has just burst."""
    return f"M{x - 9},{y} q-3,-6 -7,-8 M{x},{y - 3} v-10 M{x + 9},{y} q3,-6 7,-8"


def _body(dry: float) -> list[Point]:
    """Flat with a round rim where it levels, a stockpile where it does not."""
    half, height = 96 - 38 * dry, 24 + 58 * dry
    power = 7 - 4.6 * dry
    return [
        (_X + half * u, _PLATE - height * (1 - abs(u) ** power) + 1.4 * dry * math.sin(u * 21))
        for u in (-1 + n / 24 for n in range(49))
    ]
