"""A stroke of tinted finish drawn on a board."""

from keeve.drawing.states.shape import Shape, cracks, drip, dryness, excess, line, lump, ragged, scattered

_BOARD = "M8,26 H242 V164 H8 Z"
_STREAKS = ((86, 78, 46), (134, 92, 52), (84, 104, 44), (158, 112, 34))


def tint(wetness: float, mixed: bool) -> list[Shape]:
    """The stroke.

    Args:
        wetness: 0 torn, 0.5 whole, 1 runs.
        mixed: whether it is of one colour; streaks show where it is not.
    """
    dry, wet = dryness(wetness), excess(wetness)
    edge = 1.8 + 9.6 * dry
    upper = [(30 + 4.2 * n, 64 + edge * ragged(n)) for n in range(41)]
    lower = [(198 - 4.2 * n, 122 + edge * ragged(n + 7)) for n in range(41)]
    shapes = [Shape("board", _BOARD), Shape("paste", line([*upper, *lower], closed=True))]
    if dry > 0.5:
        shapes += cracks("M60,70 l12,20 l-8,26", "M112,66 l-10,24 l10,28", "M160,70 l8,22 l-10,22")
        shapes += scattered(((50, 144, 4), (96, 150, 3), (140, 146, 5), (176, 150, 3)))
    if not mixed:
        for index, place in enumerate(_STREAKS):
            shapes.append(Shape("powder", lump(*place, seed=index, flat=0.1, rough=0.14)))
    elif dry <= 0.5 and wet < 0.3:
        shapes += [Shape("trowelled", f"M44,{y} H{184 - y / 3:.0f}") for y in (78, 93, 108)]
    if wet > 0.3:
        shapes.append(Shape("film", line(upper[3:-3])))
        for index, x in enumerate((56, 90, 128, 164)):
            shapes += drip(x, 122, 12 + 8 * (index % 3))
    return [
        *shapes,
        Shape("steel", "M198,48 h10 v92 h-10 Z"),
        Shape("handle", "M212,82 h24 q6,0 6,7 v10 q0,7 -6,7 h-24 Z"),
    ]
