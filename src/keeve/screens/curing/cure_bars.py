"""The bars of a pour's tasks against time: what lasts, what is to be done within, what may be done from then on.

Early hours need room and late weeks do not, so the axis goes by the square root of the time. Places are percent of
the width: whatever that is, nothing is distorted.
"""

import math
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.curing.pours import PourLine, Task

_LEAST_DAYS = 7.0
_TICKS_H: Sequence[tuple[float, str]] = (
    (24, "1 day"), (72, "3"), (168, "7"), (336, "14"), (672, "28"), (1344, "56"), (2016, "84"), (2688, "112"),
)  # fmt: skip


class CureBar(NamedTuple):
    """A bar: its kind, its left edge and width, the band of its beginning (from and to; None: no band)."""

    kind: str
    left: float
    width: float
    band: tuple[float, float] | None


class CureBars(NamedTuple):
    """The bars in the order of the tasks, the ticks of the axis with their words, where now is (None: beyond)."""

    bars: Sequence[CureBar]
    ticks: Sequence[tuple[float, str]]
    now_x: float | None


def cure_bars(pour: PourLine, now: datetime) -> CureBars:
    """The bars of a pour."""
    begun = pour.cure.first_at
    tasks = [line.task for line in pour.tasks]
    ends = [moment for task in tasks for moment in (task.begins, task.ends, task.latest) if moment]
    last = max([*ends, begun + timedelta(days=_LEAST_DAYS)])
    whole_h = (last - begun) / timedelta(hours=1) * 1.12

    def x(hours: float) -> float:
        return 100 * math.sqrt(min(max(hours, 0.0) / whole_h, 1.0))

    def at(moment: datetime) -> float:
        return x((moment - begun) / timedelta(hours=1))

    def bar(task: Task) -> CureBar:
        left = at(task.begins)
        right = at(task.ends) if task.ends else 100.0
        band = (at(task.earliest), at(task.latest)) if task.earliest and task.latest else None
        return CureBar(task.kind, left, max(right - left, 0.5), band)

    is_shown = begun <= now and (now - begun) / timedelta(hours=1) <= whole_h
    return CureBars(
        bars=[bar(task) for task in tasks],
        ticks=[(x(hours), words) for hours, words in _TICKS_H if hours < whole_h * 0.93],
        now_x=at(now) if is_shown else None,
    )
