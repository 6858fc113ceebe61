"""The pieces that state drawings are made of. Nothing is left to chance: the same wetness, the same drawing."""

import math
from collections.abc import Sequence
from typing import NamedTuple

Point = tuple[float, float]


class Shape(NamedTuple):
    """A path with its look, which is a class of drawings.css."""

    look: str
    path: str


def dryness(wetness: float) -> float:
    """How much too dry, 0 to 1."""
    return max(0.0, 1 - wetness / 0.4)


def excess(wetness: float) -> float:
    """How much too wet, 0 to 1."""
    return max(0.0, (wetness - 0.6) / 0.4)


def line(points: Sequence[Point], *, closed: bool = False) -> str:
    """A path through points."""
    return "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in points) + (" Z" if closed else "")


def circle(x: float, y: float, radius: float) -> str:
    """A circle as a path."""
    half = f"a{radius:.1f},{radius:.1f} 0 1 0"
    return f"M{x - radius:.1f},{y:.1f} {half} {2 * radius:.1f},0 {half} {-2 * radius:.1f},0 Z"


def lump(x: float, y: float, radius: float, seed: int = 0, flat: float = 0.78, rough: float = 0.2) -> str:
    """A closed shape, round but uneven.

    Args:
        x: its middle.
        y: its middle.
        radius: half its width.
        seed: turns the unevenness.
        flat: its height over its width.
        rough: how uneven it is.
    """
    around = [2 * math.pi * index / 28 for index in range(28)]
    reach = [
        radius * (1 + rough * (0.7 * math.sin(3 * angle + seed * 1.7) + 0.4 * math.sin(5 * angle + seed)))
        for angle in around
    ]
    return line(
        [(x + r * math.cos(a), y + flat * r * math.sin(a)) for a, r in zip(around, reach, strict=True)],
        closed=True,
    )


def drop(x: float, y: float) -> Shape:
    """A drop of water, its tip at x and y."""
    return Shape("drop", f"M{x:.1f},{y:.1f} q-5,9 0,13 q5,-4 0,-13 Z")


def cracks(*paths: str) -> list[Shape]:
    """Cracks along these paths."""
    return [Shape("crack", path) for path in paths]


def lumps(look: str, places: Sequence[tuple[float, float, float]], rough: float = 0.2) -> list[Shape]:
    """Uneven lumps at x, y, and half their width."""
    return [Shape(look, lump(*place, seed=index, rough=rough)) for index, place in enumerate(places)]


def scattered(places: Sequence[tuple[float, float, float]]) -> list[Shape]:
    """Crumbs at x, y, and their radius."""
    return [Shape("crumb", circle(*place)) for place in places]


def drip(x: float, y: float, length: float) -> list[Shape]:
    """A run of slurry with a drop under it."""
    end = y + length
    return [
        Shape("drip", line([(x, y), (x, end)])),
        Shape("drop", f"M{x:.1f},{end + 3:.1f} q-5,8 0,11 q5,-3 0,-11 Z"),
    ]


def ragged(index: int) -> float:
    """Unevenness along a line, −1 to 1."""
    return math.sin(index * 1.9) * 0.6 + math.sin(index * 4.3 + 1) * 0.4


_HAND = (
    "M10,112 Q6,125 20,131 L82,152 Q130,167 186,150 L248,144 L248,106 L206,110 Q198,78 184,78 Q172,80 180,106 "
    "Q150,128 108,124 Q60,119 28,103 Q14,100 10,112 Z"
)
_FINGERS = ("M20,117 Q52,129 86,138", "M34,110 Q60,121 92,128")


def palm() -> list[Shape]:
    """An open gloved hand, to be drawn in front of what lies in it."""
    return [Shape("glove", _HAND), *(Shape("seam", path) for path in _FINGERS)]


def crumbs(dry: float) -> list[Shape]:
    """Crumbs that fall past a hand."""
    places = ((16, 142, 4), (30, 158, 3), (48, 150, 5), (66, 166, 3), (206, 160, 4), (226, 168, 3), (94, 170, 4),
              (8, 166, 3), (190, 172, 3), (140, 172, 2.5))  # fmt: skip
    return scattered(places[: round(10 * dry)])
