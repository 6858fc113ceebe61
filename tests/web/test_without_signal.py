"""Without signal, in Chromium with its network cut: loads go on, outlast a closed tab, and are told afterwards."""

import contextlib
import gzip
import re

import pytest
from playwright.sync_api import Browser, Error, Page, expect
from sqlalchemy import Engine, select

from keeve.data import sessions
from keeve.screens.without_signal import runtime
from keeve.store import models
from keeve.store.database import crew_session
from web.conftest import Clock, Visit, visiting
from web.walking import PHONE, begin, heading, name_job, plan_a_bed, until

# On a busy machine an interpreter takes its time.
READY_MS = 150_000


def tap_alone(page: Page, words: str, then: str) -> None:
    """A tap that only this device answers."""
    page.get_by_role("button", name=re.compile(f"^{words}")).first.click()
    expect(heading(page)).to_have_text(then, timeout=READY_MS)


def begun_and_cut_off(visit: Visit) -> None:
    """A load is begun; once this device is ready there is no more signal, and its first step is tapped."""
    plan_a_bed(visit)
    begin(visit.page)
    until(visit.page, "onDevice.isReady", READY_MS)
    visit.page.context.set_offline(True)
    tap_alone(visit.page, "Added", "Half the sand")


def test_two_loads_are_mixed_without_signal_and_told_afterwards(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, with_device=True, **PHONE) as visit:
        page = visit.page
        begun_and_cut_off(visit)
        tap_alone(page, "Added", "All the cement")
        expect(page.locator("p.notice")).to_contain_text("2 steps are saved on this device")
        # Reloaded it goes on where it was.
        page.reload()
        expect(heading(page)).to_have_text("All the cement", timeout=READY_MS)
        tap_alone(page, "Added", "The rest of the sand")
        # Another tab, the first one closed: the shell draws what was not kept.
        other = page.context.new_page()
        page.close()
        other.goto(f"{origin}/")
        expect(heading(other)).to_have_text("Mixing now", timeout=READY_MS)
        other.get_by_role("link", name=re.compile("Load 1")).first.click()
        expect(heading(other)).to_have_text("The rest of the sand")
        tap_alone(other, "Added", "The rest of the start water")
        # The next load of the job, begun here.
        other.goto(f"{origin}/")
        expect(heading(other)).to_have_text("Mixing now", timeout=READY_MS)
        other.get_by_role("link", name=re.compile("Sill bed")).last.click()
        expect(heading(other)).to_have_text("Load 2 of 4")
        other.get_by_role("button", name="Mix this load").click()
        expect(heading(other)).to_have_text("Water, most of the start")
        tap_alone(other, "Added", "Half the sand")
        assert kinds(engine, visit, 2) == []
        # A plan made here, its card, and its first load.
        other.get_by_role("link", name="Plan", exact=True).click()
        expect(heading(other)).to_have_text("Plan a job")
        name_job(other, "Porch step")
        other.get_by_label("Length", exact=True).fill("2")
        other.get_by_label("Thickness", exact=True).fill("20")
        expect(other.locator(".bar-words")).to_contain_text("1 load of 88.0", timeout=READY_MS)
        other.get_by_role("button", name="Make mix cards").click()
        expect(heading(other)).to_have_text("Load 1 of 1")
        other.get_by_role("button", name="Mix this load").click()
        expect(heading(other)).to_have_text("Check first")
        tap_alone(other, "All OK", "Water, most of the start")
        other.context.set_offline(False)
        until(other, "read(QUEUE, []).length === 0", READY_MS)
        expect(other.locator("p.notice:visible")).to_have_count(0)
        assert kinds(engine, visit, 1) == [
            "accepted", "water_added", "charged", "charged", "charged",
        ]  # fmt: skip
        assert kinds(engine, visit, 2) == ["begun", "water_added"]
        assert kinds(engine, visit, 1, "Porch step") == ["accepted"]
        visit.wrong.clear()  # the browser tells of each request that found no network


