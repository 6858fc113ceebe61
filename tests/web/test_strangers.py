"""Signed out: a quick plan that nobody keeps, the way to an account that takes it along, and back in without a key."""

import re
import zlib
from base64 import urlsafe_b64encode
from datetime import datetime
from random import Random
from typing import Any
from uuid import uuid4

import pyotp
import pytest
from forms_in_html import fields_in
from helpers import NOON
from people import PASSWORD
from sqlalchemy import Engine

import keeve.demo
from keeve.app import create_app
from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.planning.job import MOST_ITEMS, Job
from keeve.data import crews, sessions
from keeve.demo import PASSWORD as DEMO_PASSWORD
from keeve.demo import load_demo
from keeve.formats.job_file import read_job
from keeve.formats.packed_job import MOST_CHARACTERS, pack_job, unpack_job
from keeve.web.security import FORM_HEADER, SESSION_COOKIE, STRANGER_COOKIE, UNITS_COOKIE, masked
from web.conftest import Client, Clock

SLAB = {"need.0.length_m": "3", "need.0.width_m": "2", "need.0.thickness_m": "100"}


@pytest.fixture
def stranger(engine: Engine, clock: Clock) -> Client:
    client = Client(engine, clock, signed_in=False)
    client.headers.update({"Cookie": f"{STRANGER_COOKIE}=token", FORM_HEADER: masked("token")})
    return client


def quick(stranger: Client, **typed: str) -> str:
    """The address of the first card of a slab worked out signed out."""
    form = fields_in(stranger.get("/plan?shape=slab").text) | SLAB | typed
    answer = stranger.post("/plan", data=form)
    assert answer.status_code == 303, answer.text
    return str(answer.headers["location"])


def test_the_first_page_leads_to_every_shape(stranger: Client) -> None:
    page = stranger.get("/").text
    shapes = re.findall(r'href="/plan\?shape=([a-z-]+)"', page)
    assert len(shapes) == len(set(shapes)) == page.count('<symbol id="shape-')
    for shape in shapes:
        form = stranger.get(f"/plan?shape={shape}").text
        assert re.search(rf'name="need\.0\.kind" value="{shape}"[^>]* checked', form), shape
        assert 'class="mix-choice"' in form


def test_a_strangers_first_page_ties_its_forms_to_the_browser(engine: Engine, clock: Clock) -> None:
    fresh = Client(engine, clock, signed_in=False)
    answer = fresh.get("/plan")
    token = re.search(r'name="form_token" value="([^"]+)"', answer.text)
    cookie = re.search(rf"{STRANGER_COOKIE}=([^;]+)", answer.headers["set-cookie"])
    assert token
    assert cookie
    assert token[1] != re.search(r'name="form_token" value="([^"]+)"', fresh.get("/plan").text)[1]  # type: ignore[index]
    form = {"form_token": token[1], "units": "us"}
    assert fresh.post("/units", data=form).status_code == 403  # the cookie was not sent back
    assert (
        fresh.post("/units", data=form, headers={"Cookie": f"{STRANGER_COOKIE}={cookie[1]}"}).status_code
        == 303
    )


def test_a_quick_plan_shows_its_cards_and_is_kept_nowhere(stranger: Client) -> None:
    card = quick(stranger)
    page = stranger.get(card).text
    assert "Load 1 of 8" in page
    assert "Save and mix" in page
    assert "Load 8 of 8" in stranger.get(f"{card}&load=8").text
    assert "buckets" in stranger.get(f"{card}&load=8&gauge=volume").text
    assert stranger.get(f"{card}&load=9").status_code == 404


def test_what_is_wrong_is_told_as_to_anybody(stranger: Client) -> None:
    form = fields_in(stranger.get("/plan?shape=slab").text) | {"need.0.length_m": "a lot"}
    answer = stranger.post("/plan", data=form)
    assert answer.status_code == 422
    assert 'value="a lot"' in answer.text


