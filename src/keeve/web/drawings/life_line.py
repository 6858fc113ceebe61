"""The life line: a load's working life from first water, what is used of it, and its end."""

from dataclasses import dataclass
from datetime import datetime

from keeve.services.running import RunningLoad

WIDTH = 400.0
_LEFT, _RIGHT = 3.0, 397.0


@dataclass(frozen=True)
class LifeLine:
    """Where the life used up ends on the line, in drawing units, and when all of it is."""

    left: float
    right: float
    used_x: float
    dead_at: datetime


def life_line(running: RunningLoad, now: datetime) -> LifeLine | None:
    """The life line of a load; None before first water."""
    began, dead_at = running.batch.first_water_at, running.batch.dead_at(running.plan.mix.life_min)
    if began is None or dead_at is None:
        return None
    used = min(max((now - began) / (dead_at - began), 0.0), 1.0)
    return LifeLine(_LEFT, _RIGHT, _LEFT + used * (_RIGHT - _LEFT), dead_at)
