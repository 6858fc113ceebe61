"""The day, its list, curing and Today in a real browser, at desk and at phone width."""

import pytest
from playwright.sync_api import Browser, expect

from web.conftest import Client, Clock, Visit
from web.test_cure import a_pour
from web.test_day import DAY, planned, save, with_a_job
from web.test_first_minutes import PHONE, SMALL, TARGETS

# What the device would show goes to the console: a browser without a window shows nothing.
_TELL = """ServiceWorkerRegistration.prototype.showNotification =
  async (title, { body }) => console.info(`told ${body}`);"""
DESK = {"viewport": {"width": 1280, "height": 800}}


@pytest.fixture
def filled(client: Client, clock: Clock) -> Client:
    """A crew with a day planned that does not hold, and a floor that cures."""
    with_a_job(client)
    slow = {"mixer1.0": "on", "mixer2.0": "on", "placing.0": "0.032", "begins.0": "13:00"}
    assert save(client, **slow).status_code == 303
    a_pour(client, clock)
    return client


@pytest.mark.parametrize(("name", "context"), [("desk", DESK), ("phone", PHONE)])
def test_the_pages_of_a_day_can_be_used(
    browser: Browser, origin: str, filled: Client, name: str, context: dict[str, object]
) -> None:
    with browser.new_context(**context) as opened:  # type: ignore[arg-type]
        visit = Visit(opened.new_page(), origin, filled.token)
        visit.sign_in()
        for path in ("/", "/cure", f"/day?day={DAY}", f"/day/{DAY}/list"):
            visit.page.goto(origin + path)
            visit.check()
            assert visit.page.evaluate("document.documentElement.scrollWidth <= innerWidth"), path
            if name == "phone":
                assert visit.page.evaluate(SMALL) == [], path
                assert visit.page.evaluate(TARGETS) == [], path
        page = visit.page
        page.get_by_role("button", name="Clean water for mixing: ready").click()
        expect(page.get_by_text("1 of")).to_be_visible()
        page.goto(f"{origin}/cure")
        page.get_by_role("button", name="Done: Saw the joints").click()
        expect(page.get_by_role("button", name="Undo: Saw the joints")).to_be_visible()


def test_a_start_is_dragged(browser: Browser, origin: str, filled: Client) -> None:
    with browser.new_context(**DESK) as opened:  # type: ignore[arg-type]
        visit = Visit(opened.new_page(), origin, filled.token)
        visit.sign_in()
        page = visit.page
        page.goto(f"{origin}/day?day={DAY}")
        picture, grip = page.locator(".day-picture.desk-only"), page.locator(".desk-only .start")
        box, drawn = grip.bounding_box(), picture.bounding_box()
        assert box
        assert drawn
        per_hour = 60 * float(picture.get_attribute("data-per-min") or 0) * drawn["width"] / 1210
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0] + per_hour / 2, middle[1])
        with page.expect_navigation():
            filled.clock.turn(1)
            page.mouse.up()
        expect(page.get_by_label("Start", exact=True)).to_have_value("13:30")
        assert planned(filled).jobs[0].begins_min == 810
        visit.check()


def test_the_device_tells_what_comes_due(browser: Browser, origin: str, filled: Client) -> None:
    with browser.new_context(**DESK) as opened:  # type: ignore[arg-type]
        visit = Visit(opened.new_page(), origin, filled.token)
        page = visit.page
        page.clock.install(time=filled.clock.now)
        page.add_init_script(_TELL)
        visit.sign_in()
        opened.grant_permissions(["notifications"], origin=origin)
        page.goto(origin)
        with page.expect_console_message(lambda message: message.text.startswith("told Start")) as told:
            page.clock.fast_forward("01:30:00")
        assert told.value.text == "told Start Coping bed"
