"""The bench in Chromium: a load of every family by taps and by keys at phone width, and what goes another way."""

import json
import re
from functools import partial
from typing import Any
from uuid import uuid4

import pytest
from helpers import job
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine

from keeve.formats.job_file import write_job
from web.conftest import Clock, Visit, visiting
from web.walking import (
    DESK,
    PHONE,
    asked_for,
    begin,
    heading,
    is_listening,
    pick,
    plan_a_bed,
    press,
    printed,
    send,
    tap,
    wait_out,
)


def test_plan_card_bench_log_by_taps(browser: Browser, engine: Engine, origin: str, clock: Clock) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        visit.check()
        begin(page)
        for words in (
            "Half the sand",
            "All the cement",
            "The rest of the sand",
            "The rest of the start water",
        ):
            tap(page, "Added")
            expect(heading(page)).to_have_text(words)
        visit.check()
        tap(page, "Added")
        expect(heading(page)).to_have_text("Mix")
        mixed = page.get_by_role("button", name=re.compile("^Mixed"))
        expect(mixed).to_be_disabled()
        clock.turn(2)
        page.reload()
        expect(page.get_by_role("timer")).to_have_text(re.compile(r"^(1:0\d|0:5\d)$"))
        expect(mixed).to_be_disabled()
        clock.turn(1.1)
        page.reload()
        tap(page, "Mixed")
        tap(page, "Scraped")
        expect(heading(page)).to_have_text("What does it look like?")
        visit.check()
        page.locator("summary", has_text="Crumbles").click()
        visit.check()
        tap(page, "Still dry")
        expect(heading(page)).to_have_text("Too dry: add")
        page.get_by_role("button", name="A little more").click()
        visit.check()
        tap(page, "Added")
        clock.turn(1.1)
        page.reload()
        tap(page, "Mixed")
        tap(page, "Right")
        expect(heading(page)).to_have_text("Place it")
        visit.check()
        page.get_by_text("Only part").click()
        page.get_by_role("textbox", name="Placed, L").fill("20")
        tap(page, "Log amount")
        expect(page.locator("p.acting")).to_contain_text("48.8")
        tap(page, "All placed")
        expect(heading(page)).to_have_text("Clean it while it's soft")
        tap(page, "Cleaned")
        expect(heading(page)).to_have_text("Load 1 is done")
        page.get_by_role("link", name="Open in log").click()
        expect(page.locator(".story li", has_text="Judged right").first).to_be_visible()
        visit.check()
        page.get_by_role("link", name="Log", exact=True).click()
        expect(
            page.get_by_role("listitem").filter(
                has_text=re.compile("Sill bed, load 1.*right.*done", re.DOTALL)
            )
        ).to_be_visible()
        visit.check()


