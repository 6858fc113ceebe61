"""The makings of sketches: flat faces in space, and the sizes on them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

# Depth runs up to the right at half its length, the draughtsman's cabinet projection.
BACK_X, BACK_Y = 0.42, 0.27
# Right, back and up, m.
Place = tuple[float, float, float]


class Face(NamedTuple):
    """A flat face: its class in the style sheet, and its corners."""

    style: str
    corners: Sequence[Place]
    is_closed: bool = True


class Size(NamedTuple):
    """A size on the figure: its two ends, its name, and on which side of it the text is."""

    one: Place
    other: Place
    name: str
    side: str = "below"


class DrawnSolid(NamedTuple):
    """The faces back to front, and the sizes."""

    faces: list[Face]
    sizes: list[Size]


@dataclass(frozen=True)
class SizedItem:
    """An item of a job, and its plain sizes."""

    need: Mapping[str, Any]
    sizes: Mapping[str, float]

    def __getitem__(self, name: str) -> float:
        return self.sizes[name]

    def get(self, name: str, otherwise: float) -> float:
        return self.sizes.get(name, otherwise)


Drawing = tuple[DrawnSolid, Mapping[str, float], bool]
