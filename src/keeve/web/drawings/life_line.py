"""The life line: a load's working life from first water, what is used of it, and its end."""

from dataclasses import dataclass
from datetime import datetime

from keeve.core.running.working_life import Life

WIDTH = 400.0
_LEFT, _RIGHT = 3.0, 397.0


@dataclass(frozen=True)
class LifeLine:
    """Where the life used up ends on the line, in drawing units, and when all of it is."""

    left: float
    right: float
    used_x: float
    dead_at: datetime


def life_line(life: Life, now: datetime) -> LifeLine | None:
    """The life line of a load; None before first water."""
    if life.began_at is None or life.dead_at is None:
        return None
    used = min(max((now - life.began_at) / (life.dead_at - life.began_at), 0.0), 1.0)
    return LifeLine(_LEFT, _RIGHT, _LEFT + used * (_RIGHT - _LEFT), life.dead_at)
