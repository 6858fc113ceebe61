"""Guessing, trivial passwords and open invitations: what is limited, and that nobody is locked out by others."""

from datetime import timedelta
from typing import Any
from uuid import uuid4

import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.data import crews, guessing, open_links, sessions
from keeve.data.accounts import Visitor
from keeve.data.guessing import SignInRefused

NEWER = "another long password"


def sign_in(engine: Engine, name: str, password: str = PASSWORD, **how: Any) -> str:
    given: dict[str, Any] = {"address": "elsewhere", "now": NOON, **how}
    return sessions.sign_in(engine, sign_in_name=name, password=password, **given)


def test_whoever_guesses_from_elsewhere_locks_out_nobody(engine: Engine, visitor: Visitor) -> None:
    browser = sessions.remember_browser(engine, visitor.account_id, "")
    assert sessions.remember_browser(engine, visitor.account_id, browser) == browser
    for number in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused, match="Wrong"):
            sign_in(engine, visitor.name, "guess", address=f"far {number}")
    with pytest.raises(SignInRefused, match="Too many"):
        sign_in(engine, visitor.name, address="home")
    # Where one has signed in before, one still can; but guessing is no freer there.
    assert sign_in(engine, visitor.name, address="home", browser=browser)
    for _ in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused, match="Wrong"):
            sign_in(engine, visitor.name, "guess", browser=browser)
    with pytest.raises(SignInRefused, match="Too many"):
        sign_in(engine, visitor.name, browser=browser)
    later = NOON + guessing.FAILURES_COUNT_FOR + timedelta(seconds=1)
    assert sign_in(engine, visitor.name, address="home", now=later)


def test_a_browser_is_known_to_one_account_only(engine: Engine, visitor: Visitor) -> None:
    other, _ = new_visitor(engine)
    browser = sessions.remember_browser(engine, other.account_id, "")
    for number in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(SignInRefused):
            sign_in(engine, visitor.name, "guess", address=f"near {number}", browser=browser)
    with pytest.raises(SignInRefused, match="Too many"):
        sign_in(engine, visitor.name, address="near", browser=browser)
    assert sessions.remember_browser(engine, visitor.account_id, browser) != browser


def test_the_present_password_is_not_guessed_without_end(engine: Engine, visitor: Visitor) -> None:
    for _ in range(guessing.MOST_FAILURES_BY_NAME):
        with pytest.raises(InputError, match="not your current password"):
            sessions.change_password(engine, visitor, old="guess", new=NEWER, now=NOON)
    with pytest.raises(SignInRefused, match="Too many"):
        sessions.change_password(engine, visitor, old=PASSWORD, new=NEWER, now=NOON)
    assert sign_in(engine, visitor.name)  # and nobody signs in the less for it


@pytest.mark.parametrize(
    "password",
    [
        "123456789012",
        "password1234",
        "qwertyuiop12",
        "aaaaaaaaaaaa",
        "iloveyou2024",
        "letmein12345",
        "heronheronheron",
    ],
)
def test_what_is_guessed_first_is_no_password(engine: Engine, visitor: Visitor, password: str) -> None:
    with pytest.raises(InputError, match="too easy to guess"):
        crews.start_crew(engine, sign_in_name="heron", name="Heron", password=password, crew_name="")
    with pytest.raises(InputError, match="too easy to guess"):
        sessions.change_password(engine, visitor, old=PASSWORD, new=password, now=NOON)


def test_one_address_makes_so_many_accounts(engine: Engine) -> None:
    def make(address: str) -> None:
        name = f"new-{uuid4().hex[:8]}"
        given = {"sign_in_name": name, "name": name, "password": PASSWORD, "crew_name": ""}
        crews.start_crew(engine, **given, address=address, now=NOON)

    for _ in range(guessing.MOST_NEW_BY_ADDRESS):
        make("a house full of builders")
    with pytest.raises(SignInRefused, match="Too many new accounts"):
        make("a house full of builders")
    make("the house next door")


def test_an_invitation_is_listed_withdrawn_and_ends_with_its_maker(engine: Engine, visitor: Visitor) -> None:
    other, _ = new_visitor(engine)
    crews.join(engine, other, crews.invite(engine, visitor, "lead", NOON), NOON)
    link = crews.invite(engine, visitor, "mixer", NOON)
    kept = crews.invite(engine, visitor, "reader", NOON - timedelta(minutes=1))
    waiting = open_links.open_links(engine, visitor, NOON)
    assert [(item.kind, item.about, item.made_by) for item in waiting] == [
        ("invitation", "mixer", visitor.name),
        ("invitation", "reader", visitor.name),
    ]
    stranger, _ = new_visitor(engine)
    assert not open_links.end_link(engine, stranger, "invitation", waiting[0].id, NOON)
    assert not open_links.end_link(engine, visitor, "invitation", "no id", NOON)
    assert open_links.end_link(engine, visitor, "invitation", waiting[0].id, NOON)
    assert crews.open_invitation(engine, link, NOON) is None
    assert open_links.open_links(engine, visitor, NOON + crews.INVITATION_LASTS) == []
    assert crews.open_invitation(engine, kept, NOON) is not None
    in_crew = Visitor(
        other.account_id, other.name, visitor.crew_id, "Crew", "metric", "", "lead", visitor.zone
    )
    assert crews.set_role(engine, in_crew, visitor.account_id, "mixer", NOON)
    assert crews.open_invitation(engine, kept, NOON) is None
