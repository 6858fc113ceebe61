"""One load on two devices whose clocks are hours apart, one ahead and one behind: one history, one clock."""

import contextlib
from collections.abc import Iterator
from datetime import timedelta
from uuid import UUID

from helpers import NOON
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine, select

from keeve.data import sessions
from keeve.store import models
from keeve.store.database import crew_session
from web.conftest import Clock, Visit, visiting
from web.walking import DESK, PHONE, begin, heading, plan_a_bed, tap


@contextlib.contextmanager
def two_at_one_load(browser: Browser, engine: Engine, origin: str) -> Iterator[tuple[Visit, Visit]]:
    """A desk and a phone of one person at the bench of a load that was just started."""
    with visiting(browser, engine, origin, **DESK) as one, browser.new_context(**PHONE) as opened:
        other = Visit(opened.new_page(), origin, one.token)
        plan_a_bed(one)
        begin(one.page)
        other.sign_in()
        other.page.goto(one.page.url)
        expect(heading(other.page)).to_have_text("Water, most of the start")
        yield one, other


def of_the_clock(page: Page) -> str:
    """What the device says of the working time, without how it says it."""
    return page.locator(".life").inner_text().split("·")[0].strip()


def test_two_devices_with_clocks_hours_apart_share_one_load(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **DESK) as ahead, browser.new_context(**PHONE) as opened:
        behind = Visit(opened.new_page(), origin, ahead.token)
        ahead.page.clock.install(time=NOON + timedelta(hours=5))
        behind.page.clock.install(time=NOON - timedelta(hours=7))
        plan_a_bed(ahead)
        begin(ahead.page)
        behind.sign_in()
        behind.page.goto(ahead.page.url)
        for number, words in enumerate(
            ("Half the sand", "All the cement", "The rest of the sand", "The rest of the start water", "Mix")
        ):
            clock.turn(1)
            here, there = (ahead.page, behind.page) if number % 2 else (behind.page, ahead.page)
            here.reload()
            tap(here, "Added")
            expect(heading(here)).to_have_text(words)
            there.reload()
            expect(heading(there)).to_have_text(words)
            assert of_the_clock(here) == of_the_clock(there) != ""
        assert behind.wrong == []
    with crew_session(engine, _crew_of(engine, ahead)) as session:
        events = session.scalars(select(models.Event.content).order_by(models.Event.received_at)).all()
    tapped = [event for event in events if event["kind"] in ("charged", "water_added")]
    assert len(tapped) == len({event["id"] for event in tapped}) == 5
    for event in tapped:
        told, received = event["occurred_at"], event["received_at"]
        assert told[:16] == received[:16], "a device's clock went into what was told"


def _crew_of(engine: Engine, visit: Visit) -> UUID:
    visitor = sessions.visitor(engine, visit.token, NOON)
    assert visitor is not None
    return visitor.crew_id


def test_what_one_device_tells_is_on_the_other_in_two_seconds(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with two_at_one_load(browser, engine, origin) as (one, other):
        tap(one.page, "Added")
        expect(heading(other.page)).to_have_text("Half the sand", timeout=20_000)
        # And on Today.
        other.page.goto(f"{origin}/")
        expect(other.page.locator(".in-work a.act")).to_contain_text("Add material")
        for _ in range(4):
            tap(one.page, "Added")
        expect(other.page.locator(".in-work a.act")).to_contain_text("Keep mixing", timeout=20_000)
        assert other.wrong == []


def test_a_step_that_two_devices_tell_is_asked_about_and_never_summed(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with two_at_one_load(browser, engine, origin) as (one, late):
        late.page.context.set_offline(True)
        late.page.get_by_role("button", name="Added").first.click()
        expect(late.page.locator("p.notice").first).to_contain_text("1 step is saved")
        tap(one.page, "Added")
        late.page.context.set_offline(False)
        asked = late.page.locator("p.notice", has_text="Another device logged it too")
        expect(asked).to_be_visible(timeout=20_000)
        asked.get_by_role("button", name="Only once").click()
        expect(asked).to_be_hidden()
        expect(heading(late.page)).to_have_text("Half the sand", timeout=20_000)
    with crew_session(engine, _crew_of(engine, one)) as session:
        kinds = [event["kind"] for event in session.scalars(select(models.Event.content)).all()]
    assert kinds.count("water_added") == 1
