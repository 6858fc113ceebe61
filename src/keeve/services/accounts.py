"""Accounts, crews and signing in."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from sqlalchemy import Engine, func, or_, select, update
from sqlalchemy.orm import Session

from keeve.core.units import System
from keeve.store.database import open_session
from keeve.store.models import Account, Crew, Membership, SignIn, SignInFailure

LASTS = timedelta(days=14)
FAILURES_COUNT_FOR = timedelta(minutes=15)
MOST_FAILURES_BY_NAME = 5
MOST_FAILURES_BY_ADDRESS = 20
LEAST_PASSWORD_LENGTH = 10


@dataclass(frozen=True)
class Visitor:
    """A signed-in person at work in a crew; ``form_token`` proves that a form came from our own page."""

    account_id: UUID
    name: str
    crew_id: UUID
    crew_name: str
    units: System
    form_token: str


class SignInRefused(Exception):  # noqa: N818 - it is the answer to a person, not a fault
    """Not signed in; the message is for the person."""


def add_crew(engine: Engine, name: str) -> UUID:
    """A new crew."""
    with open_session(engine) as session:
        crew = Crew(name=name)
        session.add(crew)
        session.flush()
        return crew.id


def add_account(engine: Engine, crew_id: UUID, *, sign_in_name: str, name: str, password: str) -> UUID:
    """A new account in a crew."""
    with open_session(engine) as session:
        account = Account(sign_in_name=_plain(sign_in_name), name=name, password_hash=_hash(password))
        session.add(account)
        session.flush()
        session.add(Membership(crew_id=crew_id, account_id=account.id))
        return account.id


def has_account(engine: Engine, sign_in_name: str) -> bool:
    """Whether that name is taken."""
    with open_session(engine) as session:
        return _account(session, sign_in_name) is not None


def set_password(engine: Engine, sign_in_name: str, password: str, now: datetime) -> None:
    """A new password; every session of the account ends."""
    with open_session(engine) as session:
        account = _account(session, sign_in_name)
        if account is None:
            raise LookupError(f"no account {sign_in_name}")
        account.password_hash = _hash(password)
        session.execute(
            update(SignIn)
            .where(SignIn.account_id == account.id, SignIn.revoked_at.is_(None))
            .values(revoked_at=now)
        )


def sign_in(engine: Engine, *, sign_in_name: str, password: str, address: str, now: datetime) -> str:
    """The token of a new session.

    Args:
        engine: the database.
        sign_in_name: as typed.
        password: as typed.
        address: where the request came from, for the rate limit.
        now: the moment.

    Raises:
        SignInRefused: wrong name or password, or too many failures lately.
    """
    name = _plain(sign_in_name)
    with open_session(engine) as session:
        if _too_many_failures(session, name, address, now):
            raise SignInRefused("Too many tries. Wait a quarter of an hour, then try again.")
        account = _account(session, name)
        # An unknown name costs the same time as a wrong password, so that neither can be told apart.
        right = _matches(account.password_hash if account else _nobodys_hash(), password)
        if account and right:
            crew_id = session.scalars(
                select(Membership.crew_id)
                .where(Membership.account_id == account.id)
                .order_by(Membership.crew_id)
            ).first()
            if crew_id is None:
                raise SignInRefused("This account is in no crew. Ask the crew's lead to invite it.")
            return _new_session(session, crew_id, account.id, now)
        session.add(SignInFailure(sign_in_name=name, address=address, at=now))
    raise SignInRefused("That name and password do not go together. Check both and try again.")


def visitor(engine: Engine, token: str, now: datetime) -> Visitor | None:
    """Who a session token belongs to, while it is valid."""
    with open_session(engine) as session:
        found = session.execute(
            select(SignIn, Account, Crew)
            .join(Account, Account.id == SignIn.account_id)
            .join(Crew, Crew.id == SignIn.crew_id)
            .where(
                SignIn.token_hash == _token_hash(token), SignIn.revoked_at.is_(None), SignIn.expires_at > now
            )
        ).first()
        if found is None:
            return None
        signed_in, account, crew = found
        units: System = "us" if account.units == "us" else "metric"
        return Visitor(account.id, account.name, crew.id, crew.name, units, signed_in.form_token)


def sign_out(engine: Engine, token: str, now: datetime) -> None:
    """End a session."""
    with open_session(engine) as session:
        session.execute(update(SignIn).where(SignIn.token_hash == _token_hash(token)).values(revoked_at=now))


def choose_units(engine: Engine, account_id: UUID, units: System) -> None:
    """Remember the units a person reads."""
    with open_session(engine) as session:
        session.execute(update(Account).where(Account.id == account_id).values(units=units))


def _account(session: Session, sign_in_name: str) -> Account | None:
    return session.scalars(select(Account).where(Account.sign_in_name == _plain(sign_in_name))).first()


def _too_many_failures(session: Session, name: str, address: str, now: datetime) -> bool:
    recent = SignInFailure.at > now - FAILURES_COUNT_FOR
    by_name = func.count().filter(SignInFailure.sign_in_name == name)
    by_address = func.count().filter(SignInFailure.address == address)
    names, addresses = session.execute(
        select(by_name, by_address)
        .select_from(SignInFailure)
        .where(recent, or_(SignInFailure.sign_in_name == name, SignInFailure.address == address))
    ).one()
    return bool(names >= MOST_FAILURES_BY_NAME or addresses >= MOST_FAILURES_BY_ADDRESS)


def _new_session(session: Session, crew_id: UUID, account_id: UUID, now: datetime) -> str:
    token = secrets.token_urlsafe(32)
    session.add(
        SignIn(
            token_hash=_token_hash(token),
            crew_id=crew_id,
            account_id=account_id,
            form_token=secrets.token_urlsafe(32),
            expires_at=now + LASTS,
        )
    )
    return token


def _plain(sign_in_name: str) -> str:
    return sign_in_name.strip().casefold()


def _token_hash(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()  # Argon2id with the library's current defaults


@cache
def _nobodys_hash() -> str:
    return _hash(secrets.token_urlsafe(16))


def _hash(password: str) -> str:
    if len(password) < LEAST_PASSWORD_LENGTH:
        raise ValueError(f"a password has at least {LEAST_PASSWORD_LENGTH} characters")
    return _hasher().hash(password)


def _matches(password_hash: str, password: str) -> bool:
    try:
        return _hasher().verify(password_hash, password)
    except VerifyMismatchError:
        return False
