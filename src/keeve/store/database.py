"""Engines and sessions. A session works for one crew, and this is the one place that holds it to that."""

import contextlib
from collections.abc import Iterator
from uuid import UUID

from sqlalchemy import Engine, Insert, create_engine, event
from sqlalchemy.engine import make_url
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, with_loader_criteria

from keeve.store.models import CrewOwned

_CREW = "crew_id"

# A few threads ask at a time; as many again while some of them hang.
_CONNECTIONS = 5
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


class CrewError(RuntimeError):
    """Code reached for a crew's work without saying whose, or for another crew's. A fault of ours."""


def connect(url: str) -> Engine:
    """An engine for a PostgreSQL address; ``postgres://`` and ``postgresql://`` are understood."""
    parsed = make_url(url)
    if parsed.drivername in {"postgres", "postgresql"}:
        parsed = parsed.set(drivername="postgresql+psycopg")
    return create_engine(
        parsed,
        pool_pre_ping=True,
        hide_parameters=True,
        pool_size=_CONNECTIONS,
        max_overflow=_CONNECTIONS,
        pool_timeout=_SECONDS_FOR_A_CONNECTION,
        connect_args=_LINE,
    )


@contextlib.contextmanager
def crew_session(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session, in one transaction, that sees and writes the work of this crew and of no other."""
    with Session(engine, info={_CREW: crew_id}) as session, session.begin():
        yield session


def session_crew(session: Session) -> UUID:
    """The crew that a session works for."""
    crew_id: UUID = session.info[_CREW]
    return crew_id


@contextlib.contextmanager
def crew_reading(engine: Engine, crew_id: UUID) -> Iterator[Session]:
    """A session that only reads the work of this crew: each query by itself, no transaction around them."""
    reader = engine.execution_options(isolation_level="AUTOCOMMIT")
    with Session(reader, info={_CREW: crew_id}) as session:
        yield session


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
