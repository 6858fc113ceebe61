"""Attacks on the doors of accounts and crews, each of which once got through."""

from datetime import timedelta
from uuid import uuid4

import pytest
from helpers import NOON, raw_job
from people import PASSWORD, new_visitor
from sqlalchemy import Engine, select, text
from sqlalchemy.exc import IntegrityError

from keeve.core.errors import InputError
from keeve.data import (
    accounts,
    calendar_feeds,
    crews,
    guessing,
    open_links,
    plans,
    recovery,
    sessions,
    sharing,
)
from keeve.data.accounts import Visitor
from keeve.data.guessing import SignInRefused
from keeve.demo import close_demo, enter, load_demo
from keeve.formats.job_file import read_job
from keeve.launch.postgres import throwaway
from keeve.store.database import connect, open_session
from keeve.store.migrate import migrate
from keeve.store.models import Account, Membership


def joined(engine: Engine, lead: Visitor, role: str) -> Visitor:
    """Another person in a lead's crew, at work in it."""
    other, token = new_visitor(engine)
    crew_id = crews.join(engine, other, crews.invite(engine, lead, role, NOON), NOON)
    assert crew_id is not None
    assert crews.switch_crew(engine, other, token, crew_id)
    found = sessions.visitor(engine, token, NOON)
    assert found is not None
    return found


def member_by_invitation(engine: Engine, lead: Visitor) -> str:
    """The sign-in name of somebody whose only crew is the lead's."""
    name = f"member-{uuid4().hex[:8]}"
    invitation = crews.invite(engine, lead, "mixer", NOON)
    assert crews.join_as_new(engine, invitation, sign_in_name=name, name=name, password=PASSWORD, now=NOON)
    return name


def test_a_real_person_with_a_name_of_the_demos_keeps_their_account(quick_passwords: None) -> None:
    """At every start off this machine theirs got a random password, and at this one the printed one."""
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        given = {"sign_in_name": "wren", "name": "Wren", "password": PASSWORD, "crew_name": "Ours"}
        real, _ = crews.start_crew(engine, **given)
        close_demo(engine, NOON)
        name = load_demo(engine, NOON)
        assert name == "wren-demo"
        assert load_demo(engine, NOON) == name
        assert accounts.has_password(engine, "wren", PASSWORD)
        assert accounts.has_password(engine, name, "boathouse-keel")
        demo = sessions.visitor(engine, enter(engine, NOON), NOON)
        assert demo is not None
        assert demo.account_id != real
        assert demo.in_demo
        close_demo(engine, NOON)
        assert accounts.has_password(engine, "wren", PASSWORD)
        assert not accounts.has_password(engine, name, "boathouse-keel")
        engine.dispose()


_VERSION_1 = """
insert into crew (id, name) values
  ('00000000-0000-0000-0000-000000000001', 'Demo crew'), ('00000000-0000-0000-0000-000000000002', 'Real crew');
insert into account (id, sign_in_name, name, password_hash) values
  ('00000000-0000-0000-0000-00000000000a', 'wren', 'Wren', ''),
  ('00000000-0000-0000-0000-00000000000b', 'moss', 'A real Moss', ''),
  ('00000000-0000-0000-0000-00000000000c', 'heron', 'Invited', '');
insert into membership (crew_id, account_id) values
  ('00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-00000000000a'),
  ('00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-00000000000b'),
  ('00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-00000000000c'),
  ('00000000-0000-0000-0000-000000000002', '00000000-0000-0000-0000-00000000000b');
insert into demo_crew (crew_id, made_at) values ('00000000-0000-0000-0000-000000000001', now());
insert into sign_in (token_hash, crew_id, account_id, form_token, expires_at) values
  ('\\x01', '00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-00000000000c', 'x', now());
"""


def test_data_of_version_1_tells_the_demo_from_real_people() -> None:
    """Whoever is in another crew too, or was invited, is a real person, whatever they are called."""
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine, "v1")
        with engine.begin() as connection:
            connection.execute(text(_VERSION_1))
        migrate(engine)
        with engine.connect() as connection:
            people = dict(connection.execute(text("select sign_in_name, is_demo from account")).all())
            query = "select name from membership join account on account.id = account_id order by name"
            assert people == {"wren": True, "moss": False, "heron": False}
            assert connection.scalars(text(query)).all() == ["A real Moss", "Wren"]
            assert connection.scalar(text("select count(*) from sign_in")) == 0
        engine.dispose()


def test_nobody_real_is_in_the_demo_and_nobody_of_it_elsewhere(engine: Engine, visitor: Visitor) -> None:
    """A stranger's tap made a link for the password of a real person who had joined the demo."""
    load_demo(engine, NOON)
    demo = sessions.visitor(engine, enter(engine, NOON), NOON)
    assert demo is not None
    with pytest.raises(InputError, match="The demo is everybody's"):
        crews.invite(engine, demo, "mixer", NOON)
    with pytest.raises(InputError, match="The demo is everybody's"):
        crews.join(engine, demo, crews.invite(engine, visitor, "lead", NOON), NOON)
    for member in crews.members(engine, demo):
        with pytest.raises(InputError, match="The demo is everybody's"):
            recovery.reset_link(engine, demo, member.account_id, NOON)
    with pytest.raises(InputError, match="The demo is everybody's"):
        sessions.change_password(engine, demo, old="boathouse-keel", new=PASSWORD, now=NOON)
    # And the database holds the two apart, whatever else is forgotten.
    for crew_id, account_id in ((demo.crew_id, visitor.account_id), (visitor.crew_id, demo.account_id)):
        for is_demo in (False, True):
            with pytest.raises(IntegrityError), open_session(engine) as session:
                session.add(Membership(crew_id=crew_id, account_id=account_id, role="lead", is_demo=is_demo))


