"""The crews of the demo: made once more as often as is asked, since a crew's work is only ever added to.

Its people stay the same; what was done before stays in crews that nobody is in any more. They are told by kind, never
by the name they sign in with: a real person may have that.
"""

import contextlib
import secrets
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine, delete, func, select, text, update

from keeve.data.accounts import Role, account_named, end_sessions, matches, new_account, password_hash
from keeve.data.second_step import forget
from keeve.data.sessions import new_session
from keeve.store.database import crew_reading, open_session
from keeve.store.models import (
    Account,
    DemoCrew,
    Event,
    Membership,
    SignIn,
    StockpileEvent,
    StoredPlan,
)

# After that the load under way of an untouched demo is no longer as it should be found.
_FRESH = timedelta(hours=1)
# It is made afresh no oftener: that takes a few seconds of a thread.
_JUST_NOW = timedelta(minutes=1)
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


def person(engine: Engine, demo_name: str, password: str) -> UUID:
    """The account of a person of the demo, made where there is none; under another name where theirs is taken."""
    with open_session(engine) as session:
        found = session.scalars(select(Account).where(Account.demo_name == demo_name)).first()
        if found is None:
            names = (demo_name, f"{demo_name}-demo", f"{demo_name}-{secrets.token_hex(4)}")
            free = next(name for name in names if account_named(session, name) is None)
            found = new_account(session, sign_in_name=free, name=demo_name.title(), password=password)
            found.demo_name = demo_name
        return found.id


def sign_in_name(engine: Engine, demo_name: str) -> str:
    """The name that a person of the demo signs in with."""
    with open_session(engine) as session:
        return session.scalars(select(Account.sign_in_name).where(Account.demo_name == demo_name)).one()


def set_passwords(engine: Engine, password: str, now: datetime) -> None:
    """Give every person of the demo that password, where they have another, and no second step; their sessions end."""
    # All of them have the same one, which is hashed once: it takes a quarter of a second.
    with open_session(engine) as session:
        people = session.scalars(select(Account).where(Account.is_demo).with_for_update()).all()
        kept = {account.password_hash for account in people}
        hashed = next((one for one in kept if matches(one, password)), None) or password_hash(password)
        for account in people:
            if account.second_since is None and account.password_hash == hashed:
                continue
            account.password_hash = hashed
            account.recovery_hash = None
            forget(account)
            end_sessions(session, account.id, now)


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


def was_made_lately(engine: Engine, now: datetime) -> bool:
    """Whether the demo was made just now: whoever asks for it again finds it as fresh."""
    with open_session(engine) as session:
        made_at = session.scalar(select(func.max(DemoCrew.made_at)))
    return made_at is not None and now - made_at < _JUST_NOW


def let_in(engine: Engine, crews: Mapping[UUID, Mapping[UUID, Role]], now: datetime) -> None:
    """Make these crews the demo, with these people in them by role, and in no other crew of the demo.

    Their sessions go on in the first of these crews that they are in.
    """
    with open_session(engine) as session:
        old = select(DemoCrew.crew_id)
        for crew_id, members in crews.items():
            session.add_all(
                Membership(crew_id=crew_id, account_id=account_id, role=role, is_demo=True)
                for account_id, role in members.items()
            )
        session.flush()
        for crew_id, members in crews.items():
            session.execute(
                update(SignIn)
                .where(SignIn.crew_id.in_(old), SignIn.account_id.in_(list(members)))
                .values(crew_id=crew_id)
            )
        session.execute(delete(Membership).where(Membership.crew_id.in_(old)))
        session.execute(delete(DemoCrew))
        session.add_all(DemoCrew(crew_id=crew_id, made_at=now) for crew_id in crews)


def session_of(engine: Engine, account_id: UUID, now: datetime) -> str:
    """The token of a new session of a person in the crew of the demo they lead."""
    crew_id = crew_of(engine, account_id)
    if crew_id is None:
        raise LookupError("the demo has no crew")
    with open_session(engine) as session:
        return new_session(session, crew_id, account_id, now)
