"""A patch spread up a wall, the float still at its upper end."""

from keeve.drawing.states.shape import (
    Shape,
    cracks,
    drip,
    dryness,
    excess,
    line,
    lump,
    lumps,
    ragged,
    scattered,
)

_LEFT, _RIGHT, _TOP, _FOOT = 50.0, 168.0, 44.0, 128.0
_WALL = (
    "M4,30 H246 M4,66 H246 M4,102 H246 M4,138 H246",
    "M22,4 V30 M108,4 V30 M214,4 V30 M60,30 V66 M150,30 V66 M22,66 V102 M108,66 V102 M214,66 V102",
    "M60,102 V138 M150,102 V138 M22,138 V176 M108,138 V176 M214,138 V176",
)
_TORN = ((78, 112, 24), (126, 100, 27), (88, 72, 18), (146, 62, 17), (112, 52, 13), (62, 92, 11))


def float_hold(wetness: float, mixed: bool) -> list[Shape]:
    """The patch on the wall.

    Args:
        wetness: 0 drags and tears, 0.5 spreads and hangs, 1 slides and falls.
        mixed: whether it is even; lumps drag lines where it is not.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes = [Shape("joint", path) for path in _WALL]
    if dry > 0.5:
        shapes += lumps("paste", _TORN, rough=0.36)
        shapes += cracks("M72,118 l4,-66", "M104,118 l-3,-66", "M138,118 l4,-66")
        shapes += scattered(
            ((70, 146, 4), (98, 156, 5), (130, 150, 3), (150, 164, 4), (84, 168, 3), (118, 170, 4))
        )
    else:
        shapes.append(Shape("paste", line(_patch(wet), closed=True)))
    if not mixed:
        for index, (x, y, r) in enumerate(((78, 76, 9), (112, 64, 11), (144, 84, 9))):
            shapes += [
                Shape("groove", f"M{x - r / 2},{y} V124 M{x + r / 2},{y} V124"),
                Shape("powder", lump(x, y, r, index)),
            ]
    elif dry <= 0.5 and wet < 0.3:
        shapes += [Shape("trowelled", f"M{x},118 q5,-34 0,-62") for x in (74, 98, 122, 146)]
    if wet > 0.3:
        shapes.append(Shape("film", line(_patch(wet)[:9])))
        for index, x in enumerate((66, 92, 122, 152)):
            shapes += drip(x, 146 + 4 * (index % 2), 6 + 7 * (index % 2))
        shapes.append(Shape("paste", "M58,178 q14,-12 40,-9 q34,-6 66,9 Z"))
    return [
        *shapes,
        Shape("board", f"M{_LEFT - 14},{_TOP - 12} H{_RIGHT + 14} v14 H{_LEFT - 14} Z"),
        Shape("handle", "M92,12 h36 q8,0 8,8 v12 h-10 v-8 h-32 v8 h-10 v-12 q0,-8 8,-8 Z"),
    ]


def _patch(wet: float) -> list[tuple[float, float]]:
    """The outline of the patch: straight where it hangs, slid down in a belly where it is too wet."""
    foot = []
    for index in range(25):
        u = index / 24
        sag = wet * (22 * abs(ragged(index)) + 6) + (1 - wet) * 2 * ragged(index)
        foot.append((_RIGHT - (_RIGHT - _LEFT) * u, min(_FOOT + sag, 152)))
    top = _TOP + 26 * wet
    crest = [(_LEFT + (_RIGHT - _LEFT) * u / 8, top + 10 * wet * abs(ragged(u))) for u in range(9)]
    return [*crest, *foot]
