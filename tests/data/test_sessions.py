"""Open sessions, and the security log of a crew: what is listed, what ends, what is written down and who reads it."""

from datetime import timedelta

import pytest
from helpers import NOON
from people import PASSWORD, new_visitor
from sqlalchemy import Engine, text

from keeve.data import crews, open_links, recovery, security_log, sessions
from keeve.data.accounts import Visitor
from keeve.data.guessing import SignInRefused


def sign_in(engine: Engine, visitor: Visitor, device: str) -> str:
    return sessions.sign_in(
        engine,
        sign_in_name=visitor.name,
        password=PASSWORD,
        address="home",
        now=NOON + timedelta(minutes=1),
        device=device,
    )


def test_sessions_are_listed_and_ended_one_by_one(engine: Engine) -> None:
    visitor, first = new_visitor(engine)
    other, others = new_visitor(engine)
    phone = sign_in(engine, visitor, "Phone")
    listed = sessions.sessions_of(engine, visitor, phone, NOON + timedelta(minutes=1))
    assert [(item.device, item.is_this) for item in listed] == [("Phone", True), ("", False)]
    assert sessions.visitor(engine, phone, NOON + timedelta(hours=1))
    used_last = sessions.sessions_of(engine, visitor, first, NOON + timedelta(hours=1))[0]
    assert (used_last.device, used_last.seen_at) == ("Phone", NOON + timedelta(hours=1))
    # Nobody ends another's, and what is shown of one opens nothing.
    assert not sessions.end_session(engine, other, listed[1].id, NOON)
    assert sessions.visitor(engine, listed[1].id, NOON) is None
    assert sessions.end_session(engine, visitor, listed[1].id, NOON)
    assert not sessions.end_session(engine, visitor, listed[1].id, NOON)
    assert sessions.visitor(engine, first, NOON) is None
    assert sessions.visitor(engine, phone, NOON)
    assert sessions.visitor(engine, others, NOON)


def test_a_session_ends_when_it_is_not_used_and_at_the_latest_after_a_month(engine: Engine) -> None:
    visitor, token = new_visitor(engine)
    assert sessions.visitor(engine, token, NOON + sessions.IDLE) is None
    now = NOON
    while now + timedelta(days=5) < NOON + sessions.LASTS:
        now += timedelta(days=5)
        assert sessions.visitor(engine, token, now), now
    assert sessions.visitor(engine, token, NOON + sessions.LASTS) is None
    assert sessions.sessions_of(engine, visitor, token, NOON + sessions.LASTS) == []


def test_the_security_log_tells_a_lead_of_sign_ins_roles_and_invitations(engine: Engine) -> None:
    lead, _ = new_visitor(engine)
    token = crews.invite(engine, lead, "mixer", NOON)
    crews.join_as_new(
        engine, token, sign_in_name=f"new-{lead.name}", name="Moss", password=PASSWORD, now=NOON
    )
    moss = next(one.account_id for one in crews.members(engine, lead) if one.name == "Moss")
    crews.set_role(engine, lead, moss, "reader", NOON)
    with pytest.raises(SignInRefused):
        sessions.sign_in(engine, sign_in_name=f"new-{lead.name}", password="guess", address="far", now=NOON)
    recovery.reset_link(engine, lead, moss, NOON)
    security_log.note_export(engine, lead, "keeve-log.csv", NOON, "home")
    crews.remove(engine, lead, moss, NOON)
    told = [(entry.kind, entry.who, entry.whom, entry.words) for entry in security_log.entries(engine, lead)]
    who = lead.name
    assert told == [
        ("removed", who, "Moss", ""),
        ("exported", who, "", "keeve-log.csv"),
        ("reset_link", who, "Moss", ""),
        ("wrong_password", "Moss", "", ""),
        ("role", who, "Moss", "reader"),
        ("joined", "Moss", "", "mixer"),
        ("invited", who, "", "mixer"),
        ("signed_in", who, "", ""),
    ]
    stranger, _ = new_visitor(engine)
    assert [entry.kind for entry in security_log.entries(engine, stranger)] == ["signed_in"]
    newest = security_log.entries(engine, lead)[0].id
    assert len(security_log.entries(engine, lead, before=newest)) == len(told) - 1


def test_what_did_not_happen_is_not_written_down_and_what_is_old_goes(engine: Engine) -> None:
    lead, _ = new_visitor(engine)
    before = security_log.entries(engine, lead)
    assert not open_links.end_link(engine, lead, "invitation", "0badc0de", NOON)
    assert not crews.remove(engine, new_visitor(engine)[0], lead.account_id, NOON)
    assert security_log.entries(engine, lead) == before
    security_log.note_export(engine, lead, "keeve-log.csv", NOON + security_log.KEPT_FOR, "home")
    assert [entry.kind for entry in security_log.entries(engine, lead)] == ["exported"]
    with engine.connect() as connection:
        kept = connection.scalar(text("select count(*) from security_entry where at <= :old"), {"old": NOON})
    assert kept == 0
