"""The crews of the demo: made once more as often as is asked, since a crew's work is only ever added to.

Its people stay the same; what was done before stays in crews that nobody is in any more.
"""

import contextlib
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine, delete, func, select, text, update

from keeve.data.accounts import Role, account_named, new_account
from keeve.data.sessions import new_session
from keeve.store.database import crew_reading, open_session
from keeve.store.models import DemoCrew, Event, Invitation, Membership, SignIn, StockpileEvent, StoredPlan

# After that the load under way of an untouched demo is no longer as it should be found.
_FRESH = timedelta(hours=1)
# Any number that nothing else locks.
_LOCK = 5_338_204


@contextlib.contextmanager
def alone(engine: Engine) -> Iterator[None]:
    """Nobody else makes a demo meanwhile, in this process or another."""
    with engine.begin() as connection:
        # A slow machine makes a demo for a while; whoever waits for it runs a statement as long.
        for limit in ("lock_timeout", "statement_timeout"):
            connection.execute(text(f"set local {limit} = '60s'"))
        connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        yield


def person(engine: Engine, *, sign_in_name: str, name: str, password: str) -> UUID:
    """The account of a person of the demo, made where there is none."""
    with open_session(engine) as session:
        found = account_named(session, sign_in_name)
        return (found or new_account(session, sign_in_name=sign_in_name, name=name, password=password)).id


def crew_of(engine: Engine, account_id: UUID) -> UUID | None:
    """The crew of the demo that a person leads now."""
    query = (
        select(DemoCrew.crew_id)
        .join(Membership, Membership.crew_id == DemoCrew.crew_id)
        .where(Membership.account_id == account_id, Membership.role == "lead")
    )
    with open_session(engine) as session:
        return session.scalars(query).first()


def is_stale(engine: Engine, account_id: UUID, now: datetime) -> bool:
    """Whether the demo a person leads was made a while ago and nothing was done in it since."""
    crew_id = crew_of(engine, account_id)
    if crew_id is None:
        return True
    with open_session(engine) as session:
        crew = session.get_one(DemoCrew, crew_id)
        made_at, ready_at = crew.made_at, crew.ready_at
    with crew_reading(engine, crew_id) as session:
        # Events carry the moment they came in, plans that of the database.
        newest = {
            column: session.scalar(select(func.max(column)))
            for column in (Event.received_at, StockpileEvent.received_at, StoredPlan.made_at)
        }
    untouched = all(
        at is None or at <= (ready_at if column is StoredPlan.made_at else made_at)
        for column, at in newest.items()
    )
    return now - made_at > _FRESH and untouched


def let_in(engine: Engine, crews: Mapping[UUID, Mapping[UUID, Role]], now: datetime) -> None:
    """Make these crews the demo, with these people in them by role, and in no other crew of the demo.

    Their sessions go on in the first of these crews that they are in.
    """
    people = {account_id for members in crews.values() for account_id in members}
    with open_session(engine) as session:
        old = select(DemoCrew.crew_id)
        for crew_id, members in crews.items():
            session.add_all(
                Membership(crew_id=crew_id, account_id=account_id, role=role)
                for account_id, role in members.items()
            )
        session.flush()
        for crew_id, members in crews.items():
            session.execute(
                update(SignIn)
                .where(SignIn.crew_id.in_(old), SignIn.account_id.in_(list(members)))
                .values(crew_id=crew_id)
            )
        # Whoever was invited into the demo leaves it with it.
        session.execute(delete(SignIn).where(SignIn.crew_id.in_(old), SignIn.account_id.not_in(people)))
        for table in (Membership, Invitation):
            session.execute(delete(table).where(table.crew_id.in_(old)))
        session.execute(delete(DemoCrew))
        session.add_all(DemoCrew(crew_id=crew_id, made_at=now) for crew_id in crews)


def session_of(engine: Engine, account_id: UUID, now: datetime) -> str:
    """The token of a new session of a person in the crew of the demo they lead."""
    crew_id = crew_of(engine, account_id)
    if crew_id is None:
        raise LookupError("the demo has no crew")
    with open_session(engine) as session:
        return new_session(session, crew_id, account_id, now)
