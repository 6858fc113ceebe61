"""Mortar spread on a blade, the edge tapped once, the blade turned over."""

from keeve.drawing.states.shape import Point, Shape, drip, dryness, excess, line, lumps, ragged, scattered

_BLADE_Y = 50.0
_LEFT, _RIGHT = 26.0, 190.0
_FALLEN = ((62, 118, 17), (96, 148, 21), (142, 128, 15), (176, 158, 17), (40, 164, 12))


def trowel_tap(wetness: float, mixed: bool) -> list[Shape]:
    """The mix that hangs under the blade.

    Args:
        wetness: 0 falls off in lumps, 0.5 stays, 1 runs off.
        mixed: whether it is of one colour.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes: list[Shape] = []
    if dry > 0.5:
        shapes += lumps("paste", ((46, 66, 20), (128, 68, 26), (176, 60, 12)), rough=0.3)
        shapes += lumps("paste", _FALLEN, rough=0.34)
        shapes += scattered(
            ((84, 112, 4), (116, 108, 3), (120, 168, 4), (72, 140, 3), (164, 112, 4), (200, 142, 3))
        )
    else:
        shapes.append(Shape("paste", line(_hanging(wet), closed=True)))
    if not mixed:
        shapes += lumps("powder", ((60, 72, 13), (108, 76, 16), (156, 70, 12), (118, 150, 13), (74, 136, 9)))
    if wet > 0.3:
        shapes.append(Shape("film", line(_hanging(wet)[2:-2])))
        for index, x in enumerate((44, 84, 122, 162)):
            shapes += drip(x, 92, 22 + 16 * (index % 3))
        shapes.append(Shape("paste", "M30,176 Q60,160 108,163 Q166,158 196,176 Z"))
    return [
        *shapes,
        Shape("steel", f"M8,{_BLADE_Y} H210 l-12,-9 H30 Z"),
        Shape("tang", f"M202,{_BLADE_Y - 3} q14,0 14,13"),
        Shape("handle", f"M210,{_BLADE_Y + 10} l26,9 q6,1 6,-5 t-4,-7 l-25,-8 Z"),
        *(Shape("stroke-mark", path) for path in ("M14,22 q-8,8 -6,18", "M28,14 q-14,4 -20,14")),
    ]


def _hanging(wet: float) -> list[Point]:
    """The underside of what hangs: nearly even, draped in tongues where it runs."""
    edge = []
    for index in range(31):
        u = index / 30
        sag = 34 * (1 - abs(2 * u - 1) ** 6) + 1.6 * ragged(index)
        tongue = 16 * wet * abs(ragged(index * 2))
        edge.append((_LEFT + (_RIGHT - _LEFT) * u, _BLADE_Y + sag * (1 - 0.35 * wet) + tongue))
    return [(_LEFT, _BLADE_Y), *edge, (_RIGHT, _BLADE_Y)]
