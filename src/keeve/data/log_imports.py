"""A crew's own history, imported from a table: previewed, then imported or removed as a whole."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from itertools import islice
from typing import Any, NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import ColumnElement, DateTime, Engine, Uuid, any_, bindparam, delete, select, update
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.log.load_row import LoadRow
from keeve.core.texts import written
from keeve.data.accounts import Visitor
from keeve.data.log_entries import write_past
from keeve.store import models
from keeve.store.database import crew_reading, crew_session, lock

_IMPORT, _ENTRY = models.LogImport, models.LogEntry
_AT_A_TIME = 500
# A table that was looked at and not taken in is forgotten after that.
_KEPT_FOR = timedelta(days=1)
_MOST_LISTED = 50


class Imported(NamedTuple):
    """A table that was taken in: its file, when and by whom, how many loads it brought, when they were withdrawn."""

    id: UUID
    file: str
    taken_at: datetime
    by: str
    loads: int
    withdrawn_at: datetime | None


class Draft(NamedTuple):
    """A table: its file, its rows, how its columns are meant (nothing before that was said), when it was taken in, how
    many loads it brought, when they were withdrawn.
    """

    id: UUID
    file: str
    table: list[list[str]]
    meant: Mapping[str, Any]
    taken_at: datetime | None
    loads: int | None
    withdrawn_at: datetime | None


def begin(engine: Engine, visitor: Visitor, file: str, table: list[list[str]], now: datetime) -> UUID:
    """Keep a table to be looked at, by its id; others that were only looked at are forgotten in time."""
    import_id = uuid4()
    with crew_session(engine, visitor.crew_id) as session:
        session.connection().execute(
            delete(_IMPORT).where(
                _IMPORT.crew_id == visitor.crew_id,
                _IMPORT.taken_at.is_(None),
                _IMPORT.made_at < now - _KEPT_FOR,
            )
        )
        session.add(
            _IMPORT(
                id=import_id,
                file=written(file, 120) or "table",
                table=table,
                meant={},
                made_by=visitor.account_id,
                made_at=now,
            )
        )
    return import_id


def draft(engine: Engine, visitor: Visitor, import_id: UUID) -> Draft | None:
    """A table of the crew's; None where it has none of that id."""
    columns = (_IMPORT.id, _IMPORT.file, _IMPORT.table, _IMPORT.meant, _IMPORT.taken_at, _IMPORT.loads)
    with crew_reading(engine, visitor.crew_id) as session:
        row = session.execute(
            select(*columns, _IMPORT.withdrawn_at).where(_IMPORT.id == import_id)
        ).one_or_none()
    return None if row is None else Draft(*row)


def set_meant(engine: Engine, visitor: Visitor, import_id: UUID, meant: Mapping[str, Any]) -> None:
    """Keep how the columns of a table are meant, which was not taken in yet."""
    with crew_session(engine, visitor.crew_id) as session:
        _set(session, import_id, _IMPORT.taken_at.is_(None), meant=dict(meant))


def imports(engine: Engine, visitor: Visitor) -> list[Imported]:
    """The newest tables that the crew took in."""
    columns = (
        _IMPORT.id,
        _IMPORT.file,
        _IMPORT.taken_at,
        models.Account.name,
        _IMPORT.loads,
        _IMPORT.withdrawn_at,
    )
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(
            select(*columns)
            .join(models.Account, models.Account.id == _IMPORT.made_by)
            .where(_IMPORT.taken_at.is_not(None))
            .order_by(_IMPORT.made_at.desc())
            .limit(_MOST_LISTED)
        ).all()
    return [
        Imported(row.id, row.file, row.taken_at, row.name, row.loads, row.withdrawn_at)
        for row in rows
        if row.taken_at is not None and row.loads is not None
    ]


_KNOWN_IDS = select(_ENTRY.id).where(_ENTRY.id == any_(bindparam("ids", type_=ARRAY(Uuid))))
_OURS = select(_ENTRY.begun_at, _ENTRY.title, _ENTRY.content["number"].as_integer()).where(
    _ENTRY.begun_at == any_(bindparam("moments", type_=ARRAY(DateTime(timezone=True)))),
    _ENTRY.plan_id.is_not(None),
)


def not_there(engine: Engine, visitor: Visitor, past: Sequence[LoadRow]) -> list[LoadRow]:
    """Those of a history that are not in the log yet."""
    with crew_reading(engine, visitor.crew_id) as session:
        return _not_there(session, past)


def _not_there(session: Session, past: Sequence[LoadRow]) -> list[LoadRow]:
    known_ids = set(session.scalars(_KNOWN_IDS, {"ids": [load.id for load in past]}))
    # A load of ours that went out in a table comes back as itself.
    moments = {"moments": list({load.begun_at for load in past})}
    known_loads = {(at, title, number) for at, title, number in session.execute(_OURS, moments)}
    return [
        load
        for load in past
        if load.id not in known_ids and (load.begun_at, load.title, load.number) not in known_loads
    ]


# What became of a table, which nobody else changes meanwhile.
_HELD = select(_IMPORT.taken_at, _IMPORT.withdrawn_at).with_for_update()


def take_in(
    engine: Engine, visitor: Visitor, import_id: UUID, past: Sequence[LoadRow], now: datetime
) -> Iterator[int]:
    """Take the loads of a table into the log, all of them or none; says after each lot how many are in.

    Nothing is kept before the last lot was; where whoever asked goes away before that, nothing is.

    Raises:
        InputError: it was taken in already.
    """
    with crew_session(engine, visitor.crew_id) as session:
        found = session.execute(_HELD.where(_IMPORT.id == import_id)).one_or_none()
        if found is None or found.taken_at is not None:
            raise InputError("taken_in", "This file has already been imported. See Import.", [])
        # Two files that say the same come in one after the other.
        lock(session, visitor.crew_id)
        new = _not_there(session, past)
        done = 0
        for part in _parts(new):
            write_past(session, import_id, part)
            done += len(part)
            yield done
        _set(session, import_id, taken_at=now, loads=done)


def _parts(things: Sequence[Any]) -> Iterator[list[Any]]:
    rest = iter(things)
    while part := list(islice(rest, _AT_A_TIME)):
        yield part


def withdraw(engine: Engine, visitor: Visitor, import_id: UUID, now: datetime) -> bool:
    """Take the loads that a table brought out of the log again. Whether the crew took in such a table."""
    with crew_session(engine, visitor.crew_id) as session:
        found = session.execute(_HELD.where(_IMPORT.id == import_id)).one_or_none()
        if found is None or found.taken_at is None:
            return False
        if found.withdrawn_at is None:
            session.execute(delete(_ENTRY).where(_ENTRY.import_id == import_id))
            _set(session, import_id, withdrawn_at=now, withdrawn_by=visitor.account_id)
        return True


def _set(session: Session, import_id: UUID, *where: ColumnElement[bool], **values: Any) -> None:
    """Write down of a table what is known of it now."""
    session.execute(update(_IMPORT).where(_IMPORT.id == import_id, *where).values(**values))