@pytest.mark.parametrize("job", ["", "x", "!!", "a" * (MOST_CHARACTERS + 1), "é"])
def test_a_broken_address_is_told(stranger: Client, job: str) -> None:
    answer = stranger.get("/plan/quick", params={"job": job})
    assert answer.status_code == 422
    assert "Plan the job again" in answer.text


def test_an_address_that_unfolds_without_end_is_refused() -> None:
    bomb = urlsafe_b64encode(zlib.compress(b" " * 5_000_000)).decode()
    with pytest.raises(InputError, match="cut short"):
        unpack_job(bomb)


def a_job(**changes: Any) -> Job:
    need = [{"shape": "slab-volume", "length_m": 3, "width_m": 2, "thickness_m": 0.1}]
    raw = {"format": "keeve-job", "version": 1, "title": "Bäd – 1", "mix": "concrete-nominal", "need": need}
    return read_job({**raw, "mixer": {"kind": "tilting-drum", "working_l": 90}, **changes})


def a_name(number: int) -> str:
    """A name as long as one may be, that does not pack."""
    return "".join(map(chr, Random(number).choices(range(0x4E00, 0x9F00), k=60)))


def test_a_packed_job_is_the_same_job() -> None:
    assert unpack_job(pack_job(a_job())) == a_job()
    own = library()["stucco-base"].model_copy(update={"id": "our-coat"})
    assert unpack_job(pack_job(a_job(mix=own.model_dump(mode="json")))).mix == own
    with pytest.raises(InputError, match="too long"):
        pack_job(a_job(need=[{"volume_m3": 0.37, "name": a_name(number)} for number in range(MOST_ITEMS)]))


def test_units_are_kept_in_a_strangers_browser(stranger: Client) -> None:
    answer = stranger.post("/units", data={"units": "us", "next": "/plan"})
    assert f"{UNITS_COOKIE}=us" in answer.headers["set-cookie"]
    stranger.headers["Cookie"] += f"; {UNITS_COOKIE}=us"
    assert "10" in fields_in(stranger.get("/plan?shape=slab").text)["need.0.length_m"]
    assert "ft³" in stranger.get(quick(stranger, **{"need.0.thickness_m": "4"})).text
    form = fields_in(stranger.get("/plan?shape=slab").text)
    metric = stranger.post("/plan/units", data={**form, "units": "metric"})
    assert f"{UNITS_COOKIE}=metric" in metric.headers["set-cookie"]


def new_account(stranger: Client, job: str = "") -> tuple[str, str, Any]:
    name = f"Heron {uuid4().hex[:8]}"
    answer = stranger.post(
        "/new-account", data={"name": name, "password": PASSWORD, "crew_name": "", "job": job}
    )
    assert answer.status_code == 200, answer.text
    code = re.search(r'class="recovery-code"[^>]*>([A-Z0-9-]+)<', answer.text)
    assert code is not None
    return name, code[1], answer


def test_an_account_takes_the_job_along(engine: Engine, clock: Clock, stranger: Client) -> None:
    card = quick(stranger)
    keep = re.search(r'href="(/new-account\?job=[^"]+)"', stranger.get(card).text)
    assert keep is not None
    job = fields_in(stranger.get(keep[1]).text)["job"]
    _, _, answer = new_account(stranger, job)
    begin = re.search(r'action="(/plan/[0-9a-f-]+/load/1/begin)"', answer.text)
    token = re.search(r'name="form_token" value="([^"]+)"', answer.text)
    session = re.search(rf"{SESSION_COOKIE}=([^;]+)", answer.headers["set-cookie"])
    assert begin
    assert token
    assert session
    signed_in = Client(engine, clock, signed_in=False)
    signed_in.headers.update({"Cookie": f"{SESSION_COOKIE}={session[1]}", FORM_HEADER: token[1]})
    bench = signed_in.post(begin[1]).headers["location"]
    assert "Check first" in signed_in.get(bench).text
    # Signed in, a quick card offers to be kept and mixed at a tap.
    assert "Mix this load" in signed_in.get(card).text
    begun = signed_in.post("/plan/quick/keep", data={"job": job, "begin": "2"})
    assert begun.headers["location"].startswith("/bench/")
    assert signed_in.post("/plan/quick/keep", data={"job": job}).headers["location"].endswith("/load/1")


