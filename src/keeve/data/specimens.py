"""Specimens of the crew's loads that are due."""

from datetime import datetime, timedelta

from sqlalchemy import Engine, bindparam
from sqlalchemy.orm import Session

from keeve.core.log.specimens import DueSpecimens
from keeve.data.accounts import Visitor
from keeve.data.log_entries import read_rows, rows_where
from keeve.store import models
from keeve.store.database import crew_reading

# What is due by tomorrow evening is told; to a calendar, what is due in a quarter of a year. Of so many loads at most.
_AHEAD, _FAR_AHEAD, _MOST = timedelta(hours=36), timedelta(days=92), 40


_DUE = (
    rows_where(models.LogEntry.due_at.is_not(None), models.LogEntry.due_at <= bindparam("until"))
    .order_by(models.LogEntry.due_at)
    .limit(_MOST)
)


def due_specimens(session: Session, now: datetime, ahead: timedelta = _AHEAD) -> list[DueSpecimens]:
    """Specimens of the session's crew that are due by then, or late; the first that is due before the others."""
    found = []
    for load in read_rows(session, _DUE, until=now + ahead):
        waiting = [one for one in load.specimens if one.is_waiting and one.due_at <= now + ahead]
        for due_at in sorted({one.due_at for one in waiting}):
            own = [one for one in waiting if one.due_at == due_at]
            found.append(DueSpecimens(load.id, load.title, load.number, own[0].state(now) == "late", own))
    return sorted(found, key=lambda due: due.due_at)


def specimens_to_test(engine: Engine, visitor: Visitor, now: datetime) -> list[DueSpecimens]:
    """Specimens of the visitor's crew that are due in the months to come, or late."""
    with crew_reading(engine, visitor.crew_id) as session:
        return due_specimens(session, now, _FAR_AHEAD)
