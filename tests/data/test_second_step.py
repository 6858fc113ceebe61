"""The second step of signing in: its codes against the published vectors, what it asks for, and how it is lost."""

from base64 import b32encode
from datetime import UTC, datetime, timedelta

import pyotp
import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.data import guessing, recovery, second_step, security_log, sessions
from keeve.data.accounts import Visitor
from keeve.data.guessing import SignInRefused
from keeve.store.database import open_session
from keeve.store.models import Account

STEP = timedelta(seconds=30)
# RFC 6238, appendix B, SHA-1: the moment in seconds and the last six of its eight figures.
VECTORS = {
    59: "287082",
    1111111109: "081804",
    1111111111: "050471",
    1234567890: "005924",
    2000000000: "279037",
}


def code_of(key: str, now: datetime = NOON) -> str:
    return pyotp.TOTP(key).at(now)


def turned_on(engine: Engine, visitor: Visitor) -> str:
    """The key of a visitor whose second step is on; its code of NOON is used."""
    key = second_step.begin(engine, visitor, PASSWORD, NOON)
    second_step.turn_on(engine, visitor, code_of(key), NOON, "home")
    return key


def begun(engine: Engine, name: str, now: datetime) -> str:
    token = sessions.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=now)
    assert sessions.visitor(engine, token, now) is None  # the password alone opens nothing
    return token


@pytest.mark.parametrize(("seconds", "code"), VECTORS.items())
def test_a_code_is_that_of_the_standard(engine: Engine, visitor: Visitor, seconds: int, code: str) -> None:
    now = datetime.fromtimestamp(seconds, UTC)
    with open_session(engine) as session:
        account = session.get_one(Account, visitor.account_id)
        account.second_key = b32encode(b"12345678901234567890").decode()
        account.second_used = None
        assert second_step.check(session, account, code, now)
        assert not second_step.check(session, account, code, now)


def test_signing_in_asks_for_a_code_once_it_is_on(engine: Engine, visitor: Visitor) -> None:
    key = turned_on(engine, visitor)
    assert second_step.is_on(engine, visitor)
    with pytest.raises(InputError, match="already"):
        second_step.begin(engine, visitor, PASSWORD, NOON)
    later = NOON + 2 * STEP
    waiting = begun(engine, visitor.name, later)
    with pytest.raises(SignInRefused, match="Wrong code"):
        sessions.enter_code(engine, waiting, "000000", later)
    token = sessions.enter_code(
        engine, waiting, f"{code_of(key, later)[:3]} {code_of(key, later)[3:]}", later
    )
    assert token is not None
    found = sessions.visitor(engine, token, later)
    assert found is not None
    assert found.account_id == visitor.account_id
    # What waited is used up, a code counts once, and what waits waits five minutes.
    assert sessions.enter_code(engine, waiting, code_of(key, later), later) is None
    with pytest.raises(SignInRefused):
        sessions.enter_code(engine, begun(engine, visitor.name, later), code_of(key, later), later)
    waiting, late = begun(engine, visitor.name, later), later + timedelta(minutes=6)
    assert sessions.enter_code(engine, waiting, code_of(key, late), late) is None


@pytest.mark.parametrize(("off", "counts"), [(-2, False), (-1, True), (0, True), (1, True), (2, False)])
def test_a_phones_clock_may_be_half_a_minute_off(
    engine: Engine, visitor: Visitor, off: int, counts: bool
) -> None:
    key = turned_on(engine, visitor)
    now = NOON + 10 * STEP
    waiting = begun(engine, visitor.name, now)
    try:
        assert sessions.enter_code(engine, waiting, code_of(key, now + off * STEP), now)
    except SignInRefused:
        assert not counts
    else:
        assert counts


def test_codes_are_not_guessed_without_end(engine: Engine, visitor: Visitor) -> None:
    key = turned_on(engine, visitor)
    now = NOON + 2 * STEP
    for _ in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused, match="Wrong code"):
            sessions.enter_code(engine, begun(engine, visitor.name, now), "000000", now)
    with pytest.raises(SignInRefused, match="Too many"):
        sessions.enter_code(engine, begun(engine, visitor.name, now), code_of(key, now), now)


