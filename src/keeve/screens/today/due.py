"""Due tasks of the crew's pours: what to keep, what to do, what may be done, by the hour."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.curing.pours import PourLine, TaskLine

# What begins within a day and a half is told beforehand; what may be done, for a day after it began.
_AHEAD, _NEWS = timedelta(hours=36), timedelta(hours=24)


class DueLine(NamedTuple):
    """A task that is due, with its pour."""

    pour: PourLine
    line: TaskLine


def due(pours: Sequence[PourLine], now: datetime) -> list[DueLine]:
    """The tasks due of the pours: those that are late first, then by when they begin."""
    found = [DueLine(pour, line) for pour in pours for line in pour.tasks if _is_due(line, now)]
    return sorted(found, key=lambda each: (each.line.state != "late", each.line.task.begins))


def _is_due(line: TaskLine, now: datetime) -> bool:
    task, state = line.task, line.state
    if state == "later":
        return task.begins - now <= _AHEAD
    if task.kind == "may":
        return state == "now" and now - task.begins <= _NEWS
    return state in ("late", "now")
