"""Plaster sprinkled onto water: the bucket from above, and cut open from the side."""

import math

from keeve.drawing.states.shape import Shape, circle, dryness, excess, line, lump, ragged

# From above: the middle of the bucket and its radius. From the side: left and right wall, rim and bottom.
_X, _Y, _R = 62.0, 84.0, 56.0
_LEFT, _RIGHT, _RIM, _BOTTOM = 142.0, 240.0, 30.0, 164.0
# The islands, largest first: x, y, half their width.
_ISLANDS = (
    (44, 66, 19), (82, 102, 21), (86, 58, 15), (40, 108, 16), (63, 86, 11), (104, 82, 10), (62, 126, 12),
    (22, 84, 10), (64, 44, 9),
)  # fmt: skip


def islands(wetness: float, mixed: bool) -> list[Shape]:
    """The surface of the water and what lies under it.

    Args:
        wetness: 0 dry all over, powder heaped; 0.5 about half islands; 1 islands gone, water over the powder.
        mixed: always; it is not stirred yet.
    """
    dry, wet = dryness(wetness), excess(wetness)
    water_y = 92.0
    bed = water_y + 3 + 26 * wet
    top = [
        (
            _LEFT + 4 + (_RIGHT - _LEFT - 8) * index / 30,
            bed + 4 * ragged(index) * (1 - dry) - (14 * (1 - wet) if index % 10 in (3, 4, 5) else 0) * (1 - dry)
            - 36 * dry * math.sin(math.pi * index / 30) - 6 * dry,
        )
        for index in range(31)
    ]  # fmt: skip
    powder = [(_LEFT + 6, _BOTTOM - 2), *top, (_RIGHT - 6, _BOTTOM - 2)]
    shapes = [
        Shape("puddle", circle(_X, _Y, _R)),
        *_from_above(dry, wet),
        Shape("vessel", circle(_X, _Y, _R)),
        Shape("puddle", line([(_LEFT + 3, water_y), (_RIGHT - 3, water_y), (_RIGHT - 7, _BOTTOM), (_LEFT + 7, _BOTTOM)],
                             closed=True)),
        Shape("plaster", line(powder, closed=True)),
    ]  # fmt: skip
    wall = [(_LEFT, _RIM), (_LEFT + 6, _BOTTOM), (_RIGHT - 6, _BOTTOM), (_RIGHT, _RIM)]
    return [*shapes, Shape("vessel", line(wall))]


def _from_above(dry: float, wet: float) -> list[Shape]:
    """Islands of dry powder, or powder all over with its heap."""
    if dry > 0.5:
        rings = [
            Shape("contour", lump(_X + 4, _Y - 4, radius, seed=2, flat=1.0, rough=0.12))
            for radius in (34, 20, 8)
        ]
        return [Shape("plaster", circle(_X, _Y, _R)), *rings]
    shown = _ISLANDS[: round(len(_ISLANDS) * (1 - wet))]
    found = [
        Shape("plaster", lump(x, y, half * (1 + 0.5 * dry), seed=index, flat=0.9, rough=0.28))
        for index, (x, y, half) in enumerate(shown)
    ]
    if wet > 0.5:
        ripples = ((40, 70, 30), (60, 96, 40), (50, 118, 26))
        found += [Shape("ripple", f"M{x},{y} q{w / 4},-7 {w / 2},0 t{w / 2},0") for x, y, w in ripples]
    return found
