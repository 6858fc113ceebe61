"""Secret addresses that a person's calendar reads the crew's dates from."""

import secrets
from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sqlalchemy import ColumnElement, Engine, and_, select, update

from keeve.core.curing.pours import PourLine
from keeve.core.log.specimens import DueSpecimens
from keeve.core.texts import counted
from keeve.data.accounts import Visitor
from keeve.data.days import DayView
from keeve.formats.calendar_text import CalendarEntry
from keeve.store.database import open_session
from keeve.store.models import Account, CalendarFeed, Crew, Membership

# What has no end of its own takes so long in a calendar.
_A_WHILE = timedelta(minutes=30)
_CLOSED = frozenset({"done", "skipped", "over"})


def feed_of(engine: Engine, visitor: Visitor) -> str | None:
    """The token of the visitor's own address; None where there is none."""
    with open_session(engine) as session:
        return session.scalars(select(CalendarFeed.token).where(*_open(visitor))).first()


def new_feed(engine: Engine, visitor: Visitor, now: datetime) -> str:
    """The token of a new address for the visitor; the one before ends."""
    withdraw(engine, visitor, now)
    token = secrets.token_urlsafe(24)
    with open_session(engine) as session:
        session.add(
            CalendarFeed(token=token, crew_id=visitor.crew_id, account_id=visitor.account_id, made_at=now)
        )
    return token


def withdraw(engine: Engine, visitor: Visitor, now: datetime) -> None:
    """End the visitor's address."""
    with open_session(engine) as session:
        session.execute(update(CalendarFeed).where(*_open(visitor)).values(withdrawn_at=now))


def reader_of(engine: Engine, token: str) -> Visitor | None:
    """Who an address belongs to, as somebody who reads; None where it was withdrawn, or the person left the crew."""
    query = (
        select(Account.id, Account.name, Crew.id, Crew.name, Crew.zone)
        .select_from(CalendarFeed)
        .join(
            Membership,
            and_(
                Membership.crew_id == CalendarFeed.crew_id,
                Membership.account_id == CalendarFeed.account_id,
            ),
        )
        .join(Account, Account.id == CalendarFeed.account_id)
        .join(Crew, Crew.id == CalendarFeed.crew_id)
        .where(CalendarFeed.token == token, CalendarFeed.withdrawn_at.is_(None))
    )
    with open_session(engine) as session:
        found = session.execute(query).first()
    if found is None:
        return None
    account_id, name, crew_id, crew_name, zone = found
    return Visitor(account_id, name, crew_id, crew_name, "metric", "", "reader", ZoneInfo(zone))


def entries(pours: Iterable[PourLine]) -> Iterator[CalendarEntry]:
    """The open tasks of the pours, as dates."""
    for pour in pours:
        for line in pour.tasks:
            task = line.task
            if line.state in _CLOSED:
                continue
            yield CalendarEntry(
                id=f"{pour.job_id}.{pour.day}.{task.what}",
                summary=f"{task.do}: {pour.title}",
                description=f"{task.why} ({task.source})",
                begins=task.begins,
                ends=task.ends or task.begins + _A_WHILE,
                rings=task.kind == "do",
            )


def entries_of_tests(tests: Iterable[DueSpecimens]) -> Iterator[CalendarEntry]:
    """Specimens to test, as dates."""
    for test in tests:
        first, count = test.specimens[0], len(test.specimens)
        yield CalendarEntry(
            id=f"{first.made_id}.{first.due_days}.test",
            summary=f"Test {count} {first.shape}{'s' if count > 1 else ''}: {test.title}, load {test.number}",
            description=f"{first.due_days} days old",
            begins=test.due_at,
            ends=test.due_at + _A_WHILE,
            rings=True,
        )


def entries_of_day(view: DayView) -> Iterator[CalendarEntry]:
    """The jobs planned for a day, as dates from their first load to their last."""
    for line, loads in zip(view.lines, view.outcome.jobs, strict=True):
        if loads:
            yield CalendarEntry(
                id=f"{line.job.plan_id}.{view.day}.mix",
                summary=f"{line.title}: {counted(len(loads), 'load')}",
                description=line.mix_name,
                begins=view.moment(min(load.pieces[0].from_min for load in loads)),
                ends=view.moment(max(load.placed_min for load in loads)),
                rings=True,
            )


def _open(visitor: Visitor) -> tuple[ColumnElement[bool], ...]:
    return (
        CalendarFeed.crew_id == visitor.crew_id,
        CalendarFeed.account_id == visitor.account_id,
        CalendarFeed.withdrawn_at.is_(None),
    )
