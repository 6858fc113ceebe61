"""A trowelful, shaken once."""

from keeve.drawing.states.shape import Shape, circle, drip, dryness, excess, line, lumps, ragged

_BLADE_Y = 118.0
_MIDDLE_X = 114.0
_POINTS = 48


def trowel(wetness: float, mixed: bool) -> list[Shape]:
    """The stockpile on the blade.

    Args:
        wetness: 0 too dry, 0.5 right, 1 too wet.
        mixed: whether it is of one colour; lumps show where it is not.
    """
    dry, wet = dryness(wetness), excess(wetness)
    half = 62 + 10 * (1 - dry) + 34 * wet
    height = 104 - 80 * wet
    power = 1.25 + 1.1 * (1 - dry) + 6 * wet
    rough = 9 * dry + 1.2 * (1 - wet)
    along = [(index, -1 + 2 * index / _POINTS) for index in range(_POINTS + 1)]
    surface = [
        (
            _MIDDLE_X + half * u,
            _BLADE_Y - height * (1 - abs(u) ** power) + rough * ragged(index) * (1 - abs(u) ** 8),
        )
        for index, u in along
    ]
    stockpile = [(_MIDDLE_X - half, _BLADE_Y), *surface, (_MIDDLE_X + half, _BLADE_Y)]
    shapes = [Shape("paste", line(stockpile, closed=True))]
    if not mixed:
        shapes += lumps("powder", ((88, 94, 15), (136, 78, 19), (114, 48, 11), (160, 104, 11)))
    shapes += [Shape("crack", _crack(x, height)) for x in (-34, -8, 21, 40)[: round(4 * dry)]]
    if wet > 0.3:
        shapes.append(Shape("film", line(surface[8:-8])))
    for index, x in enumerate((22, 58, 168, 200)[: round(4 * wet)]):
        shapes += drip(x, _BLADE_Y + 6, 14 + 9 * (index % 3))
    for index in range(round(13 * dry)):
        at = (18 + (index * 61) % 196, _BLADE_Y + 16 + (index * 37) % 40, 2.5 + (index * 7) % 5)
        shapes.append(Shape("crumb", circle(*at)))
    return [
        *shapes,
        Shape("steel", f"M8,{_BLADE_Y} H210 l-12,9 H30 Z"),
        Shape("tang", f"M202,{_BLADE_Y + 3} q14,0 14,-13"),
        Shape("handle", f"M210,{_BLADE_Y - 10} l26,-9 q6,-1 6,5 t-4,7 l-25,8 Z"),
    ]


def _crack(offset: float, height: float) -> str:
    x, top = _MIDDLE_X + offset, _BLADE_Y - height * (0.72 - abs(offset) / 90)
    return line([(x, top), (x + 5, top + 14), (x - 3, top + 26), (x + 3, top + 40)])
