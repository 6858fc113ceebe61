"""Concrete in the turning drum, looked at from the side of its mouth."""

import math

from keeve.drawing.states.shape import Point, Shape, circle, dryness, excess, line, lump, lumps

_X, _Y, _RADIUS = 125.0, 90.0, 82.0
_INSIDE = 74.0


def slow_fold(wetness: float, mixed: bool) -> list[Shape]:
    """The mix as it turns in the drum.

    Args:
        wetness: 0 rolls in balls, 0.5 folds slowly, 1 slops.
        mixed: whether powder is left at the back.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes = [Shape("drum", circle(_X, _Y, _RADIUS)), Shape("hollow", circle(_X, _Y, _INSIDE))]
    if dry > 0.5:
        return [*shapes, *_balls(dry)]
    # The drum turns and carries a stiff load up its right side; a wet one lies level.
    tilt = math.radians(30 * (1 - wet))
    shapes.append(Shape("concrete", _load(tilt, wet)))
    if wet < 0.4:
        shapes += [Shape("fold", _fold(tilt, depth)) for depth in (16.0, 36.0, 56.0)]
    if not mixed:
        shapes += lumps("powder", _AT_THE_BACK)
    if wet > 0.3:
        shapes += [Shape("film", line(_surface(tilt, wet)[6:-6])), *_splashes(wet)]
    return shapes


_AT_THE_BACK = ((96.0, 40.0, 22.0), (66.0, 66.0, 15.0), (132.0, 92.0, 14.0), (150.0, 128.0, 11.0))


def _surface(tilt: float, wet: float) -> list[Point]:
    """The free surface: tilted and bulging where it folds, level with small waves where it slops."""
    points = []
    for index in range(41):
        u = -1 + index / 20
        bulge = 26 * (1 - wet) * math.cos(u * math.pi / 2) - 4 * wet * math.sin(u * 11)
        along = u * (_INSIDE - 3)
        x = along * math.cos(tilt) - bulge * math.sin(tilt)
        y = 16 * wet + 14 - along * math.sin(tilt) - bulge * math.cos(tilt)
        reach = math.hypot(x, y)
        shrink = min(1.0, (_INSIDE - 1) / reach) if reach else 1.0
        points.append((_X + x * shrink, _Y + y * shrink))
    return points


def _load(tilt: float, wet: float) -> str:
    surface = _surface(tilt, wet)
    first, last = (math.atan2(y - _Y, x - _X) for x, y in (surface[0], surface[-1]))
    sweep = (first - last) % (2 * math.pi)
    wall = [
        (_X + (_INSIDE - 1) * math.cos(angle), _Y + (_INSIDE - 1) * math.sin(angle))
        for angle in (last + sweep * index / 30 for index in range(31))
    ]
    return line([*surface, *wall], closed=True)


def _fold(tilt: float, depth: float) -> str:
    """One slow fold: a thick line under the surface, curling where it turns over."""
    half = math.sqrt(max(_INSIDE**2 - (depth + 8) ** 2, 0.0)) * 0.66
    points = []
    for index in range(25):
        u = -1 + index / 12
        along, under = u * half, depth - 24 * math.cos(u * math.pi / 2) + 5 * math.sin(u * 5)
        points.append(
            (
                _X + along * math.cos(tilt) + under * math.sin(tilt),
                _Y + 14 - along * math.sin(tilt) + under * math.cos(tilt),
            )
        )
    return line(points)


def _balls(dry: float) -> list[Shape]:
    """Balls rolling over each other, dry outside."""
    places = ((88, 132, 17), (122, 142, 19), (158, 130, 16), (104, 106, 13), (140, 106, 14), (174, 102, 11),
              (74, 106, 10), (122, 82, 10), (160, 80, 8), (184, 124, 7))  # fmt: skip
    return [
        Shape("concrete", lump(x, y, r, seed, flat=0.95, rough=0.12))
        for seed, (x, y, r) in enumerate(places[: round(10 * dry)])
    ]


def _splashes(wet: float) -> list[Shape]:
    places = ((92, 70), (112, 52), (138, 64), (158, 46), (76, 84), (172, 74))
    return [Shape("drop", f"M{x},{y} q-6,10 0,14 q6,-4 0,-14 Z") for x, y in places[: round(6 * wet)]]
