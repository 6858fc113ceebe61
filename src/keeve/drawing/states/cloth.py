"""A strip of cloth, dipped and hung over the wires of an armature."""

from keeve.drawing.states.shape import Point, Shape, dryness, excess, line, lumps

# The wires: the one it hangs over, and two below that it may grip.
_OVER: Point = (125.0, 50.0)
_BELOW: tuple[Point, ...] = ((82.0, 118.0), (168.0, 118.0))


def cloth(wetness: float, mixed: bool) -> list[Shape]:
    """The strip seen from its side.

    Args:
        wetness: 0 lumps of paste on it; 0.5 loaded, hangs and grips; 1 a milky film, slides off.
        mixed: whether the plaster is smooth.
    """
    dry, wet = dryness(wetness), excess(wetness)
    middle = _middle(wet)
    half = 2.5 + 9.5 * (1 - wet)
    shapes = [Shape("plaster", _thick(middle, half)), Shape("weave", line(middle))]
    if dry > 0.4:
        places = ((100, 74, 15), (108, 36, 14), (144, 34, 13), (152, 78, 16), (76, 110, 15), (178, 104, 16))
        shapes += lumps("plaster-lump", places, rough=0.34)
    if wet > 0.5:
        # It slips over the wire to one side, and what is on it runs off.
        shapes += [
            Shape("puddle", "M150,172 q6,-12 34,-12 q34,0 44,12 Z"),
            *(Shape("milk-run", f"M{x},{y} q-5,{high / 2} 0,{high} q5,-{high / 2} 0,-{high} Z")
              for x, y, high in ((92, 112, 26), (160, 96, 20), (178, 118, 24), (166, 136, 20))),
            *(Shape("stroke-mark", path) for path in ("M196,60 l8,22", "M210,54 l8,22")),
        ]  # fmt: skip
    wires = [
        Shape("wire-rod", f"M{x - 7},{y} a7,7 0 1 0 14,0 a7,7 0 1 0 -14,0 Z") for x, y in (_OVER, *_BELOW)
    ]
    return [*shapes, *wires, Shape("floor", "M4,174 H246")]


def _middle(wet: float) -> list[Point]:
    """The line of the strip: bent round the wires that it grips, or straight down where it slides."""
    x, y = _OVER
    grip = 1 - wet
    left_end, right_end = 158 - 46 * wet, 158 + 8 * wet
    left = [
        (x - 26 - 6 * grip, left_end),
        (x - 28 - 2 * grip, 136),
        (x - 25 - 27 * grip, 112),
        (x - 22 - 6 * grip, 84),
    ]
    over = [(x - 16, y - 4), (x - 8, y - 15), (x, y - 18), (x + 8, y - 15), (x + 16, y - 4)]
    right = [
        (x + 22 + 6 * grip, 84),
        (x + 25 + 27 * grip, 112),
        (x + 28 + 2 * grip, 136),
        (x + 30 + 4 * grip, right_end),
    ]
    return [
        *(point for point in left if point[1] <= left_end),
        *over,
        *(point for point in right if point[1] <= right_end),
    ]


def _thick(middle: list[Point], half: float) -> str:
    """A band round a line: its upper and outer side, then back along the inner one."""
    outer, inner = [], []
    for index, (x, y) in enumerate(middle):
        before, after = middle[max(index - 1, 0)], middle[min(index + 1, len(middle) - 1)]
        dx, dy = after[0] - before[0], after[1] - before[1]
        length = max((dx * dx + dy * dy) ** 0.5, 1e-9)
        outer.append((x + dy / length * half, y - dx / length * half))
        inner.append((x - dy / length * half * 0.6, y + dx / length * half * 0.6))
    return line([*outer, *reversed(inner)], closed=True)
