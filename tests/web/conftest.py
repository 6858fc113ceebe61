"""The application served to a real Chromium, with a clock that the tests turn."""

import contextlib
import socket
import threading
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from fastapi.testclient import TestClient
from helpers import NOON
from people import new_visitor
from playwright.sync_api import Browser, Page
from sqlalchemy import Engine

from keeve.app import create_app
from keeve.data import sessions
from keeve.data.accounts import Visitor
from keeve.demo import begin_afresh, enter
from keeve.web.security import FORM_HEADER, SESSION_COOKIE, masked

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


class Clock:
    """A clock that stands until it is turned."""

    def __init__(self) -> None:
        self.now = NOON

    def __call__(self) -> datetime:
        return self.now

    def turn(self, minutes: float) -> None:
        self.now += timedelta(minutes=minutes)


@pytest.fixture
def clock() -> Clock:
    return Clock()


class Client(TestClient):
    """A signed-in browser without a window: sends the cookie, and on a post the form token."""

    def __init__(
        self,
        engine: Engine,
        clock: Clock,
        *,
        signed_in: bool = True,
        seen_as: tuple[Visitor, str] | None = None,
    ) -> None:
        super().__init__(create_app(engine, clock), base_url="http://127.0.0.1", follow_redirects=False)
        self.engine, self.clock = engine, clock
        if signed_in:
            self.visitor, self.token = seen_as or new_visitor(engine)
            self.headers["Cookie"] = f"{SESSION_COOKIE}={self.token}"
            self.headers[FORM_HEADER] = masked(self.visitor.form_token)


@pytest.fixture
def client(engine: Engine, clock: Clock) -> Client:
    return Client(engine, clock)


@pytest.fixture(scope="module")
def demo(engine: Engine) -> tuple[Visitor, str]:
    """The demo, begun afresh: its lead, and the token of a session."""
    begin_afresh(engine, NOON)
    # As the page does it: other tests of this database may have tried wrong passwords at its name.
    token = enter(engine, NOON)
    wren = sessions.visitor(engine, token, NOON)
    assert wren is not None
    return wren, token


@pytest.fixture
def origin(engine: Engine, clock: Clock) -> Iterator[str]:
    """The address of the application, served until the test ends."""
    with socket.create_server(("127.0.0.1", 0)) as listener:
        server = uvicorn.Server(uvicorn.Config(create_app(engine, clock), log_level="warning"))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
        thread.start()
        yield f"http://127.0.0.1:{listener.getsockname()[1]}"
        server.should_exit = True
        thread.join()


_LOOK = """tags => axe.run({runOnly: {type: "tag", values: tags}, resultTypes: ["violations"]})
  .then(found => found.violations)"""


class Visit:
    """A page that fails the test on any console message, page error or request off the origin."""

    def __init__(
        self, page: Page, origin: str, token: str, sign_in_name: str = "", *, with_device: bool = False
    ) -> None:
        self.page, self.origin, self.token, self.sign_in_name = page, origin, token, sign_in_name
        self.wrong: list[str] = []
        if not with_device:
            # Where nothing is cut off, no test waits for an interpreter that starts.
            page.add_init_script("localStorage.setItem('keeve-signal', 'off')")
        # A keyboard lies beside every screen that is tested; what a phone does without one is a test of its own.
        page.add_init_script("localStorage.getItem('keeve-keys') ?? localStorage.setItem('keeve-keys', 'on')")
        page.on("console", lambda message: self.wrong.append(f"console {message.type}: {message.text}"))
        page.on("pageerror", lambda error: self.wrong.append(f"page error: {error}"))
        page.on("request", lambda request: self._request(request.url))

    def _request(self, url: str) -> None:
        if not url.startswith((self.origin, "data:")):
            self.wrong.append(f"request off the origin: {url}")

    def sign_in(self) -> None:
        """To the plan page with a session that is there already; ``test_walk`` signs in by hand."""
        # The cookie is for secure origins, as this machine's own is.
        where = self.origin.replace("http:", "https:")
        self.page.context.add_cookies(
            [{"name": SESSION_COOKIE, "value": self.token, "url": where, "secure": True}]
        )
        self.page.goto(f"{self.origin}/plan")

    def check(self) -> None:
        """No accessibility violation (WCAG 2.2 AA by axe), and nothing wrong so far."""
        self.page.evaluate(AXE)
        tags = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
        found: list[dict[str, Any]] = self.page.evaluate(_LOOK, tags)
        violations = [
            f"{item['id']}: {node['html'][:160]} {node['failureSummary']}"
            for item in found
            for node in item["nodes"]
        ]
        assert violations == []
        assert self.wrong == []


@contextlib.contextmanager
def visiting(
    browser: Browser, engine: Engine, origin: str, *, with_device: bool = False, **context: Any
) -> Iterator[Visit]:
    person, token = new_visitor(engine)
    with browser.new_context(**context) as opened:
        visit = Visit(opened.new_page(), origin, token, person.name.lower(), with_device=with_device)
        yield visit
        assert visit.wrong == []
