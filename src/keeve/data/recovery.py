"""Ways back in when a password is forgotten: a recovery code of one's own, or a link from the crew's lead."""

import hmac
import math
import secrets
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine, delete, select
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.data.accounts import (
    Visitor,
    account_named,
    end_sessions,
    password_hash,
    refuse_in_demo,
    token_hash,
)
from keeve.data.guessing import SignInRefused, failure, knows_password, not_the_password, refuse_guessing
from keeve.data.second_step import check, is_asked_for
from keeve.data.security_log import note, note_of_account
from keeve.store.database import open_session
from keeve.store.models import Account, Membership, PasswordReset

RESET_LASTS = timedelta(days=1)
# So long a second step stands against a recovery code, or a lead's link, alone.
SECOND_STEP_STANDS = timedelta(days=1)
# Capitals and figures that are not taken for one another on a wet note: 16 of 31 are 79 bits.
_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ2345679"
_GROUPS, _GROUP_LENGTH = 4, 4


def give_recovery_code(session: Session, account: Account) -> str:
    """A new recovery code for an account; the one it had is good no more. Only its hash is kept."""
    groups = ("".join(secrets.choice(_LETTERS) for _ in range(_GROUP_LENGTH)) for _ in range(_GROUPS))
    code = "-".join(groups)
    account.recovery_hash = _code_hash(code)
    return code


def new_recovery_code(engine: Engine, visitor: Visitor, password: str, now: datetime, address: str) -> str:
    """A new recovery code of one's own.

    Raises:
        InputError: it is not the password, or it is the demo.
        SignInRefused: too many wrong passwords lately.
    """
    refuse_in_demo(visitor)
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id, with_for_update=True)
        if knows_password(session, account, password, now):
            note_of_account(session, account.id, "recovery_code", now, address=address)
            return give_recovery_code(session, account)
    raise not_the_password("password")


def recover(
    engine: Engine,
    *,
    sign_in_name: str,
    code: str,
    password: str,
    address: str,
    now: datetime,
    phone_code: str = "",
) -> str:
    """A new password by the recovery code; gives the next code. Every session of the account ends.

    With a second step the phone's code is asked for too. Without the phone the step falls away a day later; the account
    page tells whoever is signed in, who can stop it. Until then the recovery code opens nothing.

    Args:
        engine: the database.
        sign_in_name: as typed.
        code: as typed, in capitals or not, with or without its hyphens.
        password: the new one.
        address: where the request came from, for the rate limit.
        now: the moment.
        phone_code: the code of the phone, as typed; empty where there is none.

    Raises:
        SignInRefused: wrong name or code, the second step stands, or too many failures lately.
        InputError: the new password is too short.
    """
    with open_session(engine) as session:
        name = refuse_guessing(session, sign_in_name, address, now)
        account = account_named(session, name, to_change=True)
        kept = account.recovery_hash if account else None
        if account and kept and hmac.compare_digest(kept, _code_hash(code)):
            stands = is_asked_for(account, now) and not (
                phone_code and check(session, account, phone_code, now)
            )
            if not stands:
                _open_anew(session, account, password, now)
                note_of_account(session, account.id, "recovered", now, address=address)
                return give_recovery_code(session, account)
            if account.second_ends_at is None:
                account.second_ends_at = now + SECOND_STEP_STANDS
                note_of_account(session, account.id, "recovery_waits", now, address=address)
            hours = math.ceil((account.second_ends_at - now) / timedelta(hours=1))
            refusal = f"Two-step sign-in is on. Enter your phone's code too, or come back in {hours} h."
        else:
            session.add(failure(name, address, now))
            refusal = "Wrong name or recovery code. Check both, or ask your crew lead for a link."
    raise SignInRefused(refusal)


def reset_link(engine: Engine, visitor: Visitor, account_id: UUID, now: datetime) -> str | None:
    """The token of a link by which a member of the visitor's crew chooses a new password; None without such a member.

    Raises:
        InputError: the member also works in a crew that the visitor does not lead, or is one of the demo's.
    """
    refuse_in_demo(visitor)
    with open_session(engine) as session:
        if session.get(Membership, (visitor.crew_id, account_id)) is None:
            return None
        if not _crews(session, account_id) <= _crews(session, visitor.account_id, role="lead"):
            raise InputError(
                "other_crews",
                "This person is also in a crew you don't lead. Only their own recovery code can reset the password.",
                ["account_id"],
            )
        token = secrets.token_urlsafe(24)
        session.execute(delete(PasswordReset).where(PasswordReset.account_id == account_id))
        session.add(
            PasswordReset(
                token_hash=token_hash(token),
                account_id=account_id,
                made_by=visitor.account_id,
                expires_at=now + RESET_LASTS,
            )
        )
        note(session, visitor.crew_id, "reset_link", now, account_id=visitor.account_id, whom=account_id)
        return token


def open_reset(engine: Engine, token: str, now: datetime) -> str | None:
    """The sign-in name of whoever a link is for, while it is good."""
    with open_session(engine) as session:
        found = _open(session, token, now)
        return session.get_one(Account, found.account_id).sign_in_name if found else None


def reset(engine: Engine, token: str, password: str, now: datetime, address: str = "") -> str | None:
    """A new password by a link; gives a new recovery code, None where the link is good no more.

    Raises:
        InputError: the password is too short.
    """
    with open_session(engine) as session:
        found = _open(session, token, now)
        if found is None:
            return None
        account = session.get_one(Account, found.account_id)
        _open_anew(session, account, password, now)
        if is_asked_for(account, now) and account.second_ends_at is None:
            # Whoever has lost the password may have lost the phone with it.
            account.second_ends_at = now + SECOND_STEP_STANDS
        note_of_account(session, account.id, "reset", now, address=address)
        session.delete(found)
        return give_recovery_code(session, account)


def _open_anew(session: Session, account: Account, password: str, now: datetime) -> None:
    """Another password; a second step stays."""
    account.password_hash = password_hash(password, account.sign_in_name, account.name)
    end_sessions(session, account.id, now)


def _open(session: Session, token: str, now: datetime) -> PasswordReset | None:
    found = session.get(PasswordReset, token_hash(token), with_for_update=True)
    return found if found and found.expires_at > now else None


def _crews(session: Session, account_id: UUID, role: str | None = None) -> set[UUID]:
    query = select(Membership.crew_id).where(Membership.account_id == account_id)
    return set(session.scalars(query if role is None else query.where(Membership.role == role)))


def _code_hash(code: str) -> bytes:
    return token_hash("".join(letter for letter in code.upper() if letter.isalnum()))
