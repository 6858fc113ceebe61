"""Ways back in: the recovery code, and a link from the crew's lead."""

import re
from datetime import timedelta
from uuid import uuid4

import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.data import accounts, crews, guessing, recovery, sessions
from keeve.data.accounts import Visitor
from keeve.data.guessing import SignInRefused

NEW = "a newer long password"


def founded(engine: Engine, crew_name: str = "") -> tuple[str, str]:
    """The name and the recovery code of somebody who began a crew."""
    name = f"Founder {uuid4().hex[:8]}"
    _, code = crews.start_crew(engine, sign_in_name=name, name=name, password=PASSWORD, crew_name=crew_name)
    return name, code


def sign_in(engine: Engine, name: str, password: str) -> Visitor:
    token = sessions.sign_in(engine, sign_in_name=name, password=password, address=name, now=NOON)
    found = sessions.visitor(engine, token, NOON)
    assert found is not None
    return found


def recover(engine: Engine, name: str, code: str, password: str = NEW) -> str:
    return recovery.recover(engine, sign_in_name=name, code=code, password=password, address=name, now=NOON)


def test_whoever_begins_a_crew_leads_it(engine: Engine) -> None:
    name, _ = founded(engine)
    visitor = sign_in(engine, name, PASSWORD)
    assert (visitor.crew_name, visitor.role, visitor.in_demo) == (f"{name}'s crew", "lead", False)
    named, _ = founded(engine, "Weir crew")
    assert sign_in(engine, named, PASSWORD).crew_name == "Weir crew"


@pytest.mark.parametrize(
    "wrong",
    [
        {"name": ""},
        {"sign_in_name": " "},
        {"password": "short"},
        {"crew_name": "x" * 500},
        {"crew_name": "a\0"},
    ],
)
def test_nothing_is_made_of_half_an_account(engine: Engine, wrong: dict[str, str]) -> None:
    name = f"half-{uuid4().hex[:8]}"
    given = {"sign_in_name": name, "name": name, "password": PASSWORD, "crew_name": "Half crew"} | wrong
    with pytest.raises(InputError):
        crews.start_crew(engine, **given)
    assert not accounts.has_account(engine, name)


def test_the_recovery_code_opens_once_and_is_read_as_it_is_written_down(engine: Engine) -> None:
    name, code = founded(engine)
    assert re.fullmatch(r"([A-Z2-9]{4}-){3}[A-Z2-9]{4}", code)
    session = sessions.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=NOON)
    following = recover(engine, name.upper(), f" {code.lower().replace('-', ' ')} ")
    assert sessions.visitor(engine, session, NOON) is None
    assert sign_in(engine, name, NEW).name == name
    with pytest.raises(SignInRefused, match="Wrong name or recovery code"):
        recover(engine, name, code)
    assert recover(engine, name, following, PASSWORD) != following


def test_guessing_a_code_is_slowed_like_guessing_a_password(engine: Engine) -> None:
    name, code = founded(engine)
    for _ in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused, match="Wrong"):
            recover(engine, name, "AAAA-AAAA-AAAA-AAAA")
    with pytest.raises(SignInRefused, match="Too many tries"):
        recover(engine, name, code)


def test_an_account_without_a_code_is_opened_by_none(engine: Engine, visitor: Visitor) -> None:
    with pytest.raises(SignInRefused):
        recover(engine, visitor.name, "")
    code = recovery.new_recovery_code(engine, visitor, PASSWORD, NOON, "home")
    with pytest.raises(InputError, match="12 characters or more"):
        recover(engine, visitor.name, code, "short")
    assert recover(engine, visitor.name, code)


def test_a_leads_link_gives_one_new_password_for_a_day(engine: Engine, visitor: Visitor) -> None:
    name = f"member-{uuid4().hex[:8]}"
    invitation = crews.invite(engine, visitor, "mixer", NOON)
    assert crews.join_as_new(engine, invitation, sign_in_name=name, name=name, password=PASSWORD, now=NOON)
    member = sign_in(engine, name, PASSWORD)
    first = recovery.reset_link(engine, visitor, member.account_id, NOON)
    link = recovery.reset_link(engine, visitor, member.account_id, NOON)
    assert first is not None
    assert link is not None
    assert recovery.open_reset(engine, first, NOON) is None  # the newer link takes its place
    assert recovery.open_reset(engine, link, NOON) == name
    assert recovery.reset(engine, link, NEW, NOON + timedelta(days=1)) is None
    with pytest.raises(InputError):
        recovery.reset(engine, link, "short", NOON)
    code = recovery.reset(engine, link, NEW, NOON)
    assert recovery.reset(engine, link, PASSWORD, NOON) is None
    assert sign_in(engine, name, NEW)
    assert code is not None
    assert recover(engine, name, code, PASSWORD)


def test_a_lead_opens_no_account_that_works_elsewhere(engine: Engine, visitor: Visitor) -> None:
    guest, _ = new_visitor(engine, "Other crew")
    assert recovery.reset_link(engine, visitor, guest.account_id, NOON) is None
    crews.join(engine, guest, crews.invite(engine, visitor, "mixer", NOON), NOON)
    with pytest.raises(InputError, match="a crew you don't lead"):
        recovery.reset_link(engine, visitor, guest.account_id, NOON)