def test_the_demos_password_opens_nothing_where_the_demo_is_not(engine: Engine) -> None:
    name = load_demo(engine, NOON)
    asked = {"sign_in_name": name, "password": "boathouse-keel", "now": NOON}
    assert sessions.sign_in(engine, **asked, address=uuid4().hex)
    with pytest.raises(SignInRefused, match="Wrong name or password"):
        sessions.sign_in(engine, **asked, address=uuid4().hex, with_demo=False)


@pytest.mark.parametrize("how", ["demoted", "removed"])
def test_what_a_lead_left_open_closes_with_their_right(engine: Engine, visitor: Visitor, how: str) -> None:
    """A removed lead's password link took over another lead's account."""
    other = joined(engine, visitor, "lead")
    member = member_by_invitation(engine, visitor)
    with open_session(engine) as session:
        member_id = session.scalars(select(Account.id).where(Account.sign_in_name == member)).one()
    reset = recovery.reset_link(engine, other, member_id, NOON)
    invitation = crews.invite(engine, other, "lead", NOON)
    plan_id = plans.save_plan(engine, other, read_job(raw_job()))
    shared = sharing.share(engine, other, plan_id, NOON)
    feed = calendar_feeds.new_feed(engine, other, NOON)
    assert reset is not None
    assert shared is not None
    listed = open_links.open_links(engine, visitor, NOON)
    assert [(link.kind, link.made_by) for link in listed] == [
        (kind, other.name) for kind in ("invitation", "password", "cards", "calendar")
    ]
    if how == "demoted":
        assert crews.set_role(engine, visitor, other.account_id, "mixer", NOON)
    else:
        assert crews.remove(engine, visitor, other.account_id, NOON)
    assert recovery.reset(engine, reset, "three words of another", NOON) is None
    assert crews.open_invitation(engine, invitation, NOON) is None
    left = {link.kind for link in open_links.open_links(engine, visitor, NOON)}
    assert left == (set() if how == "removed" else {"cards", "calendar"})
    if how == "removed":
        assert sharing.shared_plan(engine, shared) is None
        assert calendar_feeds.reader_of(engine, feed) is None


def test_a_lead_ends_any_open_link_and_that_is_written_down(engine: Engine, visitor: Visitor) -> None:
    other = joined(engine, visitor, "lead")
    plan_id = plans.save_plan(engine, other, read_job(raw_job()))
    sharing.share(engine, other, plan_id, NOON)
    calendar_feeds.new_feed(engine, other, NOON)
    crews.invite(engine, other, "reader", NOON)
    stranger, _ = new_visitor(engine)
    for link in open_links.open_links(engine, visitor, NOON):
        assert not open_links.end_link(engine, stranger, link.kind, link.id, NOON)
        assert open_links.end_link(engine, visitor, link.kind, link.id, NOON)
        assert not open_links.end_link(engine, visitor, link.kind, link.id, NOON)
    assert open_links.open_links(engine, visitor, NOON) == []
    assert sharing.link_of(engine, visitor, plan_id) is None


def test_a_restore_opens_no_door_that_was_open_once(engine: Engine) -> None:
    visitor, token = new_visitor(engine)
    plan_id = plans.save_plan(engine, visitor, read_job(raw_job()))
    shared = sharing.share(engine, visitor, plan_id, NOON)
    feed = calendar_feeds.new_feed(engine, visitor, NOON)
    invitation = crews.invite(engine, visitor, "lead", NOON)
    open_links.close_every_door(engine, NOON)
    assert sessions.visitor(engine, token, NOON) is None
    assert shared is not None
    assert sharing.shared_plan(engine, shared) is None
    assert calendar_feeds.reader_of(engine, feed) is None
    assert crews.open_invitation(engine, invitation, NOON) is None
    assert open_links.open_links(engine, visitor, NOON) == []


def test_a_strangers_wrong_tries_shut_nobody_out_for_good(engine: Engine, visitor: Visitor) -> None:
    """Guesses from ever new addresses kept the right password from a new phone as long as they went on."""

    def tries(password: str, seconds: float, address: str) -> str:
        now = NOON + timedelta(seconds=seconds)
        return sessions.sign_in(
            engine, sign_in_name=visitor.name, password=password, address=address, now=now
        )

    for number in range(20):
        # Somebody guesses every three seconds, each time from another place.
        with pytest.raises(SignInRefused):
            tries("a wrong long password", 3.0 * number, uuid4().hex)
    phone, begins = uuid4().hex, 60.0
    with pytest.raises(SignInRefused, match="Wait 20 s"):
        tries(PASSWORD, begins, phone)
    with pytest.raises(SignInRefused, match="Wait 5 s"):
        tries(PASSWORD, begins + 15, phone)
    assert tries(PASSWORD, begins + 20, phone)
    # From one place a guess takes as long each time, and so many are the last for a while.
    guesses, second = 0, begins
    place = uuid4().hex
    while second < begins + 600:
        second += 1
        try:
            tries("a wrong long password", second, place)
        except SignInRefused as refusal:
            guesses += "Wrong name or password" in str(refusal)
    assert guesses <= 600 / guessing.WAIT_BY_NAME.total_seconds()
