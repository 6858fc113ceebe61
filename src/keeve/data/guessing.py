"""Guessing made slow: failures are counted by name, by address, and apart for whoever is known."""

from datetime import datetime, timedelta

from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.loads.event import LONGEST_NAME
from keeve.data.accounts import matches, plain_name
from keeve.store.models import Account, SignInFailure

FAILURES_COUNT_FOR = timedelta(minutes=15)
MOST_FAILURES_BY_NAME = 5
MOST_FAILURES_BY_ADDRESS = 20
MOST_NEW_BY_ADDRESS = 10
_LONGEST_ADDRESS = 80
# Failures of a browser or a person that is known are counted apart from those of the rest of the world.
_KNOWN = "known "
# New accounts are counted the same way.
_NEW = "new "


class SignInRefused(Exception):  # noqa: N818 - it is the answer to a person, not a fault
    """Not signed in; the message is for the person."""


def known_source(who: str) -> str:
    """The key that failures of a browser or a person that is known are counted by."""
    return f"{_KNOWN}{who}"


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
        raise SignInRefused("Too many new accounts from here. Wait 15 minutes, then try again.")
    session.add(failure("", source, now))


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
    name = plain_name(sign_in_name)
    _forget_old(session, now)
    if _too_many_failures(session, name, address, now):
        raise SignInRefused("Too many tries. Wait 15 minutes, then try again.")
    return name


def knows_password(session: Session, account: Account, password: str, now: datetime) -> bool:
    """Whether somebody signed in types the present password of their account; what is wrong counts.

    A signed-in person is known: nobody else's guessing keeps them from it, nor theirs anybody else.

    Raises:
        SignInRefused: too many failures lately.
    """
    source = known_source(str(account.id))
    name = refuse_guessing(session, account.sign_in_name, source, now)
    if matches(account.password_hash, password):
        return True
    session.add(failure(name, source, now))
    return False


def not_the_password(field: str) -> InputError:
    """The refusal of what is not the present password, typed into that field."""
    return InputError("wrong_password", "That's not your current password.", [field])


def failure(name: str, address: str, now: datetime) -> SignInFailure:
    """A try that failed, for ``refuse_guessing`` to count."""
    return SignInFailure(sign_in_name=name[:LONGEST_NAME], address=address[:_LONGEST_ADDRESS], at=now)


def _forget_old(session: Session, now: datetime) -> None:
    """Delete failures that no longer count."""
    session.execute(delete(SignInFailure).where(SignInFailure.at <= now - FAILURES_COUNT_FOR))


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