def test_signing_in_takes_the_job_along(client: Client, stranger: Client) -> None:
    job = pack_job(a_job())
    form = {"name": client.visitor.name, "password": PASSWORD, "job": job}
    wrong = stranger.post("/sign-in", data={**form, "password": "wrong"})
    assert fields_in(wrong.text)["job"] == job
    answer = stranger.post("/sign-in", data=form)
    assert "Bäd – 1" in client.get(answer.headers["location"]).text


def test_a_fault_in_a_new_account_keeps_what_was_typed(stranger: Client) -> None:
    form = {"name": "Heron", "password": "short", "crew_name": "Weir", "job": pack_job(a_job())}
    answer = stranger.post("/new-account", data=form)
    assert answer.status_code == 422
    assert "12 characters or more" in answer.text
    kept = fields_in(answer.text)
    assert (kept["name"], kept["crew_name"], kept["job"]) == ("Heron", "Weir", form["job"])


@pytest.mark.parametrize(("says", "zone"), [("America/Denver", "America/Denver"), ("Moon/Tycho", "UTC")])
def test_a_new_crew_has_the_zone_of_its_first_device(stranger: Client, says: str, zone: str) -> None:
    typed = {"name": f"Teal {uuid4().hex[:8]}", "password": PASSWORD, "crew_name": "", "zone": says}
    given = stranger.post("/new-account", data=typed).headers.get_list("set-cookie")
    stranger.headers["Cookie"] = next(one for one in given if one.startswith(f"{SESSION_COOKIE}=")).partition(
        ";"
    )[0]
    assert zone in stranger.get("/crew").text


def test_a_closed_crew_makes_no_accounts(engine: Engine, clock: Clock) -> None:
    closed = Client(engine, clock, signed_in=False)
    closed.app = create_app(engine, clock, open_to_all=False)
    closed._transport.app = closed.app  # type: ignore[attr-defined]
    assert "/new-account" not in closed.get("/").text
    assert "/new-account" not in closed.get("/sign-in").text
    assert closed.get("/new-account").status_code == 404


def test_a_forgotten_password_is_mended_by_the_code_and_by_the_lead(stranger: Client, client: Client) -> None:
    name, code, _ = new_account(stranger)
    form = {"name": name, "code": code, "password": "a third long password"}
    wrong = stranger.post("/forgotten", data={**form, "code": "WRONG"})
    assert wrong.status_code == 422
    assert fields_in(wrong.text)["name"] == name
    assert "recovery-code" in stranger.post("/forgotten", data=form).text
    invited = client.post("/crew/invitations", data={"role": "mixer"})
    link = re.search(r"invitation/([\w-]+)", invited.text)
    assert link is not None
    member = f"Member {uuid4().hex[:8]}"
    joined = stranger.post(
        f"/invitation/{link[1]}", data={"sign_in_name": member, "name": member, "password": PASSWORD}
    )
    assert "recovery-code" in joined.text
    ids = re.findall(r'name="account_id" value="([0-9a-f-]+)"', client.get("/crew").text)
    reset = re.search(r"/reset/([\w-]+)", client.post("/crew/reset-links", data={"account_id": ids[0]}).text)
    assert reset is not None
    assert member.lower() in stranger.get(f"/reset/{reset[1]}").text
    short = stranger.post(f"/reset/{reset[1]}", data={"password": "short"})
    assert (short.status_code, "Make it longer" in short.text) == (422, True)
    assert (
        "recovery-code" in stranger.post(f"/reset/{reset[1]}", data={"password": "a fourth one, long"}).text
    )
    assert stranger.get(f"/reset/{reset[1]}").status_code == 404
    assert "recovery-code" in client.post("/account/recovery-code", data={"password": PASSWORD}).text
    refused = client.post("/account/recovery-code", data={"password": "a guess of somebody"})
    assert (refused.status_code, "not your current password" in refused.text) == (422, True)


