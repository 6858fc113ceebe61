"""A levelled patch, cut open, looked along against the light."""

from keeve.drawing.states.shape import Shape, cracks, drop, dryness, excess, lump, scattered

_TOP = "M18,96 L70,58 H240 L196,96 Z"
_FRONT = "M18,96 H196 V150 H18 Z"
_SIDE = "M196,96 L240,58 V112 L196,150 Z"
_FILM = "M24,95 Q60,50 120,62 Q190,52 234,60 Q214,90 194,95 Q104,102 24,95 Z"


def bleed(wetness: float, mixed: bool) -> list[Shape]:
    """The surface after a minute.

    Args:
        wetness: 0 crumbles, 0.5 matt, 1 a film of water on top.
        mixed: whether it is of one colour.
    """
    dry, wet = dryness(wetness), excess(wetness)
    shapes = [Shape("concrete", _FRONT), Shape("concrete", _SIDE), Shape("face", _TOP)]
    if dry > 0.5:
        shapes += cracks("M40,90 l22,-8 l8,-14", "M96,94 l16,-16 l24,-4", "M150,92 l10,-20 l26,-8")
        shapes += scattered(
            ((60, 54, 4), (112, 50, 3), (160, 52, 5), (206, 52, 3), (30, 158, 4), (140, 158, 5))
        )
    if not mixed:
        flat = ((70, 82, 20), (128, 72, 24), (184, 76, 18))
        shapes += [Shape("powder", lump(*place, seed=index, flat=0.34)) for index, place in enumerate(flat)]
        shapes += [Shape("powder", lump(60, 124, 13, 2)), Shape("powder", lump(140, 128, 15, 5))]
    elif dry <= 0.5 and wet < 0.3:
        shapes += [Shape("trowelled", f"M{40 + 36 * index},88 q26,-18 42,-24") for index in range(4)]
    if wet > 0.3:
        shapes += [Shape("puddle", _FILM), Shape("film", "M20,98 H194 L237,62")]
        shapes += [
            Shape("glint", path) for path in ("M64,84 h34", "M84,75 h52", "M150,80 h36", "M128,69 h60")
        ]
        shapes += [drop(52, 104), drop(120, 108), drop(176, 102)]
    return [*shapes, Shape("stroke-mark", "M14,44 l30,8 M22,26 l26,14")]
