"""The security log of a crew: who signed in, who was let in or sent away, what left; for its leads to read."""

from datetime import datetime, timedelta
from typing import Literal, NamedTuple, cast
from uuid import UUID

from sqlalchemy import Engine, delete, select
from sqlalchemy.orm import Session, aliased

from keeve.data.accounts import Visitor
from keeve.store.database import open_session
from keeve.store.models import Account, Membership, SecurityEntry

Kind = Literal[
    "signed_in",
    "wrong_password",
    "wrong_code",
    "signed_out",
    "password_changed",
    "recovered",
    "reset_link",
    "reset",
    "second_step_on",
    "second_step_off",
    "invited",
    "withdrawn",
    "joined",
    "role",
    "removed",
    "exported",
    "link_ended",
    "recovery_code",
    "recovery_waits",
    "recovery_stopped",
]
KEPT_FOR = timedelta(days=400)
PAGE = 100


class SecurityLine(NamedTuple):
    """A happening: when, of what kind, who did it, to whom, in which words, and from where."""

    id: int
    at: datetime
    kind: Kind
    who: str
    whom: str
    words: str
    address: str


def note(
    session: Session,
    crew_id: UUID,
    kind: Kind,
    now: datetime,
    *,
    account_id: UUID,
    whom: UUID | None = None,
    words: str = "",
    address: str = "",
) -> None:
    """Write down what happened in a crew, with what happened: both are kept or neither.

    Args:
        session: the transaction it is part of.
        crew_id: whose log.
        kind: what happened.
        now: when.
        account_id: who did it.
        whom: to whom, where that is somebody else.
        words: a role or a file.
        address: from where.
    """
    session.add(
        SecurityEntry(
            crew_id=crew_id,
            account_id=account_id,
            about_id=whom,
            kind=kind,
            words=words,
            address=address,
            at=now,
        )
    )
    session.execute(delete(SecurityEntry).where(SecurityEntry.at <= now - KEPT_FOR))


def note_of_account(
    session: Session, account_id: UUID, kind: Kind, now: datetime, *, address: str = ""
) -> None:
    """Write down what happened to an account, in the log of each crew it is in."""
    crews = select(Membership.crew_id).where(Membership.account_id == account_id)
    for crew_id in session.scalars(crews).all():
        note(session, crew_id, kind, now, account_id=account_id, address=address)


def note_export(engine: Engine, visitor: Visitor, file: str, now: datetime, address: str) -> None:
    """Write down that a file of the crew's work left."""
    with open_session(engine) as session:
        note(
            session,
            visitor.crew_id,
            "exported",
            now,
            account_id=visitor.account_id,
            words=file,
            address=address,
        )


def entries(engine: Engine, visitor: Visitor, before: int | None = None) -> list[SecurityLine]:
    """The happenings in the visitor's crew, the newest first, a page at a time; ``before``: older than that entry."""
    about = aliased(Account)
    query = (
        select(SecurityEntry, Account.name, about.name)
        .join(Account, Account.id == SecurityEntry.account_id)
        .outerjoin(about, about.id == SecurityEntry.about_id)
        .where(SecurityEntry.crew_id == visitor.crew_id)
        .order_by(SecurityEntry.id.desc())
        .limit(PAGE)
    )
    if before is not None:
        query = query.where(SecurityEntry.id < before)
    with open_session(engine) as session:
        return [
            SecurityLine(row.id, row.at, cast("Kind", row.kind), who, whom or "", row.words, row.address)
            for row, who, whom in session.execute(query)
        ]
