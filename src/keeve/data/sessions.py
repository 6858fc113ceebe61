"""Signing in and out, and the sessions that are open."""

import contextlib
import secrets
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import Engine, and_, bindparam, delete, func, or_, select, update
from sqlalchemy.orm import Session

from keeve.core.units import System
from keeve.data.accounts import (
    Visitor,
    account_named,
    as_role,
    end_sessions,
    matches,
    nobodys_hash,
    password_hash,
    refuse_in_demo,
    token_hash,
)
from keeve.data.database import DatabaseDown
from keeve.data.guessing import (
    SignInRefused,
    failure,
    known_source,
    knows_password,
    not_the_password,
    refuse_guessing,
)
from keeve.data.second_step import check, is_asked_for
from keeve.data.security_log import note, note_of_account
from keeve.store.database import open_session
from keeve.store.models import Account, Crew, KnownBrowser, Membership, SignIn

# A session ends so long after it began, and so long after it was last used.
LASTS, IDLE = timedelta(days=30), timedelta(days=7)
# When it was last used is written down no finer than this.
_SEEN_EVERY = timedelta(minutes=10)
# The second step is taken at once, or not.
_CODE_WAITS = timedelta(minutes=5)


class OpenSession(NamedTuple):
    """A session of one's own: what it runs on, since when, when it was used last, and whether it is this one."""

    id: str
    device: str
    made_at: datetime
    seen_at: datetime
    is_this: bool


def sign_in(
    engine: Engine,
    *,
    sign_in_name: str,
    password: str,
    address: str,
    now: datetime,
    browser: str = "",
    device: str = "",
    with_demo: bool = True,
) -> str:
    """The token of a new session; it waits for a code where the account has a second step.

    Args:
        engine: the database.
        sign_in_name: as typed.
        password: as typed.
        address: where the request came from, for the rate limit.
        now: the moment.
        browser: the token of a browser in which somebody signed in before.
        device: what it runs on.
        with_demo: whether the demo's people may sign in from there.

    Raises:
        SignInRefused: wrong name or password, or too many failures lately.
    """
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        if account and account.is_demo and not with_demo:
            account = None
        source = _known_browser(session, account, browser) or address
        name = refuse_guessing(session, sign_in_name, source, now)
        # An unknown name costs the same time as a wrong password, so that the answer does not say which it was.
        right = matches(account.password_hash if account else nobodys_hash(), password)
        if account and right:
            token = _session_of(session, account, now, device, address)
            if token is None:
                raise SignInRefused("This account isn't in a crew. Ask a crew lead to invite you.")
            return token
        session.add(failure(name, source, now))
        if account:
            note_of_account(session, account.id, "wrong_password", now, address=address)
    raise SignInRefused("Wrong name or password. Check both and try again.")


def remember_browser(engine: Engine, account_id: UUID, browser: str) -> str:
    """The token by which a browser is known in which somebody has just signed in: the one it has, or a new one.

    Guesses at an account from elsewhere then lock out nobody here.
    """
    with open_session(engine) as session:
        known = session.get(KnownBrowser, token_hash(browser))
        if known is not None and known.account_id == account_id:
            return browser
        token = secrets.token_urlsafe(24)
        session.add(KnownBrowser(token_hash=token_hash(token), account_id=account_id))
        return token


def _known_browser(session: Session, account: Account | None, browser: str) -> str:
    """The key that failures in a known browser are counted by; nothing where it is not known to the account."""
    known = session.get(KnownBrowser, token_hash(browser)) if account and browser else None
    if known is None or account is None or known.account_id != account.id:
        return ""
    return known_source(known.token_hash.hex()[:32])


def sign_in_proven(
    engine: Engine, sign_in_name: str, now: datetime, device: str = "", address: str = ""
) -> str | None:
    """The token of a new session of somebody who has just proven who they are; None where they are in no crew."""
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        return _session_of(session, account, now, device, address) if account else None


# Asked on every request: put together once.
_VISITOR = (
    select(
        Account.id,
        Account.name,
        Account.units,
        Crew.id,
        Crew.name,
        Crew.zone,
        Membership.role,
        SignIn.form_token,
        Account.is_demo,
        SignIn.seen_at,
    )
    .select_from(SignIn)
    .join(Account, Account.id == SignIn.account_id)
    .join(Crew, Crew.id == SignIn.crew_id)
    .join(Membership, and_(Membership.crew_id == SignIn.crew_id, Membership.account_id == SignIn.account_id))
    .where(
        SignIn.token_hash == bindparam("token"),
        SignIn.revoked_at.is_(None),
        SignIn.waits_for_code.is_(False),
        SignIn.expires_at > bindparam("now"),
        SignIn.seen_at > bindparam("idle_since"),
    )
)
_SEEN = update(SignIn).where(SignIn.token_hash == bindparam("token")).values(seen_at=bindparam("now"))


def visitor(engine: Engine, token: str, now: datetime) -> Visitor | None:
    """Who a session token belongs to, while it is valid."""
    asked = {"token": token_hash(token), "now": now, "idle_since": now - IDLE}
    with open_session(engine) as session:
        found = session.execute(_VISITOR, asked).first()
    if found is None:
        return None
    account_id, name, units, crew_id, crew_name, zone, role, form_token, in_demo, seen_at = found
    if now - seen_at > _SEEN_EVERY:
        # A disk that is full keeps nobody from reading.
        with contextlib.suppress(*DatabaseDown), open_session(engine) as session:
            session.execute(_SEEN, {"token": asked["token"], "now": now})
    shown: System = "us" if units == "us" else "metric"
    return Visitor(
        account_id, name, crew_id, crew_name, shown, form_token, as_role(role), ZoneInfo(zone), in_demo
    )


