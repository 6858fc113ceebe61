"""Accounts: people, their roles and their passwords."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Literal
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from sqlalchemy import Engine, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.loads.event import LONGEST_NAME
from keeve.core.texts import why_unfit
from keeve.core.units import System
from keeve.core.zones import UTC_ZONE, zone_named
from keeve.store.database import open_session
from keeve.store.models import Account, Crew, Membership, SignIn

Role = Literal["lead", "mixer", "reader"]
ROLE_NAMES: dict[Role, str] = {
    "lead": "Lead: plans, mixes, invites",
    "mixer": "Operator: plans and mixes",
    "reader": "Viewer: view only",
}

LEAST_PASSWORD, MOST_PASSWORD = 12, 128
# A password that takes fewer is common: the lists of the commonest and what is easily made of them are tried first.
_LEAST_GUESSES = 1_000_000
# So many characters of it: the time to look at more grows far faster than they are worth.
_MOST_LOOKED_AT = 32


@dataclass(frozen=True)
class Visitor:
    """A signed-in person at work in a crew; ``form_token`` proves that a form came from our own page.

    ``in_demo``: it is a person of the demo, in its crew. ``zone``: the crew's, in which its times are shown.
    """

    account_id: UUID
    name: str
    crew_id: UUID
    crew_name: str
    units: System
    form_token: str
    role: Role
    zone: ZoneInfo
    in_demo: bool = False

    @property
    def may_mix(self) -> bool:
        """Whether the person may plan and mix."""
        return self.role in ("lead", "mixer")

    @property
    def may_lead(self) -> bool:
        """Whether the person may invite and give roles."""
        return self.role == "lead"


def refuse_in_demo(visitor: Visitor) -> None:
    """Refuse what would open the demo's accounts and crews to others, or lock others out of them.

    Raises:
        InputError: the visitor is a person of the demo.
    """
    if visitor.in_demo:
        raise InputError(
            "demo_only", "The demo is everybody's. Make your own account for that: it takes a minute.", []
        )


def add_crew(engine: Engine, name: str, zone: str = UTC_ZONE, *, is_demo: bool = False) -> UUID:
    """A new crew."""
    with open_session(engine) as session:
        crew = Crew(name=name, zone=zone_named(zone).key, is_demo=is_demo)
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
    plain = plain_name(sign_in_name)
    if not plain or not name.strip():
        raise InputError("name_missing", "Enter both names: your sign-in name and your own.", ["name"])
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
        raise InputError("name_taken", "That sign-in name is taken. Choose another.", ["sign_in_name"])
    return account


def has_account(engine: Engine, sign_in_name: str) -> bool:
    """Whether that name is taken."""
    with open_session(engine) as session:
        return account_named(session, sign_in_name) is not None


def sign_in_name(engine: Engine, visitor: Visitor) -> str:
    """The name that the visitor signs in with."""
    with open_session(engine) as session:
        return session.get_one(Account, visitor.account_id).sign_in_name


def has_password(engine: Engine, sign_in_name: str, password: str) -> bool:
    """Whether that is the password of an account."""
    with open_session(engine) as session:
        account = account_named(session, sign_in_name)
        return account is not None and matches(account.password_hash, password)


def has_anybody(engine: Engine) -> bool:
    """Whether there is any account."""
    with open_session(engine) as session:
        return session.scalars(select(Account.id).limit(1)).first() is not None


def end_sessions(session: Session, account_id: UUID, now: datetime) -> None:
    """End every session of an account."""
    session.execute(
        update(SignIn)
        .where(SignIn.account_id == account_id, SignIn.revoked_at.is_(None))
        .values(revoked_at=now)
    )


def choose_units(engine: Engine, account_id: UUID, units: System) -> None:
    """Remember the units a person reads."""
    with open_session(engine) as session:
        session.execute(update(Account).where(Account.id == account_id).values(units=units))


def as_role(name: str) -> Role:
    """A role by its name; anything unknown has the least rights."""
    return "lead" if name == "lead" else "mixer" if name == "mixer" else "reader"


def account_named(session: Session, sign_in_name: str, *, to_change: bool = False) -> Account | None:
    """The account that signs in with that name; ``to_change``: held until the transaction ends."""
    query = select(Account).where(Account.sign_in_name == plain_name(sign_in_name))
    return session.scalars(query.with_for_update() if to_change else query).first()


def plain_name(sign_in_name: str) -> str:
    """A sign-in name as it is kept; one that is longer than any is nobody's, and is not kept whole."""
    return sign_in_name.strip().casefold()[: LONGEST_NAME + 1]


def token_hash(token: str) -> bytes:
    """How a token is kept: who reads the database cannot use it."""
    return hashlib.sha256(token.encode()).digest()


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher()  # Argon2id with the library's current defaults


@cache
def nobodys_hash() -> str:
    """The hash of nobody's password: to look at it where there is no account takes as long."""
    return _hasher().hash(secrets.token_urlsafe(16))


def password_hash(password: str, *names: str) -> str:
    """How a password is kept.

    Args:
        password: as typed.
        names: of whose it is: what is made of them is guessed first.

    Raises:
        InputError: it is too short, or among the first that are guessed.
    """
    if len(password) > MOST_PASSWORD:
        raise InputError(
            "long_password",
            f"Passwords have up to {MOST_PASSWORD} characters. Make it shorter.",
            ["password"],
        )
    if len(password) < LEAST_PASSWORD:
        raise InputError(
            "short_password",
            f"Passwords need {LEAST_PASSWORD} characters or more. Make it longer.",
            ["password"],
        )
    # Its lists take memory that only whoever chooses a password needs.
    from zxcvbn import zxcvbn

    if zxcvbn(password[:_MOST_LOOKED_AT], list(names))["guesses"] < _LEAST_GUESSES:
        raise InputError(
            "common_password",
            "That password is too easy to guess. Use three or four words of your own.",
            ["password"],
        )
    return _hasher().hash(password)


def matches(kept: str, password: str) -> bool:
    """Whether a password is the one that is kept so."""
    try:
        return _hasher().verify(kept, password)
    except VerifyMismatchError:
        return False
