"""Accounts, crews and signing in."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from typing import Literal
from uuid import UUID, uuid4

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from sqlalchemy import Engine, and_, bindparam, delete, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.running.events import LONGEST_NAME
from keeve.core.texts import why_unfit
from keeve.core.units import System
from keeve.store.database import open_session, reader
from keeve.store.models import Account, Crew, DemoCrew, KnownBrowser, Membership, SignIn, SignInFailure

Role = Literal["lead", "mixer", "reader"]
ROLE_NAMES: dict[Role, str] = {
    "lead": "Lead: plans, mixes, invites",
    "mixer": "Mixer: plans and mixes",
    "reader": "Viewer: view only",
}

LASTS = timedelta(days=14)
FAILURES_COUNT_FOR = timedelta(minutes=15)
MOST_FAILURES_BY_NAME = 5
MOST_FAILURES_BY_ADDRESS = 20
LEAST_PASSWORD_LENGTH = 10
_LONGEST_ADDRESS = 80
# Failures of a browser or a person that is known are counted apart from those of the rest of the world.
_KNOWN = "known "
# New accounts are counted the same way.
_NEW = "new "
MOST_NEW_BY_ADDRESS = 10
# A password that takes fewer is common: the lists of the commonest and what is easily made of them are tried first.
_LEAST_GUESSES = 1_000_000
_MOST_LOOKED_AT = 72


@dataclass(frozen=True)
class Visitor:
    """A signed-in person at work in a crew; ``form_token`` proves that a form came from our own page.

    ``in_demo``: the crew is the demo's.
    """

    account_id: UUID
    name: str
    crew_id: UUID
    crew_name: str
    units: System
    form_token: str
    role: Role
    in_demo: bool = False

    @property
    def may_mix(self) -> bool:
        """Whether the person may plan and mix."""
        return self.role in ("lead", "mixer")

    @property
    def may_lead(self) -> bool:
        """Whether the person may invite and give roles."""
        return self.role == "lead"


class SignInRefused(Exception):  # noqa: N818 - it is the answer to a person, not a fault
    """Not signed in; the message is for the person."""


def add_crew(engine: Engine, name: str) -> UUID:
    """A new crew."""
    with open_session(engine) as session:
        crew = Crew(name=name)
        session.add(crew)
        session.flush()
        return crew.id


def add_account(
    engine: Engine, crew_id: UUID, *, sign_in_name: str, name: str, password: str, role: Role = "lead"
) -> UUID:
    """A new account in a crew."""
    with open_session(engine) as session:
        account = new_account(session, sign_in_name=sign_in_name, name=name, password=password)
        session.add(Membership(crew_id=crew_id, account_id=account.id, role=role))
        return account.id


def new_account(session: Session, *, sign_in_name: str, name: str, password: str) -> Account:
    """An account that is in no crew yet.

    Raises:
        InputError: the name is empty or taken, or the password too short.
    """
    plain = _plain(sign_in_name)
    if not plain or not name.strip():
        raise InputError("name_missing", "Give both names: the one to sign in with and your own.", ["name"])
    for field, text in (("sign_in_name", plain), ("name", name)):
        if why := why_unfit(field, text, LONGEST_NAME):
            raise InputError("name_unfit", why, [field])
    row = {
        "id": uuid4(),
        "sign_in_name": plain,
        "name": name.strip(),
        "password_hash": password_hash(password, plain, name),
    }
    # Of two who take a name at once, one has it.
    made = insert(Account).values(row).on_conflict_do_nothing().returning(Account)
    if (account := session.scalars(made).first()) is None:
        raise InputError("name_taken", "That sign-in name is taken: choose another.", ["sign_in_name"])
    return account


def count_new_account(session: Session, address: str, now: datetime) -> None:
    """Count a new account of an address.

    Raises:
        SignInRefused: it has made many lately.
    """
    _forget_old(session, now)
    source = f"{_NEW}{address}"[:_LONGEST_ADDRESS]
    made = select(func.count()).where(
        SignInFailure.address == source, SignInFailure.at > now - FAILURES_COUNT_FOR
    )
    if (session.scalar(made) or 0) >= MOST_NEW_BY_ADDRESS:
        raise SignInRefused(
            "Many accounts were made from here just now. Wait a quarter of an hour, then try again."
        )
    session.add(failure("", source, now))


def has_account(engine: Engine, sign_in_name: str) -> bool:
    """Whether that name is taken."""
    with open_session(engine) as session:
        return account_named(session, sign_in_name) is not None


def has_password(engine: Engine, sign_in_name: str, password: str) -> bool:
    """Whether that is the password of an account."""
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        return account is not None and _matches(account.password_hash, password)


def has_anybody(engine: Engine) -> bool:
    """Whether there is any account."""
    with open_session(engine) as session:
        return session.scalars(select(Account.id).limit(1)).first() is not None


def set_password(engine: Engine, sign_in_name: str, password: str, now: datetime) -> None:
    """A new password; every session of the account ends."""
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        if account is None:
            raise LookupError(f"no account {sign_in_name}")
        account.password_hash = password_hash(password, account.sign_in_name, account.name)
        end_sessions(session, account.id, now)


def change_password(engine: Engine, visitor: Visitor, *, old: str, new: str, now: datetime) -> None:
    """A new password of one's own; every session ends, this one too.

    Args:
        engine: the database.
        visitor: whose it is.
        old: the present one, as typed.
        new: the new one.
        now: the moment.

    Raises:
        InputError: the old password is wrong, or the new one too short or too common.
        SignInRefused: too many failures lately.
    """
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        # Whoever is signed in is known: nobody else's guessing keeps them from changing it, nor theirs anybody else.
        source = f"{_KNOWN}{account.id}"
        name = refuse_guessing(session, account.sign_in_name, source, now)
        if _matches(account.password_hash, old):
            account.password_hash = password_hash(new, account.sign_in_name, account.name)
            end_sessions(session, account.id, now)
            return
        session.add(failure(name, source, now))
    raise InputError("wrong_password", "That is not your current password: type it again.", ["old"])


def sign_out_everywhere(engine: Engine, visitor: Visitor, now: datetime) -> None:
    """End every session of the account."""
    with open_session(engine) as session:
        end_sessions(session, visitor.account_id, now)


def end_sessions(session: Session, account_id: UUID, now: datetime) -> None:
    """End every session of an account."""
    session.execute(
        update(SignIn)
        .where(SignIn.account_id == account_id, SignIn.revoked_at.is_(None))
        .values(revoked_at=now)
    )


def end_every_session(engine: Engine) -> None:
    """Sign everybody out."""
    with open_session(engine) as session:
        session.execute(delete(SignIn))


def sign_in(
    engine: Engine, *, sign_in_name: str, password: str, address: str, now: datetime, browser: str = ""
) -> str:
    """The token of a new session.

    Args:
        engine: the database.
        sign_in_name: as typed.
        password: as typed.
        address: where the request came from, for the rate limit.
        now: the moment.
        browser: the token of a browser in which somebody signed in before.

    Raises:
        SignInRefused: wrong name or password, or too many failures lately.
    """
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        address = _known_browser(session, account, browser) or address
        name = refuse_guessing(session, sign_in_name, address, now)
        # An unknown name costs the same time as a wrong password, so that the answer does not say which it was.
        right = _matches(account.password_hash if account else _nobodys_hash(), password)
        if account and right:
            token = _session_of(session, account, now)
            if token is None:
                raise SignInRefused("This account is in no crew. Ask the crew's lead to invite it.")
            return token
        session.add(failure(name, address, now))
    raise SignInRefused("Wrong name or password. Check both and try again.")


def remember_browser(engine: Engine, account_id: UUID, browser: str) -> str:
    """The token by which a browser is known in which somebody has just signed in: the one it has, or a new one.

    Whoever guesses at an account from elsewhere then locks out nobody here.
    """
    with open_session(engine) as session:
        known = session.get(KnownBrowser, token_hash(browser))
        if known is not None and known.account_id == account_id:
            return browser
        token = secrets.token_urlsafe(24)
        session.add(KnownBrowser(token_hash=token_hash(token), account_id=account_id))
        return token


def _known_browser(session: Session, account: Account | None, browser: str) -> str:
    """What failures in a known browser are counted by; nothing where it is not known to the account."""
    known = session.get(KnownBrowser, token_hash(browser)) if account and browser else None
    if known is None or account is None or known.account_id != account.id:
        return ""
    return f"{_KNOWN}{known.token_hash.hex()[:32]}"


def sign_in_proven(engine: Engine, sign_in_name: str, now: datetime) -> str | None:
    """The token of a new session of somebody who has just proven who they are; None where they are in no crew."""
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        return _session_of(session, account, now) if account else None


def refuse_guessing(session: Session, sign_in_name: str, address: str, now: datetime) -> str:
    """The name as it is kept.

    Args:
        session: of the database.
        sign_in_name: as typed.
        address: where it came from; a browser or a person that is known is counted for itself.
        now: the moment.

    Raises:
        SignInRefused: the name or the address failed too often lately.
    """
    name = _plain(sign_in_name)
    _forget_old(session, now)
    if _too_many_failures(session, name, address, now):
        raise SignInRefused("Too many tries. Wait a quarter of an hour, then try again.")
    return name


# Asked on every request: put together once.
_VISITOR = (
    select(
        Account.id,
        Account.name,
        Account.units,
        Crew.id,
        Crew.name,
        Membership.role,
        SignIn.form_token,
        DemoCrew.crew_id.is_not(None),
    )
    .select_from(SignIn)
    .join(Account, Account.id == SignIn.account_id)
    .join(Crew, Crew.id == SignIn.crew_id)
    .join(Membership, and_(Membership.crew_id == SignIn.crew_id, Membership.account_id == SignIn.account_id))
    .outerjoin(DemoCrew, DemoCrew.crew_id == SignIn.crew_id)
    .where(
        SignIn.token_hash == bindparam("token"),
        SignIn.revoked_at.is_(None),
        SignIn.expires_at > bindparam("now"),
    )
)


def visitor(engine: Engine, token: str, now: datetime) -> Visitor | None:
    """Who a session token belongs to, while it is valid; without a transaction."""
    with reader(engine).connect() as connection:
        found = connection.execute(_VISITOR, {"token": token_hash(token), "now": now}).first()
    if found is None:
        return None
    account_id, name, units, crew_id, crew_name, role, form_token, in_demo = found
    shown: System = "us" if units == "us" else "metric"
    return Visitor(account_id, name, crew_id, crew_name, shown, form_token, as_role(role), in_demo)


def sign_out(engine: Engine, token: str, now: datetime) -> None:
    """End a session."""
    with open_session(engine) as session:
        session.execute(update(SignIn).where(SignIn.token_hash == token_hash(token)).values(revoked_at=now))


def choose_units(engine: Engine, account_id: UUID, units: System) -> None:
    """Remember the units a person reads."""
    with open_session(engine) as session:
        session.execute(update(Account).where(Account.id == account_id).values(units=units))


def as_role(name: str) -> Role:
    """A role by its name; anything unknown has the least rights."""
    return "lead" if name == "lead" else "mixer" if name == "mixer" else "reader"


def account_named(session: Session, sign_in_name: str, *, to_change: bool = False) -> Account | None:
    """The account that signs in with that name; ``to_change``: held until the transaction ends."""
    query = select(Account).where(Account.sign_in_name == _plain(sign_in_name))
    return session.scalars(query.with_for_update() if to_change else query).first()


def failure(name: str, address: str, now: datetime) -> SignInFailure:
    """A try that failed, for ``refuse_guessing`` to count."""
    return SignInFailure(sign_in_name=name[:LONGEST_NAME], address=address[:_LONGEST_ADDRESS], at=now)


def _forget_old(session: Session, now: datetime) -> None:
    """Delete failures that no longer count, and sessions that are over."""
    session.execute(delete(SignInFailure).where(SignInFailure.at <= now - FAILURES_COUNT_FOR))
    session.execute(delete(SignIn).where(or_(SignIn.expires_at <= now, SignIn.revoked_at.is_not(None))))


def _too_many_failures(session: Session, name: str, address: str, now: datetime) -> bool:
    recent = SignInFailure.at > now - FAILURES_COUNT_FOR
    is_known = SignInFailure.address.startswith(_KNOWN)
    by_address = func.count().filter(SignInFailure.address == address)
    if address.startswith(_KNOWN):
        failures = session.scalar(select(by_address).where(recent)) or 0
        return failures >= MOST_FAILURES_BY_NAME
    by_name = func.count().filter(SignInFailure.sign_in_name == name, ~is_known)
    names, addresses = session.execute(
        select(by_name, by_address)
        .select_from(SignInFailure)
        .where(recent, or_(SignInFailure.sign_in_name == name, SignInFailure.address == address))
    ).one()
    return bool(names >= MOST_FAILURES_BY_NAME or addresses >= MOST_FAILURES_BY_ADDRESS)


def _session_of(session: Session, account: Account, now: datetime) -> str | None:
    """The token of a new session in the crew to open; None where the account is in none."""
    crew_id = _crew_to_open(session, account.id)
    return None if crew_id is None else new_session(session, crew_id, account.id, now)


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


def new_session(session: Session, crew_id: UUID, account_id: UUID, now: datetime) -> str:
    """The token of a new session of a member of a crew."""
    token = secrets.token_urlsafe(32)
    session.add(
        SignIn(
            token_hash=token_hash(token),
            crew_id=crew_id,
            account_id=account_id,
            form_token=secrets.token_urlsafe(32),
            expires_at=now + LASTS,
        )
    )
    return token


def _plain(sign_in_name: str) -> str:
    """A sign-in name as it is kept; one that is longer than any is nobody's, and is not kept whole."""
    return sign_in_name.strip().casefold()[: LONGEST_NAME + 1]


