"""A phone that goes from hand to hand: who has it next finds nothing of who had it; a step stays its maker's."""

import asyncio
import json
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any
from uuid import UUID, uuid4

import pytest
import uvicorn
from helpers import NOON
from people import PASSWORD, new_visitor
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from keeve.app import create_app
from keeve.data import crews, loads, sessions
from web.conftest import Clock, Visit
from web.test_bench import tap_without_signal
from web.walking import PHONE, begin, heading, plan_a_bed, until

# How many pages the browser keeps.
KEPT = """(async () => {
  const names = (await caches.keys()).filter(name => name.startsWith("keeve-benches"));
  const pages = await Promise.all(names.map(async name => (await caches.open(name)).keys()));
  return pages.flat().length;
})()"""


class LateBenches:
    """The application, whose answers to benches are that late: a page on its way."""

    def __init__(self, app: ASGIApp) -> None:
        self.app, self.seconds = app, 0.0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        late = self.seconds if scope.get("path", "").startswith("/bench/") else 0.0

        async def send_late(message: Message) -> None:
            if late and message["type"] == "http.response.start":
                await asyncio.sleep(late)
            await send(message)

        await self.app(scope, receive, send_late)


@pytest.fixture
def app(engine: Engine, clock: Clock) -> LateBenches:
    return LateBenches(create_app(engine, clock))


@pytest.fixture
def origin(app: LateBenches) -> Iterator[str]:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        server = uvicorn.Server(uvicorn.Config(app, log_level="warning", lifespan="on"))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
        thread.start()
        yield f"http://127.0.0.1:{listener.getsockname()[1]}"
        server.should_exit = True
        thread.join()


@pytest.fixture
def visit(browser: Browser, engine: Engine, origin: str) -> Iterator[Visit]:
    """Somebody at a load of theirs, which their phone keeps."""
    person, token = new_visitor(engine)
    with browser.new_context(**PHONE) as opened:
        visit = Visit(opened.new_page(), origin, token, person.name.lower())
        plan_a_bed(visit)
        begin(visit.page)
        wait_for(visit.page, f"await {KEPT} > 0")
        yield visit


def wait_for(page: Page, condition: str, seconds: float = 10) -> None:
    ends = time.monotonic() + seconds
    while not page.evaluate(f"(async () => {condition})()"):
        assert time.monotonic() < ends, condition
        time.sleep(0.05)


def sign_out(page: Page, origin: str) -> None:
    page.goto(f"{origin}/log")
    page.get_by_role("button", name="Sign out").click()
    expect(heading(page)).to_have_text("Sign in")


def in_by_name(page: Page, origin: str, name: str) -> None:
    page.goto(f"{origin}/sign-in")
    page.locator("input[name=name]").fill(name)
    page.locator("input[name=password]").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").last.click()
    expect(page.get_by_role("button", name="Sign out")).to_be_attached()


def in_anew(page: Page, origin: str) -> None:
    page.goto(f"{origin}/new-account")
    page.locator("input[name=name]").fill(f"Teal {uuid4().hex[:8]}")
    page.locator("input[name=password]").fill(PASSWORD)
    page.locator("main button.act").click()
    expect(heading(page)).to_have_text("Your recovery code")


def in_by_invitation(page: Page, origin: str, engine: Engine) -> None:
    lead, _ = new_visitor(engine)
    page.goto(f"{origin}/invitation/{crews.invite(engine, lead, 'mixer', NOON)}")
    page.locator("input[name=sign_in_name]").fill(f"tern-{uuid4().hex[:8]}")
    page.locator("input[name=name]").fill("Tern")
    page.locator("input[name=password]").fill(PASSWORD)
    page.locator("main button.act").click()
    expect(heading(page)).to_have_text("Your recovery code")


def in_by_recovery(page: Page, origin: str, engine: Engine) -> None:
    name = f"knot-{uuid4().hex[:8]}"
    _, code = crews.start_crew(engine, sign_in_name=name, name="Knot", password=PASSWORD, crew_name="Theirs")
    page.goto(f"{origin}/forgotten")
    page.locator("input[name=name]").fill(name)
    page.locator("input[name=code]").fill(code)
    page.locator("input[name=password]").fill("three other long words")
    page.locator("main button.act").click()
    expect(heading(page)).to_have_text("Your recovery code")


