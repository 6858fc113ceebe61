"""The life line: a load's working time from first water, what is used of it, and its end."""

from dataclasses import dataclass

WIDTH = 400.0
_LEFT, _RIGHT = 3.0, 397.0


@dataclass(frozen=True)
class LifeLine:
    """The line and the part of it that is used, in drawing units."""

    left: float
    right: float
    length: float
    used_width: float


def life_line(used_fraction: float) -> LifeLine:
    """The line of a load of whose working time this share is used."""
    length = _RIGHT - _LEFT
    return LifeLine(_LEFT, _RIGHT, length, min(max(used_fraction, 0.0), 1.0) * length)
