"""Engines and sessions. The database itself holds a transaction to the crew it works for, by row-level security."""

import contextlib
from collections.abc import Iterator
from contextvars import ContextVar
from typing import Any
from uuid import UUID

from sqlalchemy import Engine, create_engine
from sqlalchemy.engine import make_url
from sqlalchemy.orm import Session

_CREW = "crew_id"


# A few threads ask at a time; as many again while some of them hang.
_CONNECTIONS = 3
_SECONDS_FOR_A_CONNECTION = 3
# A line that is dead is given up after a quarter of a minute.
_LINE = {
    "application_name": "keeve",
    "connect_timeout": _SECONDS_FOR_A_CONNECTION,
    "keepalives_idle": 5,
    "keepalives_interval": 3,
    "keepalives_count": 3,
    "tcp_user_timeout": 15_000,
}


def connect(url: str) -> Engine:
    """An engine for a PostgreSQL address; ``postgres://`` and ``postgresql://`` are understood.

    ``?pooler=transaction`` at its end: a pooler answers there, which gives each transaction another connection, so
    that none can keep statements prepared.
    """
    parsed = make_url(url)
    line: dict[str, Any] = dict(_LINE)
    if parsed.query.get("pooler") == "transaction":
        line["prepare_threshold"] = None
    parsed = parsed.difference_update_query(["pooler"])
    if parsed.drivername in {"postgres", "postgresql"}:
        parsed = parsed.set(drivername="postgresql+psycopg")
    return create_engine(
        parsed,
        pool_pre_ping=True,
        hide_parameters=True,
        pool_size=_CONNECTIONS,
        max_overflow=_CONNECTIONS,
        pool_timeout=_SECONDS_FOR_A_CONNECTION,
        connect_args=line,
    )


@contextlib.contextmanager
def crew_session(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session, in one transaction, that sees and writes the work of this crew and of no other."""
    with Session(engine, info={_CREW: crew_id}) as session, session.begin():
        # For this transaction only: the next one on the connection, ours or through a pooler, works for nobody.
        session.connection().exec_driver_sql("select set_config('keeve.crew', %s, true)", (str(crew_id),))
        yield session


def session_crew(session: Session) -> UUID:
    """The crew that a session works for."""
    crew_id: UUID = session.info[_CREW]
    return crew_id


# The session in which this thread reads, while it does.
_reading: ContextVar[Session | None] = ContextVar("reading", default=None)


@contextlib.contextmanager
def crew_reading(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session that reads the work of this crew.

    Inside another one of the same crew it is that one: a page that reads several things takes one connection.
    """
    outer = _reading.get()
    if outer is not None and outer.bind is engine and session_crew(outer) == crew_id:
        yield outer
        return
    with crew_session(engine, crew_id) as session:
        before = _reading.set(session)
        try:
            yield session
        finally:
            _reading.reset(before)


# Locks have numbers of 63 bits; two things of one number only wait for each other.
_LOCKS = 2**63


def lock(session: Session, thing_id: UUID) -> None:
    """Wait until nobody else is at a thing, and keep others waiting until the session's transaction ends."""
    session.connection().exec_driver_sql("select pg_advisory_xact_lock(%s)", (thing_id.int % _LOCKS,))


@contextlib.contextmanager
def open_session(engine: Engine) -> Iterator[Session]:
    """A session, in one transaction, for accounts and sign-in. It works for no crew, and sees no crew's work."""
    with Session(engine) as session, session.begin():
        yield session
