"""One load on two devices whose clocks are hours apart, one ahead and one behind: one history, one clock."""

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
