"""Signing in: right, wrong, too often, expired, revoked."""

from datetime import timedelta
from uuid import uuid4

import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine, select, text

from keeve.core.errors import InputError
from keeve.data import accounts, guessing, sessions
from keeve.data.guessing import SignInRefused
from keeve.store.database import open_session
from keeve.store.models import Account, SignIn, SignInFailure


@pytest.fixture
def name(engine: Engine) -> str:
    name = f"person-{uuid4().hex[:8]}"
    crew_id = accounts.add_crew(engine, "Crew")
    accounts.add_account(engine, crew_id, sign_in_name=name, name="Person", password=PASSWORD)
    return name


def sign_in(
    engine: Engine, name: str, password: str = PASSWORD, minutes: float = 0, address: str = ""
) -> str:
    now = NOON + timedelta(minutes=minutes)
    return sessions.sign_in(engine, sign_in_name=name, password=password, address=address or name, now=now)


def test_session_lasts_until_signed_out_or_expired(engine: Engine, name: str) -> None:
    token = sign_in(engine, f"  {name.upper()} ")
    found = sessions.visitor(engine, token, NOON)
    assert found is not None
    assert (found.name, found.crew_name, found.units) == ("Person", "Crew", "metric")
    assert sessions.visitor(engine, token, NOON + sessions.LASTS) is None
    assert sessions.visitor(engine, token + "x", NOON) is None
    sessions.sign_out(engine, token, NOON)
    assert sessions.visitor(engine, token, NOON) is None


def test_a_new_password_ends_every_session(engine: Engine, name: str) -> None:
    tokens = [sign_in(engine, name), sign_in(engine, name)]
    whose = sessions.visitor(engine, tokens[0], NOON)
    assert whose is not None
    sessions.change_password(engine, whose, old=PASSWORD, new="another long password", now=NOON)
    assert [sessions.visitor(engine, token, NOON) for token in tokens] == [None, None]
    with pytest.raises(SignInRefused):
        sign_in(engine, name)
    assert sign_in(engine, name, "another long password")


def test_guessing_is_slowed_by_name_and_by_address(engine: Engine, name: str) -> None:
    for _ in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused, match="Wrong name or password"):
            sign_in(engine, name, "wrong")
    with pytest.raises(SignInRefused, match="Wait 20 s"):
        sign_in(engine, name)
    assert sign_in(engine, name, minutes=16)
    address = uuid4().hex
    for _ in range(guessing.MOST_FAILURES_BY_ADDRESS):
        with pytest.raises(SignInRefused, match="Wrong name or password"):
            sign_in(engine, f"nobody-{uuid4().hex}", "wrong", address=address)
    with pytest.raises(SignInRefused, match="Too many tries"):
        sign_in(engine, new_visitor(engine)[0].name, address=address)


def test_old_failures_and_dead_sessions_are_deleted(engine: Engine, name: str) -> None:
    ended, other = sign_in(engine, name), f"nobody-{uuid4().hex}"
    sessions.sign_out(engine, ended, NOON)
    with pytest.raises(SignInRefused):
        sign_in(engine, other, "wrong")
    sign_in(engine, name, minutes=16)
    with open_session(engine) as session:
        failed = session.scalars(select(SignInFailure).where(SignInFailure.sign_in_name == other)).all()
        kept = session.get(SignIn, accounts.token_hash(ended))
    assert (failed, kept) == ([], None)


def test_only_hashes_are_kept(engine: Engine, name: str) -> None:
    token = sign_in(engine, name)
    with open_session(engine) as session:
        kept = session.scalars(select(Account.password_hash).where(Account.sign_in_name == name)).one()
        hashes = session.execute(text("select token_hash from sign_in")).scalars().all()
    assert kept.startswith("$argon2id$")
    assert token.encode() not in {bytes(value) for value in hashes}


def test_a_short_password_is_refused(engine: Engine) -> None:
    with pytest.raises(InputError, match="12 characters or more"):
        accounts.add_account(engine, uuid4(), sign_in_name="short", name="Short", password="heron stone")
    with pytest.raises(InputError, match="up to 128"):
        accounts.add_account(engine, uuid4(), sign_in_name="long", name="Long", password="reed " * 26)
