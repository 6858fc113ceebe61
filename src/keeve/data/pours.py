"""Pours: what was placed for a job in a day, later entries, and what is due."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple, get_args
from uuid import UUID, uuid4

from sqlalchemy import Engine, Row, bindparam, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.curing.pours import (
    Cure,
    PourLine,
    Reading,
    Said,
    SaidLine,
    TaskLine,
    cure_of,
    state_of,
    tasks,
)
from keeve.core.errors import InputError
from keeve.core.loads.actions.place import Placed
from keeve.core.loads.running_load import RunningLoad
from keeve.core.mixes.regimes import OF_CASTS
from keeve.core.rules.curing import cure_table
from keeve.core.zones import zones
from keeve.data.accounts import Visitor
from keeve.devices.weather import Weather
from keeve.formats.job_file import read_job
from keeve.store import models
from keeve.store.database import crew_reading, crew_session, session_crew
from keeve.store.queries import latest_entry, of_job

# Of the pours so many are looked at, the newest first, and none that is older.
MOST, _FOLLOWED_FOR = 60, timedelta(days=130)
# The weather is asked for so many days after a pour; the last of them goes on.
_DAYS_OF_WEATHER = 35
# A thermometer in a pour shows nothing else.
_COLDEST_C, _HOTTEST_C = -30.0, 90.0
_SAID = frozenset(get_args(Said))


class _Entry(NamedTuple):
    kind: str
    task: str
    c: float | None
    made_by: str
    made_at: datetime


_NEW = insert(models.Pour)
# Whoever tells of a load placed earlier or later than those known widens it.
_WIDER = _NEW.on_conflict_do_update(
    index_elements=["crew_id", "job_id", "day"],
    set_={
        "first_at": func.least(models.Pour.first_at, _NEW.excluded.first_at),
        "last_at": func.greatest(models.Pour.last_at, _NEW.excluded.last_at),
        "plan_id": _NEW.excluded.plan_id,
    },
)
_JOB = select(of_job()).where(models.StoredPlan.id == bindparam("plan_id"))


# What is placed past midnight belongs to the day it was begun on.
_DAY_BEGINS = timedelta(hours=4)


def _day_of(visitor: Visitor, at: datetime) -> date:
    """The day of a pour, where the crew is."""
    return (at.astimezone(visitor.zone) - _DAY_BEGINS).date()


def note_placed(session: Session, visitor: Visitor, running: RunningLoad, event: Placed) -> None:
    """Write down that some of a load was placed; a cast is followed by its own load."""
    if running.plan.mix.regime in OF_CASTS:
        return
    (job_id,) = session.execute(_JOB, {"plan_id": running.plan_id}).all()[0]
    at = event.occurred_at
    values = {
        "crew_id": session_crew(session),
        "job_id": job_id,
        "day": _day_of(visitor, at),
        "plan_id": running.plan_id,
        "first_at": at,
        "last_at": at,
    }
    session.connection().execute(_WIDER, values)


_NEWEST = (
    select(
        models.Pour.job_id,
        models.Pour.day,
        models.Pour.plan_id,
        models.Pour.first_at,
        models.Pour.last_at,
        func.coalesce(latest_entry("title"), models.StoredPlan.title).label("title"),
        models.StoredPlan.mix_name,
    )
    .join(
        models.StoredPlan,
        models.StoredPlan.id == models.Pour.plan_id,
    )
    .where(models.Pour.last_at > bindparam("since"))
    .order_by(models.Pour.last_at.desc())
    .limit(MOST)
)
_ENTRIES = (
    select(
        models.PourEntry.job_id,
        models.PourEntry.day,
        models.PourEntry.kind,
        models.PourEntry.task,
        models.PourEntry.c,
        models.Account.name,
        models.PourEntry.made_at,
    )
    .join(models.Account, models.Account.id == models.PourEntry.made_by)
    .where(models.PourEntry.day >= bindparam("since"))
    .order_by(models.PourEntry.made_at)
)
_JOBS = select(models.StoredPlan.id, models.StoredPlan.job).where(
    models.StoredPlan.id.in_(bindparam("plan_ids", expanding=True))
)


def pours(engine: Engine, visitor: Visitor, weather: Weather, now: datetime) -> list[PourLine]:
    """The crew's pours that are followed, the newest first."""
    with crew_reading(engine, visitor.crew_id) as session:
        return pours_of(session, visitor, weather, now)


def pours_of(session: Session, visitor: Visitor, weather: Weather, now: datetime) -> list[PourLine]:
    """As ``pours``, of the session's crew."""
    since = now - _FOLLOWED_FOR
    rows = session.execute(_NEWEST, {"since": since}).all()
    if not rows:
        return []
    said: dict[tuple[UUID, date], list[_Entry]] = {}
    for row in session.execute(_ENTRIES, {"since": since.date() - timedelta(days=1)}):
        said.setdefault((row.job_id, row.day), []).append(_Entry(*row[2:]))
    cures = _cures(session, {row.plan_id for row in rows})
    found = (
        _line(row, cures[row.plan_id], said.get((row.job_id, row.day), []), visitor, weather, now)
        for row in rows
    )
    return [line for line in found if line is not None]


