"""Engines and sessions. A session works for one crew, and this is the one place that holds it to that."""

import contextlib
from collections.abc import Iterator, Sequence
from contextvars import ContextVar
from typing import Any
from uuid import UUID
from weakref import WeakKeyDictionary

from sqlalchemy import Engine, Insert, Select, bindparam, create_engine, event, inspect
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.engine import make_url
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, with_loader_criteria

from keeve.store.models import CrewOwned

_CREW = "crew_id"


# A few threads ask at a time, to read or to write; as many again while some of them hang.
_CONNECTIONS = 3
_SECONDS_FOR_A_CONNECTION = 3
# A line that is dead is given up after a quarter of a minute.
_LINE = {
    # What is asked a second time is asked often.
    "prepare_threshold": 1,
    "application_name": "keeve",
    "connect_timeout": _SECONDS_FOR_A_CONNECTION,
    "keepalives_idle": 5,
    "keepalives_interval": 3,
    "keepalives_count": 3,
    "tcp_user_timeout": 15_000,
}


class CrewError(RuntimeError):
    """Code reached for a crew's work without saying whose, or for another crew's. A fault of ours."""


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
    options: dict[str, Any] = {
        "pool_pre_ping": True,
        "hide_parameters": True,
        "pool_size": _CONNECTIONS,
        "max_overflow": _CONNECTIONS,
        "pool_timeout": _SECONDS_FOR_A_CONNECTION,
        "connect_args": line,
    }
    engine = create_engine(parsed, **options)
    # With connections of its own: to switch one to reading and back took half the time of a small query.
    _readers[engine] = reading = create_engine(parsed, isolation_level="AUTOCOMMIT", **options)
    event.listen(engine, "engine_disposed", lambda _: reading.dispose())
    return engine


_readers: WeakKeyDictionary[Engine, Engine] = WeakKeyDictionary()


def reader(engine: Engine) -> Engine:
    """The engine of the same database for what only reads: each query by itself, no transaction around them."""
    return _readers[engine]


@contextlib.contextmanager
def crew_session(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session, in one transaction, that sees and writes the work of this crew and of no other."""
    with Session(engine, info={_CREW: crew_id}) as session, session.begin():
        yield session


def session_crew(session: Session) -> UUID:
    """The crew that a session works for."""
    crew_id: UUID = session.info[_CREW]
    return crew_id


# The session in which this thread reads, while it does.
_reading: ContextVar[Session | None] = ContextVar("reading", default=None)


@contextlib.contextmanager
def crew_reading(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session that only reads the work of this crew: each query by itself, no transaction around them.

    Inside another one of the same crew it is that one: a page that reads several things takes one connection.
    """
    outer = _reading.get()
    if outer is not None and outer.bind is reader(engine) and session_crew(outer) == crew_id:
        yield outer
        return
    with Session(reader(engine), info={_CREW: crew_id}) as session:
        before = _reading.set(session)
        try:
            yield session
        finally:
            _reading.reset(before)


# The crew as a value to be given. Its name is written out: SQLAlchemy looks into what such a function reaches for.
_OF_ASKING_CREW = with_loader_criteria(
    CrewOwned, lambda owned: owned.crew_id == bindparam("crew_id"), include_aliases=True
)


class Question:
    """A query of a crew's work that is put together once and asked often; it takes its values by name.

    Nine tenths of the time of a small query through a session went into putting it together anew.
    """

    def __init__(self, query: Select[*tuple[Any, ...]]) -> None:
        self._query = query.options(_OF_ASKING_CREW)

    def ask(self, session: Session, **values: Any) -> Sequence[Any]:
        """The rows that the session's crew has of it."""
        return session.connection().execute(self._query, {_CREW: session_crew(session), **values}).all()


# Locks have numbers of 63 bits; two things of one number only wait for each other.
_LOCKS = 2**63


def take_turns(session: Session, over: UUID) -> None:
    """Wait until nobody else is at it, and keep others waiting until the session's transaction ends."""
    session.connection().exec_driver_sql("select pg_advisory_xact_lock(%s)", (over.int % _LOCKS,))


class Addition:
    """A row of a crew's work that is added often, put together once; what is there already stays as it is."""

    def __init__(self, row: type[CrewOwned]) -> None:
        table = inspect(row).local_table
        self._insert = insert(table).on_conflict_do_nothing().returning(table.c[_CREW])

    def add(self, session: Session, **values: Any) -> bool:
        """Add it for the session's crew; whether it was not there yet."""
        added = session.connection().execute(self._insert, {**values, _CREW: session_crew(session)})
        return added.first() is not None


@contextlib.contextmanager
def open_session(engine: Engine) -> Iterator[Session]:
    """A session, in one transaction, for accounts and sign-in. It cannot reach any crew's work."""
    with Session(engine) as session, session.begin():
        yield session


@event.listens_for(Session, "do_orm_execute")
def _only_own_crew(state: ORMExecuteState) -> None:
    crew_id = state.session.info.get(_CREW)
    if any(issubclass(mapper.class_, CrewOwned) for mapper in state.all_mappers):
        if crew_id is None:
            raise CrewError("this session has no crew")
        if not (state.is_select or state.is_insert):
            raise CrewError("a crew's work is only ever added to")
        if isinstance(state.statement, Insert):
            # Rows go in under the session's crew, whatever was given: nobody stamps one by hand.
            state.statement = state.statement.values(crew_id=crew_id)
    if state.is_select:
        state.statement = state.statement.options(
            with_loader_criteria(CrewOwned, lambda owned: owned.crew_id == crew_id, include_aliases=True)
        )


@event.listens_for(Session, "before_flush")
def _stamp_crew(session: Session, context: UOWTransaction, instances: object) -> None:
    crew_id = session.info.get(_CREW)
    for row in session.new:
        if isinstance(row, CrewOwned):
            if crew_id is None or row.crew_id not in (None, crew_id):
                raise CrewError("this session may not write that crew's work")
            row.crew_id = crew_id
