"""The paddle lifted out of the tub, and what runs off it."""

from keeve.drawing.states.shape import Shape, cracks, drop, dryness, excess, lumps, scattered

_SURFACE = 138.0
_TUB = f"M44,{_SURFACE - 14} L56,176 H196 L208,{_SURFACE - 14}"
_CLINGING = "M92,58 q-18,14 -8,34 q6,22 30,26 q28,8 44,-10 q20,-18 6,-40 q-8,-20 -36,-20 q-24,-4 -36,10 Z"
_STREAM = (
    "M98,78 Q104,96 112,104 Q118,120 116,132 Q104,134 92,140 Q126,154 160,140 Q148,134 138,132 Q136,118 142,104 "
    "Q150,94 154,78 Z"
)
_PADDLE = [
    Shape("shaft", "M126,4 V70"),
    Shape("steel", "M92,62 q34,-18 68,0 l-6,18 q-28,-14 -56,0 Z"),
    Shape("steel", "M96,80 q30,14 60,0 l-4,9 q-26,10 -52,0 Z"),
]


def thin_pour(wetness: float, mixed: bool) -> list[Shape]:
    """The mix as it runs off the paddle.

    Args:
        wetness: 0 clings and does not run, 0.5 a thick stream, 1 runs like milk.
        mixed: whether lumps come with it.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes = [Shape("paste", f"M48,{_SURFACE} H204 L196,176 H56 Z")]
    if dry > 0.5:
        shapes.append(Shape("paste", _CLINGING))
        shapes += cracks("M104,66 l10,16 l-6,14", "M140,62 l-8,20 l8,14", "M70,150 l22,8", "M150,148 l18,12")
        shapes += scattered(((96, 128, 4), (150, 126, 5), (124, 132, 3)))
    elif wet < 0.5:
        shapes.append(Shape("paste", _STREAM))
        shapes += [Shape("fold", path) for path in ("M100,140 q26,10 52,0", "M110,135 q16,6 32,0")]
    else:
        shapes += [Shape("drip", f"M{x},84 V{_SURFACE - 4}") for x in (104, 118, 132, 146)]
        shapes += [drop(x, y) for x, y in ((84, 96), (168, 100), (92, 118), (160, 122), (76, 128))]
        shapes.append(Shape("film", f"M52,{_SURFACE} q20,-6 38,0 t38,0 t38,0 t34,0"))
    if not mixed:
        shapes += lumps(
            "powder", ((120, 108, 13), (134, 128, 10), (78, 152, 13), (160, 156, 15), (112, 160, 9))
        )
    tub = Shape("vessel", _TUB)
    # What clings hides the paddle; what runs leaves it bare.
    return [*_PADDLE, *shapes, tub] if dry > 0.5 else [*shapes, *_PADDLE, tub]