def test_the_code_is_seen_by_whoever_proved_it_though_the_address_is_limited(
    stranger: Client, client: Client
) -> None:
    name, code, _ = new_account(stranger)
    stranger._transport.client = ("limited", 1)  # type: ignore[attr-defined]
    wrong = {"name": "nobody", "password": "wrong password"}
    refusals = [stranger.post("/sign-in", data={**wrong, "name": f"nobody {number}"}) for number in range(21)]
    assert "Too many tries" in refusals[-1].text
    # Nothing was guessed here: a new account and a link are proof enough, and each code is shown.
    new_account(stranger)
    invited = client.post("/crew/invitations", data={"role": "mixer"})
    link = re.search(r"invitation/([\w-]+)", invited.text)
    assert link
    member = {"sign_in_name": f"m-{uuid4().hex[:8]}", "name": "M", "password": PASSWORD}
    joined = stranger.post(f"/invitation/{link[1]}", data=member)
    assert "recovery-code" in joined.text
    assert f"{SESSION_COOKIE}=" in joined.headers["set-cookie"]
    assert "Too many tries" in stranger.post("/forgotten", data={"name": name, "code": code}).text


def test_the_code_is_seen_by_somebody_who_is_in_no_crew(
    engine: Engine, stranger: Client, client: Client
) -> None:
    name = f"member-{uuid4().hex[:8]}"
    invitation = crews.invite(engine, client.visitor, "mixer", NOON)
    code = crews.join_as_new(engine, invitation, sign_in_name=name, name=name, password=PASSWORD, now=NOON)
    member = next(one for one in crews.members(engine, client.visitor) if one.name == name)
    assert crews.remove(engine, client.visitor, member.account_id, NOON)
    answer = stranger.post("/forgotten", data={"name": name, "code": code, "password": "a third long one"})
    assert answer.status_code == 200
    assert "recovery-code" in answer.text
    assert "You're not in a crew yet" in answer.text
    assert f"{SESSION_COOKIE}=" not in answer.headers.get("set-cookie", "")


def test_links_that_leave_lead_to_the_configured_address(client: Client) -> None:
    client.app.state.address = "https://keeve.example.org"  # type: ignore[attr-defined]
    elsewhere = {"Host": "elsewhere.example.com"}
    invited = client.post("/crew/invitations", data={"role": "mixer"}, headers=elsewhere)
    assert "https://keeve.example.org/invitation/" in invited.text
    member = str(client.visitor.account_id)
    reset = client.post("/crew/reset-links", data={"account_id": member}, headers=elsewhere)
    assert "https://keeve.example.org/reset/" in reset.text
    assert "elsewhere" not in invited.text + reset.text


class Demo:
    """A demo that says what was asked of it."""

    def __init__(self, session: str) -> None:
        self.session, self.afresh = session, 0

    def enter(self, engine: Engine, now: datetime) -> str:
        return self.session

    def begin_afresh_once(self, engine: Engine, now: datetime) -> None:
        self.afresh += 1


def test_the_demo_is_one_button_where_there_is_one(engine: Engine, stranger: Client, client: Client) -> None:
    assert "Try the demo" not in stranger.get("/").text
    assert stranger.post("/demo").status_code == 404
    session = sessions.sign_in(
        engine, sign_in_name=client.visitor.name, password=PASSWORD, address="demo", now=NOON
    )
    stranger.app.state.demo = client.app.state.demo = demo = Demo(session)  # type: ignore[attr-defined]
    assert "Try the demo" in stranger.get("/").text
    assert session in stranger.post("/demo").headers["set-cookie"]
    # Only from inside the demo is it begun afresh.
    assert client.post("/demo/afresh").status_code == 404
    assert demo.afresh == 0


