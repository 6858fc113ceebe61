"""The second step of signing in, for whoever wants it: a code of six figures that a phone shows for half a minute."""

from datetime import datetime

import pyotp
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.data.accounts import Visitor, refuse_in_demo
from keeve.data.guessing import failure, known_source, knows_password, not_the_password, refuse_guessing
from keeve.data.security_log import note_of_account
from keeve.store.database import open_session
from keeve.store.models import Account

# A phone's clock may be half a minute off.
_STEPS_OFF = (-1, 0, 1)
_STEP_S = 30


def is_on(engine: Engine, visitor: Visitor) -> bool:
    """Whether the visitor signs in with a second step."""
    with open_session(engine) as session:
        return session.get_one(Account, visitor.account_id).second_since is not None


def is_asked_for(account: Account, now: datetime) -> bool:
    """Whether a code is asked for at a sign-in; one that was to end by now is forgotten."""
    if account.second_ends_at is not None and account.second_ends_at <= now:
        forget(account)
    return account.second_since is not None


def ends_at(engine: Engine, visitor: Visitor) -> datetime | None:
    """When the visitor's second step falls away, since somebody had their recovery code; None where it stays."""
    with open_session(engine) as session:
        return session.get_one(Account, visitor.account_id).second_ends_at


def keep_on(engine: Engine, visitor: Visitor, now: datetime, address: str) -> None:
    """Let the second step stay, whoever has the recovery code; that one is good no more."""
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if account.second_ends_at is not None:
            account.second_ends_at = account.recovery_hash = None
            note_of_account(session, account.id, "recovery_stopped", now, address=address)


def begin(engine: Engine, visitor: Visitor, password: str, now: datetime) -> str:
    """The key for a phone, which counts once a code of it was typed; another one each time.

    Raises:
        InputError: it is not the password, the second step is on already, or it is the demo.
        SignInRefused: too many wrong passwords lately.
    """
    refuse_in_demo(visitor)
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if account.second_since is not None:
            raise InputError("is_on", "Two-step sign-in is already on. Turn it off first.", ["code"])
        if knows_password(session, account, password, now):
            account.second_key = pyotp.random_base32()
            return account.second_key
    raise not_the_password("password")


def key_of(engine: Engine, visitor: Visitor) -> str | None:
    """The key that waits for its first code; None where none does."""
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id)
        return account.second_key if account.second_since is None else None


def address_of_key(key: str, sign_in_name: str) -> str:
    """A key as the phone reads it, as an ``otpauth`` address."""
    return pyotp.TOTP(key).provisioning_uri(name=sign_in_name, issuer_name="Keeve")


def turn_on(engine: Engine, visitor: Visitor, code: str, now: datetime, address: str) -> None:
    """Ask for a code at every sign-in from now on.

    Raises:
        InputError: it is not the code that the phone shows.
        SignInRefused: too many wrong ones lately.
    """
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if check(session, account, code, now):
            account.second_since = now
            note_of_account(session, account.id, "second_step_on", now, address=address)
            return
    raise InputError("wrong_code", "Wrong code. Enter the next one your phone shows.", ["code"])


def turn_off(engine: Engine, visitor: Visitor, password: str, now: datetime, address: str) -> None:
    """Sign in with the password alone from now on.

    Raises:
        InputError: it is not the password.
        SignInRefused: too many wrong ones lately.
    """
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if knows_password(session, account, password, now):
            forget(account)
            note_of_account(session, account.id, "second_step_off", now, address=address)
            return
    raise not_the_password("password")


def forget(account: Account) -> None:
    """No second step any more."""
    account.second_key = account.second_since = account.second_used = account.second_ends_at = None


def check(session: Session, account: Account, code: str, now: datetime) -> bool:
    """Whether a code is the account's now; each is good once.

    Raises:
        SignInRefused: too many wrong ones lately.
    """
    source = known_source(f"code {account.id}")
    name = refuse_guessing(session, account.sign_in_name, source, now)
    plain = "".join(letter for letter in code if letter.isdigit())
    if account.second_key:
        key, moment = pyotp.TOTP(account.second_key), int(now.timestamp()) // _STEP_S
        for step in (moment + off for off in _STEPS_OFF):
            is_later = account.second_used is None or step > account.second_used
            if is_later and pyotp.utils.strings_equal(key.generate_otp(step), plain):
                account.second_used = step
                return True
    session.add(failure(name, source, now))
    return False
