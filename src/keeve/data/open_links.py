"""Links that open a door: invitations, password links, links to cards, calendar addresses.

A lead sees all of the crew's in one list and ends any. They end with the right of whoever made them, and a restore
brings none of them back.
"""

from collections.abc import Sequence
from datetime import datetime
from typing import Literal, NamedTuple
from uuid import UUID

from sqlalchemy import ColumnElement, Engine, delete, or_, select, update
from sqlalchemy.orm import Session, aliased

from keeve.data.accounts import Visitor, token_hash
from keeve.data.security_log import note
from keeve.store.database import crew_reading, open_session
from keeve.store.models import (
    Account,
    CalendarFeed,
    Invitation,
    Membership,
    PasswordReset,
    ShareLink,
    SignIn,
    StoredPlan,
)

Kind = Literal["invitation", "password", "cards", "calendar"]


class OpenLink(NamedTuple):
    """A link that is good: its kind, its id on a page (which opens nothing), who made it, what for, until when.

    ``about``: the role of an invitation, whose password, the job of the cards; empty for a calendar.
    """

    kind: Kind
    id: str
    made_by: str
    about: str
    expires_at: datetime | None


def open_links(engine: Engine, visitor: Visitor, now: datetime) -> list[OpenLink]:
    """Every open link into the visitor's crew, by kind, those made last first."""
    whom = aliased(Account)
    of_crew = select(Membership.account_id).where(Membership.crew_id == visitor.crew_id)
    with crew_reading(engine, visitor.crew_id) as session:
        invited = session.execute(
            select(Invitation.token_hash, Account.name, Invitation.role, Invitation.expires_at)
            .join(Account, Account.id == Invitation.made_by)
            .where(Invitation.crew_id == visitor.crew_id, *is_open(now))
            .order_by(Invitation.expires_at.desc())
        )
        found = [OpenLink("invitation", key.hex(), by, role, ends) for key, by, role, ends in invited]
        resets = session.execute(
            select(PasswordReset.token_hash, Account.name, whom.name, PasswordReset.expires_at)
            .join(Account, Account.id == PasswordReset.made_by)
            .join(whom, whom.id == PasswordReset.account_id)
            .where(PasswordReset.account_id.in_(of_crew), PasswordReset.expires_at > now)
            .order_by(PasswordReset.expires_at.desc())
        )
        found += [OpenLink("password", key.hex(), by, name, ends) for key, by, name, ends in resets]
        shares = session.execute(
            select(ShareLink.token, Account.name, StoredPlan.title)
            .join(Account, Account.id == ShareLink.made_by)
            .join(StoredPlan, StoredPlan.id == ShareLink.plan_id)
            .where(ShareLink.crew_id == visitor.crew_id, ShareLink.withdrawn_at.is_(None))
            .order_by(ShareLink.made_at.desc())
        )
        found += [OpenLink("cards", _id_of(token), by, title, None) for token, by, title in shares]
        feeds = session.execute(
            select(CalendarFeed.token, Account.name)
            .join(Account, Account.id == CalendarFeed.account_id)
            .where(CalendarFeed.crew_id == visitor.crew_id, CalendarFeed.withdrawn_at.is_(None))
            .order_by(CalendarFeed.made_at.desc())
        )
        return found + [OpenLink("calendar", _id_of(token), by, "", None) for token, by in feeds]


def end_link(engine: Engine, visitor: Visitor, kind: str, link_id: str, now: datetime) -> bool:
    """End one link into the visitor's crew; False where there is no such."""
    known = next(
        (one for one in open_links(engine, visitor, now) if (one.kind, one.id) == (kind, link_id)), None
    )
    if known is None:
        return False
    with open_session(engine) as session:
        match known.kind:
            case "invitation":
                session.execute(delete(Invitation).where(Invitation.token_hash == bytes.fromhex(link_id)))
            case "password":
                session.execute(
                    delete(PasswordReset).where(PasswordReset.token_hash == bytes.fromhex(link_id))
                )
            case "cards":
                _withdraw(
                    session, ShareLink, ShareLink.token == _token(session, ShareLink, visitor, link_id), now
                )
            case "calendar":
                mine = CalendarFeed.token == _token(session, CalendarFeed, visitor, link_id)
                _withdraw(session, CalendarFeed, mine, now)
        if known.kind == "invitation":
            note(session, visitor.crew_id, "withdrawn", now, account_id=visitor.account_id, words=known.about)
        else:
            note(session, visitor.crew_id, "link_ended", now, account_id=visitor.account_id, words=known.kind)
    return True


def end_links_of(session: Session, crew_id: UUID, account_id: UUID, now: datetime, *, has_left: bool) -> None:
    """End what somebody made who may no longer lead a crew; all of it that is the crew's where they left it.

    Password links end whoever they are for: they open an account, not a crew.
    """
    session.execute(
        delete(Invitation).where(
            Invitation.crew_id == crew_id, Invitation.made_by == account_id, Invitation.used_at.is_(None)
        )
    )
    resets = PasswordReset.made_by == account_id
    if has_left:
        resets = or_(resets, PasswordReset.account_id == account_id)
    session.execute(delete(PasswordReset).where(resets))
    if has_left:
        _withdraw(session, ShareLink, (ShareLink.crew_id == crew_id) & (ShareLink.made_by == account_id), now)
        feeds = (CalendarFeed.crew_id == crew_id) & (CalendarFeed.account_id == account_id)
        _withdraw(session, CalendarFeed, feeds, now)


def close_every_door(engine: Engine, now: datetime) -> None:
    """Sign everybody out and end every link of every crew: none of it was meant to be open now."""
    with open_session(engine) as session:
        for table in (SignIn, PasswordReset):
            session.execute(delete(table))
        session.execute(delete(Invitation).where(Invitation.used_at.is_(None)))
        for links in (ShareLink, CalendarFeed):
            _withdraw(session, links, links.withdrawn_at.is_(None), now)


def is_open(now: datetime) -> tuple[ColumnElement[bool], ...]:
    """The conditions of an invitation that is good."""
    return Invitation.used_at.is_(None), Invitation.expires_at > now


def _withdraw(
    session: Session, links: type[ShareLink | CalendarFeed], which: ColumnElement[bool], now: datetime
) -> None:
    session.execute(update(links).where(which, links.withdrawn_at.is_(None)).values(withdrawn_at=now))


def _token(
    session: Session, links: type[ShareLink | CalendarFeed], visitor: Visitor, link_id: str
) -> str | None:
    """The token of a link of the crew by its id on a page."""
    tokens: Sequence[str] = session.scalars(select(links.token).where(links.crew_id == visitor.crew_id)).all()
    return next((token for token in tokens if _id_of(token) == link_id), None)


def _id_of(token: str) -> str:
    """The id of a link that is kept as it is."""
    return token_hash(token).hex()