@pytest.mark.parametrize(
    ("host", "address", "headers", "is_there"),
    [
        ("http://127.0.0.1", "127.0.0.1", {}, True),
        ("http://localhost", "::1", {}, True),
        ("http://keeve.example", "127.0.0.1", {}, False),
        ("http://127.0.0.1", "192.0.2.7", {}, False),
        ("http://127.0.0.1", "127.0.0.1", {"X-Forwarded-For": "192.0.2.7"}, False),
        ("http://127.0.0.1", "127.0.0.1", {"Via": "1.1 a proxy"}, False),
    ],
)
def test_the_demo_of_this_machine_is_not_there_past_a_proxy(
    engine: Engine, stranger: Client, host: str, address: str, headers: dict[str, str], is_there: bool
) -> None:
    """Its printed password opened it, behind a proxy on the same machine, to whoever came by."""
    name = load_demo(engine, NOON)
    stranger.app.state.demo, stranger.app.state.demo_for_all = keeve.demo, False  # type: ignore[attr-defined]
    stranger.base_url = host
    stranger._transport.client = (address, 1)  # type: ignore[attr-defined]
    stranger.headers |= {**headers, "Origin": host}
    assert ("Try the demo" in stranger.get("/").text) == is_there
    assert stranger.post("/demo").status_code == (303 if is_there else 404)
    form = {"name": name, "password": DEMO_PASSWORD, "next": "/"}
    assert stranger.post("/sign-in", data=form).status_code == (303 if is_there else 401)


def test_signing_in_asks_for_the_code_of_the_phone(clock: Clock, client: Client, stranger: Client) -> None:
    assert client.post("/account/second-step/on", data={"code": "1"}).status_code == 404
    shown = client.post("/account/second-step", data={"password": PASSWORD}).text
    key = "".join(re.findall(r'class="recovery-code key">([A-Z2-7 ]+)<', shown)[0].split())
    assert "Wrong code" in client.post("/account/second-step/on", data={"code": "000000"}).text
    right = {"code": pyotp.TOTP(key).at(clock())}
    assert client.post("/account/second-step/on", data=right).status_code == 303
    assert "Two-step sign-in: on" in client.get("/account").text
    clock.turn(2)
    form = {"name": client.visitor.name, "password": PASSWORD, "next": "/log"}
    asked = stranger.post("/sign-in", data=form)
    assert f"{SESSION_COOKIE}=" not in asked.headers.get("set-cookie", "")
    waiting = re.findall(r'name="waiting" value="([^"]+)"', asked.text)[0]
    second = {"waiting": waiting, "next": "/log", "code": "000000"}
    assert stranger.post("/sign-in/code", data=second).status_code == 401
    arrived = stranger.post("/sign-in/code", data={**second, "code": pyotp.TOTP(key).at(clock())})
    assert (arrived.status_code, arrived.headers["location"]) == (303, "/log")
    assert f"{SESSION_COOKIE}=" in arrived.headers["set-cookie"]
    assert "too long" in stranger.post("/sign-in/code", data=second).text
    told = client.get("/crew/security").text
    assert "right password, wrong code" in told
    assert "turned on two-step sign-in" in told
    assert client.post("/account/second-step/off", data={"password": "guess"}).status_code == 422
    assert client.post("/account/second-step/off", data={"password": PASSWORD}).status_code == 303


def test_a_file_that_leaves_is_written_down(client: Client) -> None:
    assert client.get("/log.csv").status_code == 200
    assert "saved keeve-log.csv" in client.get("/crew/security").text
