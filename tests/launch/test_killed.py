"""Killed at any moment: the page says what happened and carries on by itself; nothing acknowledged is lost."""

import contextlib
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from uuid import UUID

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine

from keeve.demo import PASSWORD, SIGN_IN_NAME
from keeve.launch.postgres import Cluster
from keeve.launch.system import ROOT
from keeve.services import loads, plans
from keeve.services.accounts import Visitor
from keeve.services.database import DatabaseDown
from keeve.store.database import connect
from keeve.store.migrate import migrate


class Machine:
    """``./keeve up`` on a data folder of its own, as a process that can be killed and started again."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        with socket.create_server(("127.0.0.1", 0)) as probe:
            self.port = probe.getsockname()[1]

    def start(self) -> None:
        environment = {**os.environ, "KEEVE_DATA": str(self.folder), "PYTHONPATH": str(ROOT / "src")}
        environment.pop("DATABASE_URL", None)
        command = [sys.executable, "-m", "keeve", "up", "--port", str(self.port)]
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        assert "Keeve is at" in self.process.stdout.readline()

    def kill_server(self) -> None:
        self.process.kill()
        self._reap()

    def kill_database(self) -> None:
        pid = int((self.folder / "postgres" / "postmaster.pid").read_text().split()[0])
        os.kill(pid, signal.SIGKILL)

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self._reap()

    def _reap(self) -> None:
        self.process.wait(timeout=30)
        assert self.process.stdout is not None
        self.process.stdout.close()


@pytest.fixture
def machine() -> Iterator[Machine]:
    folder = Path(tempfile.mkdtemp(prefix="keeve-killed-"))
    folder.chmod(0o755)
    machine = Machine(folder)
    machine.start()
    yield machine
    machine.stop()
    shutil.rmtree(folder)


def begin_mooring_blocks(page: Page, machine: Machine) -> None:
    page.goto(f"http://127.0.0.1:{machine.port}/sign-in")
    page.get_by_label("Name").fill(SIGN_IN_NAME)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="Load 1 of Mooring blocks").click()
    page.get_by_role("button", name="Mix this load").click()
    page.get_by_role("button", name="All OK – start").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Part of the start water")
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def test_killed_in_a_running_load(machine: Machine, browser: Browser) -> None:
    with browser.new_context() as context:
        page = context.new_page()
        begin_mooring_blocks(page, machine)
        heading, done = (
            page.get_by_role("heading", level=1),
            page.get_by_role("button", name=re.compile("^Added")),
        )
        expect(heading).to_have_text("Part of the start water")

        machine.kill_database()
        done.click()
        expect(heading).to_have_text("All the stone", timeout=30_000)

        machine.kill_server()
        done.click()
        expect(page.locator("p.notice")).to_contain_text(
            "Keeve does not answer. 1 step is kept on this device."
        )
        machine.start()
        expect(heading).to_have_text("All the cement", timeout=30_000)

        machine.kill_server()
        machine.kill_database()
        done.click()
        expect(page.locator("p.notice")).to_contain_text("1 step is kept")
        machine.start()
        expect(heading).to_have_text("All the sand", timeout=30_000)
        expect(page.locator("p.notice")).to_be_hidden()

        page.reload()
        expect(heading).to_have_text("All the sand")
        page.get_by_role("link", name="Log", exact=True).click()
        page.get_by_role("link", name="Mooring blocks, load 1").click()
        rows = page.locator("section[aria-label='Steps'] tbody tr")
        expect(rows).to_have_count(5)


def test_no_acknowledged_event_is_lost() -> None:
    """Notes are recorded as fast as they go while the database is killed three times in between."""
    folder = Path(tempfile.mkdtemp(prefix="keeve-killed-"))
    folder.chmod(0o755)
    cluster = Cluster(folder)
    cluster.start()
    engine = connect(cluster.url)
    migrate(engine)
    visitor, _ = new_visitor(engine)
    load_id = loads.begin_load(engine, visitor, plans.save_plan(engine, visitor, job()), 1, NOON)
    assert load_id is not None
    acknowledged: list[str] = []
    for _ in range(3):
        for _ in range(25):
            acknowledged.append(_record(engine, visitor, load_id))
        os.kill(int((folder / "postgres" / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
    acknowledged.append(_record(engine, visitor, load_id))
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    assert {str(event.id) for event in running.events if event.kind == "note"} == set(acknowledged)
    engine.dispose()
    cluster.stop()
    shutil.rmtree(folder)


def _record(engine: Engine, visitor: Visitor, load_id: UUID) -> str:
    """Record a note as the bench does: the same event again until it is acknowledged."""
    event = raw_event("note", text="level")
    while True:
        with contextlib.suppress(*DatabaseDown):
            loads.record_event(engine, visitor, load_id, event, NOON)
            return str(event["id"])