def kinds(engine: Engine, visit: Visit, number: int, job: str = "Sill bed") -> list[str]:
    """What was told of a load, in order; without what the server wrote of the first by itself."""
    visitor = sessions.visitor(engine, visit.token, Clock()())
    assert visitor is not None
    with crew_session(engine, visitor.crew_id) as session:
        found = session.scalars(
            select(models.Event.content)
            .join(models.StoredLoad, models.StoredLoad.id == models.Event.load_id)
            .join(models.StoredPlan, models.StoredPlan.id == models.StoredLoad.plan_id)
            .where(models.StoredLoad.number == number, models.StoredPlan.title == job)
        ).all()
    assert len({event["id"] for event in found}) == len(found)
    found = sorted(found, key=lambda event: (event["occurred_at"], event["device_seq"]))
    skipped = ("begun", "expected") if number == 1 else ()
    return [event["kind"] for event in found if event["kind"] not in skipped]


def test_a_stranger_plans_without_signal(browser: Browser, engine: Engine, origin: str) -> None:
    """Nobody is signed in, and nothing is kept: a card is the address of its job."""
    with visiting(browser, engine, origin, with_device=True, **PHONE) as visit:
        page = visit.page
        page.goto(f"{origin}/plan")
        page.get_by_role("button", name="Make mix cards").click()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        assert installable(page)
        until(page, "read(VERSION, '') && !onDevice.isFetching", READY_MS)
        page.context.set_offline(True)
        page.goto(f"{origin}/")
        expect(heading(page)).to_have_text("What are you making?", timeout=READY_MS)
        page.get_by_role("link", name="Plan", exact=True).click()
        expect(heading(page)).to_have_text("Plan a job")
        name_job(page, "Gate pier")
        page.get_by_role("button", name="Make mix cards").click()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        expect(page.get_by_text("Gate pier").first).to_be_visible()
        page.get_by_role("link", name="Calculators").first.click()
        expect(page.get_by_text("That needs signal.")).to_be_visible()
        assert page.evaluate("read(QUEUE, [])") == []
        visit.wrong.clear()


def installable(page: Page) -> bool:
    """Whether Chromium itself finds it so, but for a window that keeps nothing."""
    found = page.context.new_cdp_session(page).send("Page.getInstallabilityErrors")["installabilityErrors"]
    return {error["errorId"] for error in found} <= {"in-incognito"}


def test_a_phone_goes_on_when_the_server_is_another_version(
    browser: Browser, engine: Engine, origin: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A page of before tells the new server what it kept; the next page fetches the new version, and loses nothing."""
    with visiting(browser, engine, origin, with_device=True, **PHONE) as visit:
        page = visit.page
        begun_and_cut_off(visit)
        before = page.evaluate("read(VERSION, '')")
        added = runtime.DeviceFile(gzip.compress(b"{}"), "application/json")
        files = {**runtime.device_files(), "added.json": added}
        monkeypatch.setattr(runtime, "device_files", lambda: files)
        runtime.version.cache_clear()
        page.reload()
        expect(heading(page)).to_have_text("Half the sand", timeout=READY_MS)
        tap_alone(page, "Added", "All the cement")
        page.context.set_offline(False)
        until(page, "own(QUEUE).length === 0", READY_MS)
        # The page may load itself anew at that very moment, which is as good.
        with contextlib.suppress(Error):
            page.goto(page.url)
        page.wait_for_load_state()
        expect(heading(page)).to_have_text("All the cement")
        until(page, f"read(VERSION, '') !== '{before}' && onDevice.isReady", READY_MS)
        assert kinds(engine, visit, 1) == ["accepted", "water_added", "charged"]
        page.context.set_offline(True)
        tap_alone(page, "Added", "The rest of the sand")
        visit.wrong.clear()
    runtime.version.cache_clear()