def test_a_fault_in_a_closed_fold_opens_it(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        visit.sign_in()
        fold = page.locator("details", has=page.locator("summary", has_text="Temperatures"))
        fold.locator("summary").click()
        page.get_by_label("Air temperature").fill("warm")
        fold.locator("summary").click()
        page.get_by_label("Length", exact=True).fill("5")
        expect(page.get_by_label("Air temperature")).to_be_visible()


def test_what_was_done_before_the_tap_is_told_so(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    """Water ten minutes ago: its two hours end ten minutes sooner; and at a clock time as well."""
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        page.get_by_label("Did it").select_option("10 min ago")
        tap(page, "Added")
        expect(page.locator("p.life")).to_contain_text("Place by 13:50")
        expect(page.get_by_label("Did it")).to_have_value("")
        press(page, "u")
        page.get_by_label("Did it").select_option("at a clock time")
        page.get_by_label("Clock time").fill("11:45")
        tap(page, "Added")
        expect(page.locator("p.life")).to_contain_text("Place by 13:45")
        visit.check()


def test_the_bench_by_keys_alone_with_undo(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        for key in ("w", "c", "u", "c", "c", "c", "w"):
            press(page, key)
        clock.turn(3.1)
        page.reload()
        for key in ("m", "m", "3"):
            press(page, key)
        expect(heading(page)).to_have_text("Too wet: add")
        visit.check()
        for key in ("u", "4"):
            press(page, key)
        expect(heading(page)).to_have_text("Mix that in")
        clock.turn(1.1)
        page.reload()
        for key in ("m", "2"):
            press(page, key)
        # The letter opens it and the cursor is in it; pressed again it does nothing of what it holds.
        page.keyboard.press("p")
        press(page, "Enter")
        expect(page.locator("p.acting")).to_contain_text("34.4")
        page.keyboard.press("x")
        expect(page.get_by_role("button", name=re.compile("^Throw away the rest"))).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("x")
        expect(page.locator(".which")).to_contain_text("Load 1")
        clock.turn(130)
        page.reload()
        expect(heading(page)).to_have_text("Past its working time")
        visit.check()
        for key in ("x", "c"):
            press(page, key)
        expect(page.get_by_text("the rest thrown away: past its working time")).to_be_visible()


def tap_without_signal(page: Page) -> None:
    page.context.set_offline(True)
    page.get_by_role("button", name=re.compile("^Added")).click()
    expect(page.get_by_role("status")).to_contain_text("1 step is saved on this device")


def test_a_step_tapped_without_signal_is_kept_and_sent(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        tap_without_signal(page)
        page.get_by_role("button", name=re.compile("^Added")).click()
        assert [text for text in visit.wrong if "ERR_INTERNET_DISCONNECTED" not in text] == []
        visit.wrong.clear()
        with page.expect_response(re.compile(r"/events(\?late=true)?$")) as answer:
            page.context.set_offline(False)
        assert answer.value.status == 200
        expect(heading(page)).to_have_text("Half the sand")
        expect(page.get_by_role("status")).to_be_hidden()


@pytest.mark.parametrize("status", [404, 413, 429, 200])
def test_a_page_of_what_stands_between_is_told_and_tried_again(
    browser: Browser, engine: Engine, origin: str, status: int
) -> None:
    """A proxy's page was taken for Keeve's answer: the step was gone, or its words were shown as the next step."""
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        page.route(
            "**/events", lambda route: route.fulfill(status=status, body="<h1>Sign in to this network</h1>")
        )
        page.get_by_role("button", name=re.compile("^Added")).click()
        expect(page.get_by_role("status")).to_contain_text("Something between here and Keeve is in the way")
        assert len(page.evaluate("JSON.parse(localStorage['keeve-queue'])")) == 1
        visit.wrong.clear()
        page.unroute("**/events")
        expect(heading(page)).to_have_text("Half the sand", timeout=10_000)


def test_a_device_that_keeps_nothing_says_so_and_works_online(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        page.add_init_script("Storage.prototype.setItem = () => { throw new DOMException('full'); };")
        plan_a_bed(visit)
        begin(page)
        tap(page, "Added")
        expect(heading(page)).to_have_text("Half the sand")
        page.context.set_offline(True)
        page.get_by_role("button", name=re.compile("^Added")).click()
        expect(page.get_by_role("status")).to_contain_text("This device is full or keeps nothing")
        page.context.set_offline(False)
        expect(heading(page)).to_have_text("All the cement", timeout=10_000)
        visit.wrong.clear()


def test_another_tap_waits_behind_the_first(browser: Browser, engine: Engine, origin: str) -> None:
    """Without signal the second tap was dropped without a word."""
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        page.context.set_offline(True)
        added = page.get_by_role("button", name=re.compile("^Added"))
        added.click()
        added.click()
        page.evaluate(
            "Alpine.$data(document.querySelector('.bench')).enqueue({kind: 'note', text: 'wind'}, 'events', 'Note')"
        )
        kinds = page.evaluate("JSON.parse(localStorage['keeve-queue']).map(item => item.event.kind)")
        assert kinds == ["water_added", "note"]
        page.context.set_offline(False)
        expect(heading(page)).to_have_text("Half the sand", timeout=10_000)
        expect(page.locator(".bench")).to_have_attribute("aria-busy", "false", timeout=10_000)
        assert page.evaluate("JSON.parse(localStorage['keeve-queue'])") == []
        visit.wrong.clear()


def test_a_kept_step_waits_for_its_crew_and_one_that_comes_too_late_is_shown(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        tap_without_signal(page)
        kept = page.evaluate("JSON.parse(localStorage['keeve-queue'])[0]")
        # Somebody else's phone, on the same load, was quicker; and a step of another crew lies on this one.
        other = {**kept, "holder": "another", "event": {**kept["event"], "id": str(uuid4())}}
        page.evaluate("item => localStorage['keeve-queue'] = JSON.stringify([item])", other)
        visit.wrong.clear()
        page.context.set_offline(False)
        page.reload()
        tap(page, "Added")
        page.evaluate("items => localStorage['keeve-queue'] = JSON.stringify(items)", [other, kept])
        with page.expect_response(re.compile(r"/events(\?late=true)?$")) as answer:
            page.reload()
        assert answer.value.status == 422
        expect(page.locator("p.notice", has_text="Not saved:")).to_contain_text(
            "Water, most of the start 7.47 L"
        )
        visit.wrong.clear()  # the browser's own line on a 422
        visit.check()
        page.get_by_role("button", name="Only once", exact=True).click()
        expect(page.get_by_text("Not saved:")).to_be_hidden()
        page.reload()
        expect(page.get_by_text("Not saved:")).to_be_hidden()
        assert page.evaluate("JSON.parse(localStorage['keeve-queue']).map(item => item.holder)") == [
            "another"
        ]


def test_a_server_that_hangs_is_told(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        held: list[Any] = []
        page.route(re.compile(r"/events(\?late=true)?$"), lambda route: held.append(route))
        page.get_by_role("button", name=re.compile("^Added")).click()
        expect(page.get_by_role("status")).to_contain_text("Waiting for a connection. 1 step is saved")
        held[0].continue_()
        expect(heading(page)).to_have_text("Half the sand")
        expect(page.get_by_role("status")).to_be_hidden()


def test_water_past_the_ceiling_is_offered_as_it_was_meant(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        amount = page.get_by_role("textbox", name="Water, L")
        slipped = round(float(amount.input_value()) * 10)
        amount.fill(str(slipped))
        page.get_by_role("button", name=re.compile("^Added")).click()
        expect(page.get_by_role("alert")).to_contain_text("Over the max")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        visit.check()
        tap(page, f"I meant {slipped / 10:g} L")
        expect(heading(page)).to_have_text("Half the sand")
        expect(page.get_by_role("alert")).to_be_hidden()


BAG = {
    "^Weight of a": "25",
    "^Yield per": "12",
    "^Water per .* start": "1.5",
    "^Water per .* min": "1.75",
    "^Water per .* max": "2.5",
}
# Mixes that are made, charged and judged each in another way, in a mixer of its own, and what is typed besides. The
# other families are walked through without a browser, in ``test_loads_by_http``.
FAMILIES: dict[str, tuple[str, dict[str, str]]] = {
    "mortar-general": ("two-buckets", {}),
    "concrete-designed": ("forced-action", {"Target strength": "30"}),
    "concrete-pervious": ("tray", {"Stone moisture": "1"}),
    "basecoat-polymer-pail": ("paddle", BAG),
    "hemp-lime": ("forced-action", {"Wall length": "1"}),
}

# Their second load is mixed by keys alone.
_BY_KEYS_TOO = {"mortar-general", "basecoat-polymer-pail"}


@pytest.mark.parametrize("mix", FAMILIES)
def test_each_family_is_planned_printed_mixed_and_logged(
    browser: Browser, engine: Engine, origin: str, clock: Clock, mix: str
) -> None:
    mixer, typed = FAMILIES[mix]
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        visit.sign_in()
        page.goto(f"{origin}/plan")
        pick(page, "mix", mix)
        # What stands behind a line is typed into as what is always shown.
        page.locator(".folds details").evaluate_all("all => all.forEach(one => { one.open = true; })")
        # What the fields are drawn for comes with them.
        drawn = page.locator("[name=_drawn_for]")
        for words, figure in typed.items():
            page.get_by_label(re.compile(words)).first.fill(figure)
        kind = page.get_by_label("Type of mixer")
        if kind.input_value() != mixer:
            kind.select_option(mixer)
            expect(drawn).to_have_value(re.compile(f'"mixer.kind": "{mixer}"'))
        page.get_by_label("Mixed volume per load").fill("60")
        expect(page.locator(".result:not(.stale) .figure-of-merit")).to_contain_text("loads of")
        page.get_by_role("button", name="Make mix cards").click()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        # Every dotted figure opens something.
        targets = page.locator("[popovertarget]").evaluate_all(
            "all => all.map(one => one.popoverTargetElement?.id)"
        )
        assert targets
        assert all(targets)
        assert len(printed(page, "A4")) == 1
        page.get_by_role("button", name="Mix this load").tap()
        work_through(visit, clock, by_taps=True)
        expect(heading(page)).to_have_text("Load 1 is done")
        loads = 1
        if mix in _BY_KEYS_TOO:
            page.keyboard.press("n")
            page.get_by_role("button", name="Mix this load").press("Enter")
            work_through(visit, clock, by_taps=False)
            loads = 2
        expect(heading(page)).to_have_text(f"Load {loads} is done")
        page.keyboard.press("l")
        expect(page.locator(".story li", has_text="Judged right").first).to_be_visible()


def work_through(visit: Visit, clock: Clock, *, by_taps: bool) -> None:
    """A load from first to last by the act that is asked for, each judged right."""
    page = visit.page
    is_listening(page)
    while (act := asked_for(page)).count():
        if act.is_disabled():
            wait_out(page, clock, 7)
            continue
        if by_taps and page.locator(".state-card").count():
            visit.check()
        key = act.get_attribute("data-key") or ""
        send(page, act.tap if by_taps else partial(page.keyboard.press, key))


def to_judging(page: Page, clock: Clock) -> None:
    """Everything in and mixed, by the key of the act in hand."""
    while page.locator(".state-card").count() == 0:
        act = page.locator("button.act")
        if act.is_disabled():
            wait_out(page, clock, 3)
            continue
        press(page, act.get_attribute("data-key") or "")


def test_what_goes_another_way_by_taps(browser: Browser, engine: Engine, origin: str, clock: Clock) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        a_bed_in_buckets(visit)
        unfold(page, "Rinse water or spills")
        page.get_by_role("textbox", name="Left in the mixer, L").fill("0.5")
        tap(page, "Log rinse water")
        tap(page, r"\+½ jug")
        tap(page, r"\+1 jug")
        expect(page.locator(".total:visible")).to_contain_text("2.0")
        unfold(page, "With the hose")
        visit.check()
        page.get_by_label("Seconds").fill("60")
        tap(page, "Save flow")
        unfold(page, "With the hose")
        page.get_by_role("button", name=re.compile("^Hose on")).tap()
        expect(page.get_by_role("button", name=re.compile(r"^Stop: 0\.[1-9]"))).to_be_visible()
        page.get_by_role("button", name=re.compile("^Stop")).tap()
        page.get_by_role("textbox", name="Hose water, L").fill("1")
        tap(page, "Log amount")
        tap(page, "Added")
        expect(heading(page)).to_have_text("Half the sand")
        unfold(page, "Did it in another order")
        visit.check()
        tap(page, "All the cement")
        tap(page, r"\+1 bucket")
        expect(heading(page)).to_have_text("Half the sand, the rest")
        tap(page, r"\+½ bucket")
        unfold(page, "Only part")
        page.get_by_role("textbox", name="Added so far, kg").fill("2")
        tap(page, "Log amount")
        tap(page, "Added the rest")
        expect(heading(page)).to_have_text("The rest of the sand")
        unfold(page, "Temperature")
        page.get_by_role("textbox", name="Mix", exact=True).fill("31")
        page.get_by_role("textbox", name="Water", exact=True).fill("19")
        tap(page, "Save")
        expect(page.locator(".measured")).to_contain_text("Too warm")
        visit.check()
        to_judging(page, clock)
        visit.check()


def test_a_load_is_brought_back_in_every_way_by_keys(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        a_bed_in_buckets(visit)
        to_judging(page, clock)
        # Three buckets of sand where it should be more.
        page.keyboard.press("e")
        page.get_by_label(re.compile("^Sand, planned")).fill("3")
        press(page, "Enter")
        expect(heading(page)).to_have_text("Wrong amount: add")
        visit.check()
        press(page, "c")
        expect(heading(page)).to_have_text("Add sand")
        press(page, "c")
        to_judging(page, clock)
        press(page, "5")
        expect(heading(page)).to_have_text("Sandy: add")
        for key in ("c", "c", "w"):
            press(page, key)
        to_judging(page, clock)
        # Pointed at between the drawings.
        page.keyboard.press("b")
        page.get_by_role("slider").focus()
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        expect(page.get_by_role("button", name=re.compile("^Like this: too wet"))).to_be_visible()
        visit.check()
        like_this = page.get_by_role("button", name=re.compile("^Like this: too wet"))
        send(page, lambda: like_this.press("Enter"))
        expect(heading(page)).to_have_text("Too wet: add")
        page.keyboard.press("g")
        # Nothing is given away by one tap: how much is typed.
        page.get_by_role("textbox", name="Used elsewhere, L").fill("100")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Only 71 L left")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        tap(page, "I meant")
        expect(heading(page)).to_have_text("Clean it while it's soft")


def test_two_loads_at_once_and_what_runs_out_first_stands_on_top(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        a_bed_in_buckets(visit)
        to_judging(page, clock)
        press(page, "2")
        page.keyboard.press("n")
        expect(page.locator(".which")).to_contain_text("Load 2")
        expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")
        press(page, "w")
        others = page.get_by_role("navigation", name="Open loads").get_by_role("link")
        expect(others).to_have_count(2)
        expect(others.first).to_contain_text("Load 1")
        # What this load needs is told by its own tap.
        expect(page.locator(".in-work-now [aria-current]")).to_contain_text("left")
        visit.check()
        clock.turn(105)
        page.reload()
        expect(others.first).to_have_class("red")
        others.first.tap()
        expect(page.locator(".strip")).to_have_class(re.compile("red"))
        expect(page.locator(".life")).to_contain_text("Last minutes")
        clock.turn(30)
        page.reload()
        expect(heading(page)).to_have_text("Past its working time")


def test_the_device_keeps_its_light_and_hand_and_its_controls_are_large(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        a_bed_in_buckets(visit)
        unfold(page, "Display and sound")
        page.get_by_label("full sun").check()
        page.locator("[data-device=hand][value=left]").check()
        visit.check()
        page.reload()
        expect(page.locator("html")).to_have_attribute("data-light", "sun")
        expect(page.locator("html")).to_have_attribute("data-hand", "left")
        page.get_by_role("button", name=re.compile("^Something else")).tap()
        page.locator("details.fold").evaluate_all("all => all.forEach(one => { one.open = true; })")
        small = page.locator(".bench :is(button:not(.reason), summary, select, a, input)").evaluate_all(
            """all => all.filter(one => one.checkVisibility() && !one.closest('.why-sheet')).map(one => {
                 const box = (one.closest('label') || one.closest('.with-unit') || one).getBoundingClientRect();
                 return [one.textContent.trim() || one.outerHTML, Math.round(box.height)];
               }).filter(([, height]) => height < 48)"""
        )
        assert small == []
        assert page.evaluate("document.documentElement.scrollWidth") <= 390


def unfold(page: Page, words: str) -> None:
    fold = page.locator("summary", has_text=words)
    # What is not asked for now lies in a sheet.
    if not fold.is_visible():
        page.get_by_role("button", name=re.compile("^Something else")).tap()
    fold.tap()


def a_bed_in_buckets(visit: Visit) -> None:
    """A bed gauged in buckets, its water in jugs, on the bench at its first step."""
    page = visit.page
    vessels = [
        {"name": "bucket", "volume_l": 12, "tare_kg": 0.7},
        {"name": "jug", "volume_l": 1, "material": "water"},
    ]
    made = job(gauge="volume", vessels=vessels, conditions={"air_c": 18, "water_c": 12})
    visit.sign_in()
    page.get_by_label("Open a saved job file").set_input_files(
        {"name": "job.json", "mimeType": "application/json", "buffer": json.dumps(write_job(made)).encode()}
    )
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.locator("[name=title]")).to_have_value(made.title)
    page.get_by_role("button", name="Make mix cards").click()
    begin(page)


def test_letters_do_nothing_where_there_is_no_keyboard_until_they_are_switched_on(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        a_bed_in_buckets(visit)
        title = heading(page).inner_text()
        page.locator("summary", has_text="Display and sound").click()
        choice = page.get_by_role("group", name="Letter keys")
        choice.get_by_label("with a mouse").check()
        page.get_by_role("heading", level=1).click()
        page.keyboard.press("w")
        page.wait_for_timeout(300)
        expect(heading(page)).to_have_text(title)
        assert page.evaluate("matchMedia('(hover: hover)').matches") is False
        choice.get_by_label("on", exact=True).check()
        page.get_by_role("heading", level=1).click()
        press(page, "w")
        expect(heading(page)).not_to_have_text(title)
