"""Plaster as it sets, from milk to hard, by what happens on a trowel, under a knife, under a nail."""

from collections.abc import Callable, Sequence

from keeve.drawing.states.shape import Shape, line

_BLADE_Y = 62.0


def plaster_stages(wetness: float, mixed: bool) -> list[Shape]:
    """One of the six stages.

    Args:
        wetness: 1 milk, over cream, thick cream, 0.5 soft butter and cheese to 0 hard.
        mixed: always; setting plaster is smooth.
    """
    return _STAGES[min(int((1 - wetness) * len(_STAGES)), len(_STAGES) - 1)]()


# The names of the stages in the order they come.
STAGES = ("milk", "cream", "thick-cream", "trowel", "carve", "hard")


def stage_drawing(stage: str) -> list[Shape]:
    """The drawing of a stage by its name."""
    return _STAGES[STAGES.index(stage)]()


def _trowel() -> list[Shape]:
    return [
        Shape("steel", f"M8,{_BLADE_Y} H196 l-10,9 H24 Z"),
        Shape("tang", f"M188,{_BLADE_Y + 3} q16,0 16,-14"),
        Shape("handle", f"M198,{_BLADE_Y - 10} l30,-10 q6,-1 6,5 t-4,7 l-29,9 Z"),
    ]


def _pool(*more: Shape) -> list[Shape]:
    """A bucket's surface below the trowel."""
    return [Shape("plaster-face", "M10,150 a115,20 0 1 0 230,0 a115,20 0 1 0 -230,0 Z"), *more]


def _milk() -> list[Shape]:
    falls = [
        Shape("milk-run", f"M{x},{_BLADE_Y + 9} q-6,{high / 2} 0,{high} q6,-{high / 2} 0,-{high} Z")
        for x, high in ((40, 34), (78, 58), (118, 44), (156, 64))
    ]
    rings = [Shape("ripple", f"M{x - w},150 a{w},{w / 5} 0 1 0 {2 * w},0 a{w},{w / 5} 0 1 0 {-2 * w},0")
             for x, w in ((78, 26), (156, 30), (118, 14))]  # fmt: skip
    return [*_pool(*rings), *falls, Shape("film", f"M20,{_BLADE_Y - 3} H186"), *_trowel()]


def _cream() -> list[Shape]:
    stream = "M84,66 Q92,100 92,146 L112,146 Q112,100 122,66 Z"
    return [
        *_pool(Shape("contour", "M72,150 a30,7 0 1 0 60,0 a30,7 0 1 0 -60,0")),
        Shape("plaster", stream),
        Shape("plaster", f"M14,{_BLADE_Y} Q104,{_BLADE_Y - 16} 192,{_BLADE_Y} Z"),
        *_trowel(),
    ]


def _thick_cream() -> list[Shape]:
    """It falls in a ribbon that lies on itself in folds."""
    folds = "M62,152 q40,14 84,0 q-6,-12 -20,-12 q14,-3 6,-12 q-28,10 -56,0 q-8,9 4,12 q-14,1 -18,12 Z"
    return [
        *_pool(),
        Shape("plaster", folds),
        Shape("plaster", "M74,66 Q92,92 94,132 L114,132 Q112,92 134,66 Z"),
        *(Shape("seam", path) for path in ("M66,148 q38,12 78,0", "M78,136 q26,8 52,0")),
        Shape("plaster", f"M14,{_BLADE_Y} Q60,{_BLADE_Y - 34} 104,{_BLADE_Y - 30} T192,{_BLADE_Y} Z"),
        *_trowel(),
    ]


def _butter() -> list[Shape]:
    """A heap that stays where it is put, its top pulled to a soft hook; and a coat on a board."""
    top = _BLADE_Y
    heap = (
        f"M22,{top} Q34,{top - 34} 66,{top - 44} Q90,{top - 62} 112,{top - 52} Q100,{top - 46} 112,{top - 40} "
        f"Q160,{top - 30} 184,{top} Z"
    )
    coat = "M20,168 V132 Q40,122 60,132 T100,130 T140,132 T180,130 T230,134 V168 Z"
    ridges = [Shape("seam", f"M{x},134 q4,12 0,26") for x in (44, 72, 104, 136, 168, 200)]
    return [
        Shape("plaster", heap),
        *_trowel(),
        Shape("plaster", coat),
        *ridges,
        Shape("floor", "M4,170 H246"),
    ]


def _cheese() -> list[Shape]:
    """A block from which a knife takes a curl."""
    block = [(20, 168), (20, 92), (132, 92), (150, 108), (230, 108), (230, 168)]
    curl = "M132,92 q14,-34 44,-30 q26,6 16,28 q-10,14 -24,4 q-8,-10 4,-16 q-14,-4 -22,12 q-4,10 0,18 Z"
    return [
        Shape("plaster", line(block, closed=True)),
        Shape("plaster", curl),
        Shape("steel", "M150,108 L226,66 l6,10 L160,110 Z"),
        Shape("handle", "M212,70 l10,-34 l14,2 l-4,36 Z"),
        Shape("floor", "M4,170 H246"),
    ]


def _hard() -> list[Shape]:
    """A sharp block: a nail only scratches it, and it rings."""
    block: Sequence[tuple[float, float]] = [(30, 168), (30, 88), (62, 66), (222, 66), (222, 146), (190, 168)]
    edges = ("M30,88 H190 V168", "M190,88 L222,66")
    scratch = ("M70,104 l26,9 l14,-3 l22,8", "M74,112 l16,6")
    return [
        Shape("plaster", line(block, closed=True)),
        *(Shape("edge", path) for path in edges),
        *(Shape("crack", path) for path in scratch),
        Shape("steel", "M132,118 L170,40 l10,4 L138,122 Z"),
        *(Shape("stroke-mark", path) for path in ("M36,50 l-12,-12", "M60,42 l-6,-16", "M16,70 l-14,-6")),
        Shape("floor", "M4,170 H246"),
    ]


_STAGES: Sequence[Callable[[], list[Shape]]] = (_milk, _cream, _thick_cream, _butter, _cheese, _hard)
