"""Who is in a crew: inviting, roles, leaving, changing between crews."""

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.loads.event import LONGEST_NAME
from keeve.core.texts import why_unfit
from keeve.core.zones import UTC_ZONE, zone_named, zones
from keeve.data.accounts import ROLE_NAMES, Role, Visitor, as_role, new_account, refuse_in_demo, token_hash
from keeve.data.guessing import count_new_account
from keeve.data.open_links import end_links_of, is_open
from keeve.data.recovery import give_recovery_code
from keeve.data.security_log import note
from keeve.store.database import open_session
from keeve.store.models import Account, Crew, Invitation, Membership, SignIn

INVITATION_LASTS = timedelta(days=7)


@dataclass(frozen=True)
class Member:
    """A person in the crew."""

    account_id: UUID
    name: str
    role: Role


@dataclass(frozen=True)
class OpenInvitation:
    """An invitation, as its reader sees it."""

    crew_id: UUID
    crew_name: str
    role: Role


def members(engine: Engine, visitor: Visitor) -> list[Member]:
    """Everybody in the visitor's crew, by name."""
    with open_session(engine) as session:
        rows = session.execute(
            select(Account.id, Account.name, Membership.role)
            .join(Membership, Membership.account_id == Account.id)
            .where(Membership.crew_id == visitor.crew_id)
            .order_by(Account.name, Account.id)
        )
        return [Member(account_id, name, as_role(role)) for account_id, name, role in rows]


def crews_of(engine: Engine, visitor: Visitor) -> list[tuple[UUID, str]]:
    """Every crew the visitor is in, by name."""
    with open_session(engine) as session:
        rows = session.execute(
            select(Crew.id, Crew.name)
            .join(Membership, Membership.crew_id == Crew.id)
            .where(Membership.account_id == visitor.account_id)
            .order_by(Crew.name, Crew.id)
        )
        return [(crew_id, name) for crew_id, name in rows]


def switch_crew(engine: Engine, visitor: Visitor, token: str, crew_id: UUID) -> bool:
    """Go on in another crew with the same session; False where the visitor is not in it."""
    with open_session(engine) as session:
        if _membership(session, crew_id, visitor.account_id) is None:
            return False
        session.execute(update(SignIn).where(SignIn.token_hash == token_hash(token)).values(crew_id=crew_id))
        return True


def invite(engine: Engine, visitor: Visitor, role: str, now: datetime) -> str:
    """The token of a new invitation into the visitor's crew, good once and for a week.

    Raises:
        InputError: there is no such role, or the crew is the demo's.
    """
    refuse_in_demo(visitor)
    token = secrets.token_urlsafe(24)
    with open_session(engine) as session:
        session.add(
            Invitation(
                token_hash=token_hash(token),
                crew_id=visitor.crew_id,
                role=_known(role),
                made_by=visitor.account_id,
                expires_at=now + INVITATION_LASTS,
            )
        )
        note(session, visitor.crew_id, "invited", now, account_id=visitor.account_id, words=role)
    return token


def open_invitation(engine: Engine, token: str, now: datetime) -> OpenInvitation | None:
    """An invitation, while it is good."""
    with open_session(engine) as session:
        found = _open(session, token, now)
        if found is None:
            return None
        crew = session.get_one(Crew, found.crew_id)
        return OpenInvitation(crew.id, crew.name, as_role(found.role))


def start_crew(
    engine: Engine,
    *,
    sign_in_name: str,
    name: str,
    password: str,
    crew_name: str,
    zone: str = "",
    address: str = "",
    now: datetime | None = None,
) -> tuple[UUID, str]:
    """A new account with a crew of its own that it leads; gives the account's id and its recovery code.

    Args:
        engine: the database.
        sign_in_name: the name to sign in with.
        name: the person's own.
        password: as typed.
        crew_name: of the crew; made up from the person's where it is empty.
        zone: its time zone, as the device says; UTC where it says none that is known.
        address: where the request came from: so many from one are enough for a while.
        now: the moment; needed with an address.

    Raises:
        SignInRefused: too many new accounts from there lately.
        InputError: a name is taken or empty, or the password too short.
    """
    kept_name = crew_name.strip() or f"{name.strip()}'s crew"
    if why := why_unfit("crew_name", kept_name, LONGEST_NAME):
        raise InputError("name_unfit", why, ["crew_name"])
    if now is not None:
        # By itself: a try at a name that is taken counts too.
        with open_session(engine) as session:
            count_new_account(session, address, now)
    with open_session(engine) as session:
        account = new_account(session, sign_in_name=sign_in_name, name=name, password=password)
        crew = Crew(name=kept_name, zone=zone if zone in zones() else UTC_ZONE)
        session.add(crew)
        session.flush()
        session.add(Membership(crew_id=crew.id, account_id=account.id, role="lead"))
        return account.id, give_recovery_code(session, account)