@pytest.mark.parametrize(
    "way", ["signs out", "session ended", "new account", "invitation", "recovery", "name"]
)
def test_whoever_has_the_phone_next_finds_nothing_of_the_crew_before(
    engine: Engine, visit: Visit, origin: str, way: str
) -> None:
    page, address = visit.page, visit.page.url
    if way == "session ended":
        person = sessions.visitor(engine, visit.token, NOON)
        assert person is not None
        sessions.sign_out_everywhere(engine, person, NOON)
        page.goto(address)
        expect(heading(page)).to_have_text("Sign in")
    else:
        # A session may end without a word: it is gone, and the next person signs in over it.
        if way == "signs out":
            sign_out(page, origin)
        else:
            page.context.clear_cookies()
        match way:
            case "new account":
                in_anew(page, origin)
            case "invitation":
                in_by_invitation(page, origin, engine)
            case "recovery":
                in_by_recovery(page, origin, engine)
            case "name":
                in_by_name(page, origin, new_visitor(engine)[0].name.lower())
    wait_for(page, f"await {KEPT} === 0")
    page.context.set_offline(True)
    with pytest.raises(Exception, match=r"ERR_INTERNET_DISCONNECTED|ERR_FAILED"):
        page.goto(address)
    page.context.set_offline(False)


@pytest.mark.parametrize("late", [0.5, 1.4])
def test_a_page_on_its_way_while_the_phone_changes_hands_is_not_kept(
    engine: Engine, visit: Visit, app: LateBenches, origin: str, late: float
) -> None:
    address, other = visit.page.url, new_visitor(engine)[0].name.lower()
    second = visit.page.context.new_page()
    second.goto(f"{origin}/log")
    app.seconds = late
    visit.page.evaluate("address => { setTimeout(() => { location.href = address; }, 0); }", address)
    second.get_by_role("button", name="Sign out").click()
    expect(heading(second)).to_have_text("Sign in")
    in_by_name(second, origin, other)
    time.sleep(late + 0.5)
    app.seconds = 0.0
    second.goto(f"{origin}/log")
    wait_for(second, f"await {KEPT} === 0")
    visit.page.close()
    time.sleep(0.3)
    assert second.evaluate(KEPT) == 0


def test_a_step_is_sent_as_its_makers_and_as_nobody_elses(engine: Engine, visit: Visit, origin: str) -> None:
    page, address = visit.page, visit.page.url
    load_id = address.rsplit("/", 1)[1]
    tap_without_signal(page)
    maker = sessions.visitor(engine, visit.token, NOON)
    assert maker is not None
    page.context.clear_cookies()
    page.context.set_offline(False)
    # A mate of the same crew signs in on the same phone, and opens the same load.
    mate, token = new_visitor(engine)
    crew_id = crews.join(engine, mate, crews.invite(engine, maker, "mixer", NOON), NOON)
    assert crew_id is not None
    assert crews.switch_crew(engine, mate, token, crew_id)
    in_by_name(page, origin, mate.name.lower())
    page.goto(address)
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")
    time.sleep(0.5)
    assert told(engine, maker, load_id) == ["begun", "accepted"]
    assert page.evaluate("JSON.parse(localStorage['keeve-queue']).length") == 1
    expect(page.locator("p.notice").first).to_be_hidden()
    sign_out(page, origin)
    in_by_name(page, origin, maker.name.lower())
    # On whatever page they are first.
    until(page, "read(QUEUE, []).length === 0")
    assert told(engine, maker, load_id) == ["begun", "accepted", "water_added"]
    assert json.loads(page.evaluate("localStorage['keeve-queue']")) == []


def told(engine: Engine, who: Any, load_id: str) -> list[str]:
    running = loads.running_load(engine, who, UUID(load_id))
    assert running is not None
    return [event.kind for event in running.events]
