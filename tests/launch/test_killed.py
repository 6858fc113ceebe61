"""Killed at any moment: the page says what happened and carries on by itself; nothing acknowledged is lost."""

import contextlib
import os
import re
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from random import Random
from uuid import UUID

import httpx2
import pytest
from helpers import job, raw_event
from launch.machine import Machine, a_machine
from people import client_of, new_visitor
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine, select

from keeve.data import loads, plans
from keeve.data.accounts import Visitor
from keeve.demo import PASSWORD, SIGN_IN_NAME
from keeve.store import models
from keeve.store.database import connect, crew_reading

KILLS = int(os.environ.get("KEEVE_KILLS", "4"))


@pytest.fixture(scope="module")
def machine() -> Iterator[Machine]:
    with a_machine() as machine:
        yield machine


def begin_mooring_blocks(page: Page, machine: Machine) -> None:
    page.goto(f"http://127.0.0.1:{machine.port}/sign-in")
    page.get_by_label("Name").fill(SIGN_IN_NAME)
    page.get_by_role("textbox", name="Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="Load 1 of Mooring blocks").click()
    page.get_by_role("button", name="Mix this load").click()
    page.get_by_role("button", name="All OK – start").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Part of the start water")
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def test_killed_in_a_running_load(machine: Machine, browser: Browser) -> None:
    with browser.new_context() as context:
        # What a server that is killed leaves to its pages; a phone that goes on by itself has tests of its own.
        context.add_init_script("localStorage.setItem('keeve-signal', 'off')")
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
        expect(page.locator("p.notice")).to_contain_text("No connection. 1 step is saved on this device.")
        machine.start()
        expect(heading).to_have_text("All the cement", timeout=30_000)

        # Opened again while nothing answers, the bench is as it was last; what is tapped on it is kept.
        machine.kill_server()
        machine.kill_database()
        page.reload()
        expect(heading).to_have_text("All the cement")
        expect(page.locator("p.notice")).to_contain_text("This is the last saved view")
        done.click()
        expect(page.locator("p.notice")).to_contain_text("1 step is saved")
        page.reload()
        expect(page.locator("p.notice")).to_contain_text("1 step is saved")
        machine.start()
        expect(heading).to_have_text("All the sand", timeout=30_000)
        expect(page.locator("p.notice")).to_be_hidden()

        page.reload()
        expect(heading).to_have_text("All the sand")
        page.get_by_role("link", name="Log", exact=True).click()
        page.get_by_role("link", name="Mooring blocks, load 1").click()
        rows = page.locator(".story > li")
        expect(rows).to_have_count(5)


def test_nothing_acknowledged_is_lost_or_doubled_whatever_is_killed(machine: Machine) -> None:
    """Three benches tell notes as fast as they are answered; now a worker is killed, now the database, now all."""
    engine = connect(machine.database())
    visitor, token = new_visitor(engine, now=datetime.now(UTC))
    clients = [client_of(visitor, token, f"http://127.0.0.1:{machine.port}") for _ in range(3)]
    load_ids = list(begun(engine, visitor))
    acknowledged: list[str] = []
    over = threading.Event()
    victims = (machine.kill_worker, machine.kill_database, machine.kill_and_start, machine.kill_all_and_start)
    chance = Random(300)
    with ThreadPoolExecutor(len(clients)) as benches:
        told = [benches.submit(tell, client, load_ids, acknowledged, over) for client in clients]
        try:
            for number in range(KILLS):
                time.sleep(chance.uniform(0.2, 1.2))
                victims[number % len(victims)]()
        finally:
            over.set()
        for bench in told:
            bench.result()
    for client in clients:
        client.close()
    engine.dispose()
    engine = connect(machine.database())
    with crew_reading(engine, visitor.crew_id) as session:
        kept = session.scalars(select(models.Event.id).where(models.Event.kind == "note")).all()
    assert sorted(map(str, kept)) == sorted(acknowledged)
    assert len(acknowledged) > KILLS
    engine.dispose()


def begun(engine: Engine, visitor: Visitor) -> Iterator[UUID]:
    """Loads enough that none gets long."""
    for _ in range(6):
        plan_id = plans.save_plan(engine, visitor, job())
        load_id = loads.begin_load(engine, visitor, plan_id, 1, datetime.now(UTC))
        assert load_id is not None
        yield load_id


def tell(client: httpx2.Client, load_ids: list[UUID], acknowledged: list[str], over: threading.Event) -> None:
    """Tell notes as the bench does: each again until it is answered, whatever happens meanwhile."""
    chance = Random(id(client))
    while not over.is_set():
        load_id = chance.choice(load_ids)
        event = raw_event("note", at=datetime.now(UTC), text="level")
        while True:
            with contextlib.suppress(httpx2.TransportError):
                answer = client.post(f"/bench/{load_id}/events", json=event)
                if answer.status_code == 200:
                    acknowledged.append(str(event["id"]))
                    break
                assert answer.status_code == 503, answer.text
            time.sleep(0.1)
        time.sleep(0.02)