def test_it_counts_only_once_a_code_was_typed_and_goes_by_the_password(
    engine: Engine, visitor: Visitor
) -> None:
    first = second_step.begin(engine, visitor, PASSWORD, NOON)
    assert second_step.begin(engine, visitor, PASSWORD, NOON) != first
    with pytest.raises(InputError, match="Wrong code"):
        second_step.turn_on(engine, visitor, code_of(first), NOON, "home")
    assert not second_step.is_on(engine, visitor)
    key = second_step.key_of(engine, visitor)
    assert key is not None
    second_step.turn_on(engine, visitor, code_of(key), NOON, "home")
    assert second_step.key_of(engine, visitor) is None  # nobody sees it again
    with pytest.raises(InputError, match="not your current password"):
        second_step.turn_off(engine, visitor, "guess", NOON, "home")
    second_step.turn_off(engine, visitor, PASSWORD, NOON, "home")
    assert not second_step.is_on(engine, visitor)


def recover(engine: Engine, visitor: Visitor, code: str, now: datetime, phone_code: str = "") -> str:
    given = {"sign_in_name": visitor.name, "code": code, "password": PASSWORD, "address": "home"}
    return recovery.recover(engine, **given, now=now, phone_code=phone_code)


def test_whoever_lost_the_phone_comes_in_by_the_recovery_code_a_day_later(
    engine: Engine, visitor: Visitor
) -> None:
    code = recovery.new_recovery_code(engine, visitor, PASSWORD, NOON, "home")
    turned_on(engine, visitor)
    with pytest.raises(SignInRefused, match="come back in 24 h"):
        recover(engine, visitor, code, NOON)
    with pytest.raises(SignInRefused, match="come back in 1 h"):
        recover(engine, visitor, code, NOON + timedelta(hours=23))
    ends = second_step.ends_at(engine, visitor)
    assert ends == NOON + recovery.SECOND_STEP_STANDS
    assert recover(engine, visitor, code, ends)
    assert not second_step.is_on(engine, visitor)
    told = [entry.kind for entry in security_log.entries(engine, visitor)]
    assert told[:4] == ["recovered", "recovery_waits", "second_step_on", "recovery_code"]


def test_whoever_is_signed_in_keeps_the_second_step_from_a_stolen_code(
    engine: Engine, visitor: Visitor
) -> None:
    code = recovery.new_recovery_code(engine, visitor, PASSWORD, NOON, "home")
    turned_on(engine, visitor)
    with pytest.raises(SignInRefused):
        recover(engine, visitor, code, NOON)
    second_step.keep_on(engine, visitor, NOON + timedelta(hours=1), "home")
    with pytest.raises(SignInRefused, match="Wrong name or recovery code"):
        recover(engine, visitor, code, NOON + timedelta(days=2))
    assert second_step.is_on(engine, visitor)
    assert security_log.entries(engine, visitor)[0].kind == "recovery_stopped"


def test_the_phones_code_beside_the_recovery_code_opens_at_once_and_the_step_stays(
    engine: Engine, visitor: Visitor
) -> None:
    code = recovery.new_recovery_code(engine, visitor, PASSWORD, NOON, "home")
    key = turned_on(engine, visitor)
    later = NOON + 2 * STEP
    with pytest.raises(SignInRefused):
        recover(engine, visitor, code, later, "000000")
    assert recover(engine, visitor, code, later, code_of(key, later))
    assert second_step.is_on(engine, visitor)
    assert begun(engine, visitor.name, later)


def test_what_could_take_an_account_over_asks_for_the_password(engine: Engine, visitor: Visitor) -> None:
    with pytest.raises(InputError, match="not your current password"):
        recovery.new_recovery_code(engine, visitor, "a guess of somebody", NOON, "home")
    with pytest.raises(InputError, match="not your current password"):
        second_step.begin(engine, visitor, "a guess of somebody", NOON)
    assert second_step.key_of(engine, visitor) is None


def test_a_key_is_read_with_the_name_it_is_for() -> None:
    read = pyotp.parse_uri(second_step.address_of_key("JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP", "wren moss"))
    assert (read.name, read.issuer, read.secret) == ("wren moss", "Keeve", "JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP")


def test_another_account_is_asked_for_nothing(engine: Engine, visitor: Visitor) -> None:
    turned_on(engine, visitor)
    other, token = new_visitor(engine)
    assert sessions.visitor(engine, token, NOON) == other
