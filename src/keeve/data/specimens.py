"""Specimens of the crew's loads that are due."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Engine, bindparam, select
from sqlalchemy.orm import Session

from keeve.core.log.specimens import SpecimenLine, specimens_of
from keeve.data.accounts import Visitor
from keeve.data.load_store import read_loads_by_id
from keeve.store import models
from keeve.store.database import Question, crew_reading

# What is due by tomorrow evening is told; to a calendar, what is due in a quarter of a year. Of so many loads at most.
_AHEAD, _FAR_AHEAD, _MOST = timedelta(hours=36), timedelta(days=92), 40


class DueSpecimens(NamedTuple):
    """Specimens of a load that are due at the same age: the load, the name of its job, its number, whether they are
    late, and they.
    """

    load_id: UUID
    title: str
    number: int
    is_late: bool
    lines: Sequence[SpecimenLine]

    @property
    def due_at(self) -> datetime:
        """When they are due."""
        return self.lines[0].due_at


_DUE = Question(
    select(models.LogEntry.id)
    .where(models.LogEntry.due_at.is_not(None), models.LogEntry.due_at <= bindparam("until"))
    .order_by(models.LogEntry.due_at)
    .limit(_MOST)
)


def due_specimens(session: Session, now: datetime, ahead: timedelta = _AHEAD) -> list[DueSpecimens]:
    """Specimens of the session's crew that are due by then, or late; the first that is due before the others."""
    load_ids = [load_id for (load_id,) in _DUE.ask(session, until=now + ahead)]
    found = []
    for running in read_loads_by_id(session, load_ids):
        open_lines = [
            line
            for line in specimens_of(running.plan, running.load, running.state)
            if line.result is None and line.due_at <= now + ahead
        ]
        for due_at in sorted({line.due_at for line in open_lines}):
            lines = [line for line in open_lines if line.due_at == due_at]
            is_late = lines[0].state(now) == "late"
            found.append(DueSpecimens(running.id, running.plan.title, running.load.number, is_late, lines))
    return sorted(found, key=lambda due: due.due_at)


def specimens_to_test(engine: Engine, visitor: Visitor, now: datetime) -> list[DueSpecimens]:
    """Specimens of the visitor's crew that are due in the months to come, or late."""
    with crew_reading(engine, visitor.crew_id) as session:
        return due_specimens(session, now, _FAR_AHEAD)