def _cures(session: Session, plan_ids: Iterable[UUID]) -> Mapping[UUID, Cure]:
    never = datetime.min
    rows = session.execute(_JOBS, {"plan_ids": list(plan_ids)})
    return {plan_id: cure_of(read_job(job), never, never) for plan_id, job in rows}


def _line(
    row: Row[*tuple[Any, ...]],
    cure: Cure,
    entries: Sequence[_Entry],
    visitor: Visitor,
    weather: Weather,
    now: datetime,
) -> PourLine | None:
    newest = {entry.task: entry for entry in entries}
    if any(entry.kind == "removed" for entry in entries):
        return None
    readings = [Reading(entry.made_at, entry.c) for entry in entries if entry.c is not None]
    cure = replace(
        cure, first_at=row.first_at.astimezone(visitor.zone), last_at=row.last_at.astimezone(visitor.zone)
    )
    place = zones()[visitor.zone.key]
    daily = [weather.day_c(place, row.day + timedelta(days=days)) for days in range(_DAYS_OF_WEATHER)]
    lines = []
    for task in tasks(cure, daily, readings):
        entry = newest.get(task.what)
        said: Said | None = None
        if entry is not None and entry.kind in _SAID:
            said = "done" if entry.kind == "done" else "skipped"
        state = state_of(task, said, now)
        lines.append(
            TaskLine(task, state, entry.made_by, entry.made_at) if said and entry else TaskLine(task, state)
        )
    return PourLine(
        row.job_id,
        row.day,
        row.title,
        row.mix_name,
        cure,
        lines,
        readings,
        daily,
    )


_SAID_OF = (
    select(
        models.PourEntry.kind,
        models.PourEntry.task,
        models.PourEntry.c,
        models.Account.name,
        models.PourEntry.made_at,
        models.Pour.plan_id,
    )
    .join(
        models.Pour,
        (models.Pour.job_id == models.PourEntry.job_id) & (models.Pour.day == models.PourEntry.day),
    )
    .join(models.Account, models.Account.id == models.PourEntry.made_by)
    .where(
        models.PourEntry.job_id
        == select(of_job()).where(models.StoredPlan.id == bindparam("plan_id")).scalar_subquery(),
        models.PourEntry.day.in_(bindparam("days", expanding=True)),
    )
    .order_by(models.PourEntry.made_at)
)


def said_of_load(engine: Engine, visitor: Visitor, running: RunningLoad) -> list[SaidLine]:
    """Everything said of the pours of a load, in order."""
    placed = [event.occurred_at for event in running.events if isinstance(event, Placed)]
    days = {_day_of(visitor, at) for at in placed}
    if not days:
        return []
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(_SAID_OF, {"plan_id": running.plan_id, "days": list(days)}).all()
        cures = _cures(session, {row.plan_id for row in rows})
    found = []
    for kind, task, c, by, at, plan_id in rows:
        known = {row.what: row.do for row in cure_table()[cures[plan_id].family]}
        found.append(SaidLine(kind, known.get(task, task), c, by, at))
    return found


def has_pour(engine: Engine, visitor: Visitor, job_id: UUID, day: date) -> bool:
    """Whether the crew has that pour."""
    with crew_reading(engine, visitor.crew_id) as session:
        return _is_there(session, job_id, day)


def say(
    engine: Engine, visitor: Visitor, job_id: UUID, day: date, task: str, said: str, now: datetime
) -> bool:
    """Say that a task was done, is skipped, or is open again. Whether the crew has the pour.

    Raises:
        InputError: that cannot be said of a task.
    """
    if not has_pour(engine, visitor, job_id, day):
        return False
    if said not in (*_SAID, "open"):
        raise InputError("no_answer", "Choose done, skipped or still open.", ["said"])
    return _add(engine, visitor, job_id, day, now, kind=said, task=task[:20])


def read_temperature(
    engine: Engine, visitor: Visitor, job_id: UUID, day: date, c: float, now: datetime
) -> bool:
    """A temperature read in the pour, °C. Whether the crew has the pour.

    Raises:
        InputError: no pour is so cold or so hot.
    """
    if not _COLDEST_C <= c <= _HOTTEST_C:
        message = f"Enter a temperature between {_COLDEST_C:.0f} °C and {_HOTTEST_C:.0f} °C."
        raise InputError("no_temperature", message, ["c"])
    return _add(engine, visitor, job_id, day, now, kind="reading", c=c)


def stop_tracking(engine: Engine, visitor: Visitor, job_id: UUID, day: date, now: datetime) -> bool:
    """End following a pour. Whether the crew has it."""
    return _add(engine, visitor, job_id, day, now, kind="removed")


def _add(engine: Engine, visitor: Visitor, job_id: UUID, day: date, now: datetime, **said: object) -> bool:
    with crew_session(engine, visitor.crew_id) as session:
        if not _is_there(session, job_id, day):
            return False
        session.add(
            models.PourEntry(
                id=uuid4(), job_id=job_id, day=day, made_by=visitor.account_id, made_at=now, **said
            )
        )
        return True


def _is_there(session: Session, job_id: UUID, day: date) -> bool:
    here = select(models.Pour.day).where(models.Pour.job_id == job_id, models.Pour.day == day)
    return session.scalar(here) is not None
