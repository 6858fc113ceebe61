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
