"""Guessing made slow: failures are counted by name, by address, and apart for whoever is known."""

import math
from datetime import datetime, timedelta

from sqlalchemy import delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.loads.event import LONGEST_NAME
from keeve.data.accounts import matches, plain_name
from keeve.store.models import Account, SignInFailure, SignInWait

FAILURES_COUNT_FOR = timedelta(minutes=15)
MOST_FAILURES_BY_NAME = 5
MOST_FAILURES_BY_ADDRESS = 20
MOST_NEW_BY_ADDRESS = 10
# After so many wrong tries at a name, from wherever, each place waits so long before each try: a stranger's tries shut
# nobody out for good, and cost as much.
WAIT_BY_NAME = timedelta(seconds=20)
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
        SignInRefused: the address failed too often lately, or the name did and this place has not waited yet.
    """
    name = plain_name(sign_in_name)
    _forget_old(session, now)
    by_name, by_address = _failures(session, name, address, now)
    most = MOST_FAILURES_BY_NAME if address.startswith(_KNOWN) else MOST_FAILURES_BY_ADDRESS
    if by_address >= most:
        raise SignInRefused("Too many tries. Wait 15 minutes, then try again.")
    if by_name >= MOST_FAILURES_BY_NAME and (left := _left_to_wait(session, name, address, now)):
        raise SignInRefused(
            f"Too many tries at this name. Wait {math.ceil(left.total_seconds())} s, then try again."
        )
    return name


def _left_to_wait(session: Session, name: str, address: str, now: datetime) -> timedelta:
    """How long a place still waits before it may try a name; nothing once, after it has waited."""
    place = {"sign_in_name": name[:LONGEST_NAME], "address": address[:_LONGEST_ADDRESS]}
    # By itself: what is written down stays, though nobody is let in.
    with Session(session.get_bind()) as own, own.begin():
        own.execute(delete(SignInWait).where(SignInWait.began_at <= now - FAILURES_COUNT_FOR))
        own.execute(insert(SignInWait).values(**place, began_at=now).on_conflict_do_nothing())
        waits = own.get_one(SignInWait, tuple(place.values()), with_for_update=True)
        left = waits.began_at + WAIT_BY_NAME - now
        if left > timedelta():
            return left
        own.delete(waits)
    return timedelta()


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


def _failures(session: Session, name: str, address: str, now: datetime) -> tuple[int, int]:
    """How often a name and an address failed lately; of what is known, only that counts."""
    recent = SignInFailure.at > now - FAILURES_COUNT_FOR
    is_known = SignInFailure.address.startswith(_KNOWN)
    by_address = func.count().filter(SignInFailure.address == address)
    if address.startswith(_KNOWN):
        return 0, session.scalar(select(by_address).where(recent)) or 0
    by_name = func.count().filter(SignInFailure.sign_in_name == name, ~is_known)
    names, addresses = session.execute(
        select(by_name, by_address)
        .select_from(SignInFailure)
        .where(recent, or_(SignInFailure.sign_in_name == name, SignInFailure.address == address))
    ).one()
    return names, addresses