def token_hash(token: str) -> bytes:
    """How a token is kept: who reads the database cannot use it."""
    return hashlib.sha256(token.encode()).digest()


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()  # Argon2id with the library's current defaults


@cache
def _nobodys_hash() -> str:
    return _hasher().hash(secrets.token_urlsafe(16))


def password_hash(password: str, *names: str) -> str:
    """How a password is kept.

    Args:
        password: as typed.
        names: of whose it is: what is made of them is guessed first.

    Raises:
        InputError: it is too short, or among the first that are guessed.
    """
    if len(password) < LEAST_PASSWORD_LENGTH:
        raise InputError(
            "short_password",
            f"A password needs at least {LEAST_PASSWORD_LENGTH} characters: make it longer.",
            ["password"],
        )
    # Its lists take memory that only whoever chooses a password needs.
    from zxcvbn import zxcvbn

    if zxcvbn(password[:_MOST_LOOKED_AT], list(names))["guesses"] < _LEAST_GUESSES:
        raise InputError(
            "common_password",
            "That password is among the first that are guessed: take three or four words of your own.",
            ["password"],
        )
    return _hasher().hash(password)


def _matches(kept: str, password: str) -> bool:
    try:
        return _hasher().verify(kept, password)
    except VerifyMismatchError:
        return False
