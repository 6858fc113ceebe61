"""Inviting, roles, leaving, changing between crews."""

from datetime import timedelta
from uuid import uuid4

import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.data import crews, sessions
from keeve.data.accounts import Visitor


def newcomer(engine: Engine, lead: Visitor, role: str) -> tuple[Visitor, str]:
    """Somebody with a new account who took up an invitation, and the token of their session."""
    name = f"new-{uuid4().hex[:8]}"
    token = crews.invite(engine, lead, role, NOON)
    assert crews.join_as_new(engine, token, sign_in_name=name, name=name, password=PASSWORD, now=NOON)
    session = sessions.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=NOON)
    found = sessions.visitor(engine, session, NOON)
    assert found is not None
    return found, session


@pytest.mark.parametrize(("role", "mixes", "leads"), [("lead", 1, 1), ("mixer", 1, 0), ("reader", 0, 0)])
def test_an_invitation_gives_its_role(
    engine: Engine, visitor: Visitor, role: str, mixes: bool, leads: bool
) -> None:
    found, _ = newcomer(engine, visitor, role)
    assert (found.crew_id, found.role, found.may_mix, found.may_lead) == (visitor.crew_id, role, mixes, leads)
    assert (found.account_id, role) in {
        (item.account_id, item.role) for item in crews.members(engine, visitor)
    }


def test_an_invitation_is_good_once_and_for_a_week(engine: Engine, visitor: Visitor) -> None:
    token = crews.invite(engine, visitor, "mixer", NOON)
    assert crews.open_invitation(engine, token, NOON + timedelta(days=7)) is None
    offer = crews.open_invitation(engine, token, NOON)
    assert offer is not None
    assert (offer.crew_name, offer.role) == (visitor.crew_name, "mixer")
    guest, _ = new_visitor(engine)
    assert crews.join(engine, guest, token, NOON) == visitor.crew_id
    assert crews.join(engine, guest, token, NOON) is None
    assert crews.open_invitation(engine, "guessed", NOON) is None
    with pytest.raises(InputError):
        crews.invite(engine, visitor, "owner", NOON)


def test_switching_goes_only_to_ones_own_crews(engine: Engine, visitor: Visitor) -> None:
    guest, session = new_visitor(engine, "Other crew")
    assert not crews.switch_crew(engine, guest, session, visitor.crew_id)
    crews.join(engine, guest, crews.invite(engine, visitor, "reader", NOON), NOON)
    assert [name for _, name in crews.crews_of(engine, guest)] == ["Crew", "Other crew"]
    assert crews.switch_crew(engine, guest, session, visitor.crew_id)
    now = sessions.visitor(engine, session, NOON)
    assert now is not None
    assert (now.crew_id, now.role) == (visitor.crew_id, "reader")


def test_a_crew_keeps_a_lead(engine: Engine, visitor: Visitor) -> None:
    mixer, _ = newcomer(engine, visitor, "mixer")
    for leave in (lambda *who: crews.remove(*who, NOON), lambda *who: crews.set_role(*who, "reader", NOON)):
        with pytest.raises(InputError, match="needs a lead"):
            leave(engine, visitor, visitor.account_id)
    assert crews.set_role(engine, visitor, mixer.account_id, "lead", NOON)
    assert crews.set_role(engine, visitor, visitor.account_id, "reader", NOON)


def test_who_is_taken_out_is_out_at_once(engine: Engine, visitor: Visitor) -> None:
    mixer, session = newcomer(engine, visitor, "mixer")
    stranger, _ = new_visitor(engine)
    assert not crews.remove(engine, stranger, mixer.account_id, NOON)
    assert crews.remove(engine, visitor, mixer.account_id, NOON)
    assert sessions.visitor(engine, session, NOON) is None


def test_a_name_is_taken_once_and_a_password_is_long(engine: Engine, visitor: Visitor) -> None:
    token = crews.invite(engine, visitor, "mixer", NOON)
    taken = visitor.name.lower()
    for sign_in_name, name, password in (
        (taken, "A", PASSWORD),
        (" ", "A", PASSWORD),
        ("free", "A", "short"),
    ):
        with pytest.raises(InputError):
            crews.join_as_new(
                engine, token, sign_in_name=sign_in_name, name=name, password=password, now=NOON
            )
    assert crews.open_invitation(engine, token, NOON) is not None


def test_a_password_is_changed_with_the_old_one_and_ends_every_session(engine: Engine) -> None:
    visitor, session = new_visitor(engine)
    with pytest.raises(InputError, match="not your current password"):
        sessions.change_password(engine, visitor, old="wrong", new="another long password", now=NOON)
    sessions.change_password(engine, visitor, old=PASSWORD, new="another long password", now=NOON)
    assert sessions.visitor(engine, session, NOON) is None


def test_signing_out_everywhere(engine: Engine) -> None:
    visitor, session = new_visitor(engine)
    sessions.sign_out_everywhere(engine, visitor, NOON)
    assert sessions.visitor(engine, session, NOON) is None