def enter_code(
    engine: Engine, token: str, code: str, now: datetime, device: str = "", address: str = ""
) -> str | None:
    """The token of a new session, once the code of a phone was typed for one that waits for it.

    None where no session waits under that token.

    Raises:
        SignInRefused: the code is wrong, or there were too many wrong ones lately.
    """
    with open_session(engine) as session:
        waiting = session.get(SignIn, token_hash(token), with_for_update=True)
        if waiting is None or not waiting.waits_for_code or waiting.expires_at <= now:
            return None
        account = session.get_one(Account, waiting.account_id, with_for_update=True)
        if check(session, account, code, now):
            session.delete(waiting)
            note(session, waiting.crew_id, "signed_in", now, account_id=account.id, address=address)
            return new_session(session, waiting.crew_id, account.id, now, device)
        note_of_account(session, account.id, "wrong_code", now, address=address)
    raise SignInRefused("Wrong code. Enter the next one your phone shows.")


def sessions_of(engine: Engine, visitor: Visitor, token: str, now: datetime) -> list[OpenSession]:
    """The open sessions of the visitor's account, the one used last first."""
    query = (
        select(SignIn)
        .where(
            SignIn.account_id == visitor.account_id,
            SignIn.revoked_at.is_(None),
            SignIn.waits_for_code.is_(False),
            SignIn.expires_at > now,
            SignIn.seen_at > now - IDLE,
        )
        .order_by(SignIn.seen_at.desc(), SignIn.made_at.desc())
    )
    here = token_hash(token)
    with open_session(engine) as session:
        return [
            OpenSession(_id_of(row), row.device, row.made_at, row.seen_at, row.token_hash == here)
            for row in session.scalars(query)
        ]


def end_session(engine: Engine, visitor: Visitor, session_id: str, now: datetime) -> bool:
    """End one session of the visitor's account; False where there is no such."""
    mine = select(SignIn).where(SignIn.account_id == visitor.account_id, SignIn.revoked_at.is_(None))
    with open_session(engine) as session:
        found = next((row for row in session.scalars(mine) if _id_of(row) == session_id), None)
        if found is None:
            return False
        found.revoked_at = now
        note(session, visitor.crew_id, "signed_out", now, account_id=visitor.account_id, words=found.device)
        return True


def _id_of(row: SignIn) -> str:
    """The id of a session on a page: nothing that opens it."""
    return token_hash(row.token_hash.hex()).hex()[:32]


def sign_out(engine: Engine, token: str, now: datetime) -> None:
    """End a session."""
    with open_session(engine) as session:
        session.execute(update(SignIn).where(SignIn.token_hash == token_hash(token)).values(revoked_at=now))


def sign_out_everywhere(engine: Engine, visitor: Visitor, now: datetime) -> None:
    """End every session of the account."""
    with open_session(engine) as session:
        end_sessions(session, visitor.account_id, now)
        note_of_account(session, visitor.account_id, "signed_out", now)


def change_password(
    engine: Engine, visitor: Visitor, *, old: str, new: str, now: datetime, address: str = ""
) -> None:
    """A new password of one's own; every session ends, this one too.

    Args:
        engine: the database.
        visitor: whose it is.
        old: the present one, as typed.
        new: the new one.
        now: the moment.
        address: where it came from.

    Raises:
        InputError: the old password is wrong, the new one too short or too common, or it is the demo.
        SignInRefused: too many failures lately.
    """
    refuse_in_demo(visitor)
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if knows_password(session, account, old, now):
            account.password_hash = password_hash(new, account.sign_in_name, account.name)
            end_sessions(session, account.id, now)
            note_of_account(session, account.id, "password_changed", now, address=address)
            return
    raise not_the_password("old")


def _session_of(session: Session, account: Account, now: datetime, device: str, address: str) -> str | None:
    """The token of a new session in the crew to open; None where the account is in none."""
    crew_id = _crew_to_open(session, account.id)
    if crew_id is None:
        return None
    if is_asked_for(account, now):
        return new_session(session, crew_id, account.id, now, device, waits_for_code=True)
    note(session, crew_id, "signed_in", now, account_id=account.id, address=address)
    return new_session(session, crew_id, account.id, now, device)


def _crew_to_open(session: Session, account_id: UUID) -> UUID | None:
    """The crew the account worked in last, or the one it joined first."""
    last = (
        select(func.max(SignIn.made_at))
        .where(SignIn.account_id == account_id, SignIn.crew_id == Membership.crew_id)
        .correlate(Membership)
        .scalar_subquery()
    )
    return session.scalars(
        select(Membership.crew_id)
        .where(Membership.account_id == account_id)
        .order_by(last.desc().nulls_last(), Membership.made_at)
    ).first()


def new_session(
    session: Session,
    crew_id: UUID,
    account_id: UUID,
    now: datetime,
    device: str = "",
    *,
    waits_for_code: bool = False,
) -> str:
    """The token of a new session of a member of a crew."""
    session.execute(delete(SignIn).where(or_(SignIn.expires_at <= now, SignIn.revoked_at.is_not(None))))
    token = secrets.token_urlsafe(32)
    session.add(
        SignIn(
            token_hash=token_hash(token),
            crew_id=crew_id,
            account_id=account_id,
            form_token=secrets.token_urlsafe(32),
            device=device,
            made_at=now,
            seen_at=now,
            expires_at=now + (_CODE_WAITS if waits_for_code else LASTS),
            waits_for_code=waits_for_code,
        )
    )
    return token