def set_zone(engine: Engine, visitor: Visitor, zone: str) -> None:
    """Another time zone for the visitor's crew.

    Raises:
        InputError: there is no such zone.
    """
    with open_session(engine) as session:
        session.get_one(Crew, visitor.crew_id).zone = zone_named(zone).key


def join(engine: Engine, visitor: Visitor, token: str, now: datetime) -> UUID | None:
    """Accept an invitation with one's own account; the crew's id, None where it is no longer good.

    Raises:
        InputError: it is an account of the demo's.
    """
    refuse_in_demo(visitor)
    with open_session(engine) as session:
        return _take_up(session, token, visitor.account_id, now)


def join_as_new(
    engine: Engine, token: str, *, sign_in_name: str, name: str, password: str, now: datetime
) -> str | None:
    """Accept an invitation with a new account; its recovery code, None where the invitation is no longer good.

    Raises:
        InputError: the name is taken or empty, or the password too short.
    """
    with open_session(engine) as session:
        if _open(session, token, now) is None:
            return None
        account = new_account(session, sign_in_name=sign_in_name, name=name, password=password)
        _take_up(session, token, account.id, now)
        return give_recovery_code(session, account)


def set_role(engine: Engine, visitor: Visitor, account_id: UUID, role: str, now: datetime) -> bool:
    """Give a member of the visitor's crew another role; False where there is no such member.

    Raises:
        InputError: there is no such role, or the crew would be without a lead.
    """
    with open_session(engine) as session:
        membership = _membership(session, visitor.crew_id, account_id)
        if membership is None:
            return False
        wanted = _known(role)
        if wanted != "lead":
            _keep_a_lead(session, membership)
            end_links_of(session, visitor.crew_id, account_id, now, has_left=False)
        membership.role = wanted
        note(
            session,
            visitor.crew_id,
            "role",
            now,
            account_id=visitor.account_id,
            whom=account_id,
            words=wanted,
        )
        return True


def remove(engine: Engine, visitor: Visitor, account_id: UUID, now: datetime) -> bool:
    """Take a member out of the visitor's crew, end their sessions in it and the links they made; what they did stays.

    Raises:
        InputError: the crew would be without a lead.
    """
    with open_session(engine) as session:
        membership = _membership(session, visitor.crew_id, account_id)
        if membership is None:
            return False
        _keep_a_lead(session, membership)
        end_links_of(session, visitor.crew_id, account_id, now, has_left=True)
        session.execute(
            delete(SignIn).where(SignIn.crew_id == visitor.crew_id, SignIn.account_id == account_id)
        )
        session.delete(membership)
        note(session, visitor.crew_id, "removed", now, account_id=visitor.account_id, whom=account_id)
        return True


def _membership(session: Session, crew_id: UUID, account_id: UUID) -> Membership | None:
    """An account's place in a crew, held until the transaction ends: nobody takes it away meanwhile."""
    return session.get(Membership, (crew_id, account_id), with_for_update=True)


def _known(role: str) -> Role:
    if role not in ROLE_NAMES:
        raise InputError("unknown_role", f"role must be one of {', '.join(ROLE_NAMES)}.", ["role"])
    return as_role(role)


def _keep_a_lead(session: Session, leaving: Membership) -> None:
    # The crew's row is locked, so that two leads cannot step down at once.
    session.execute(select(Crew.id).where(Crew.id == leaving.crew_id).with_for_update())
    leads = session.scalar(
        select(func.count())
        .select_from(Membership)
        .where(Membership.crew_id == leaving.crew_id, Membership.role == "lead")
    )
    if leaving.role == "lead" and leads == 1:
        raise InputError("last_lead", "A crew needs a lead. Make someone else lead first.", ["role"])


def _open(session: Session, token: str, now: datetime) -> Invitation | None:
    query = select(Invitation).where(Invitation.token_hash == token_hash(token), *is_open(now))
    return session.scalars(query.with_for_update()).first()


def _take_up(session: Session, token: str, account_id: UUID, now: datetime) -> UUID | None:
    found = _open(session, token, now)
    if found is None:
        return None
    found.used_at = now
    place = {"crew_id": found.crew_id, "account_id": account_id, "role": found.role}
    session.execute(insert(Membership).values(place).on_conflict_do_nothing())
    note(session, found.crew_id, "joined", now, account_id=account_id, words=found.role)
    return found.crew_id
