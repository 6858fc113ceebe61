"""A stranger plans, mixes and logs a load in Chromium: at a desk, at phone width, by keys, in either theme."""

import io
import re
from collections.abc import Callable
from functools import partial
from typing import Any

import pytest
from conftest import PASSWORD
from playwright.sync_api import Browser, Page, expect
from pypdf import PdfReader
from sqlalchemy import Engine

from web.conftest import Clock, Visit, visiting

DESK = {"viewport": {"width": 1280, "height": 800}}
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "color_scheme": "dark"}


def send(page: Page, act: Callable[[], None]) -> None:
    """Do one act of the bench and wait until what comes next is drawn."""
    with page.expect_response(re.compile("/events$")) as answer:
        act()
    assert answer.value.status == 200
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def tap(page: Page, words: str) -> None:
    send(page, page.get_by_role("button", name=re.compile(f"^{words}")).click)


def press(page: Page, key: str) -> None:
    send(page, lambda: page.keyboard.press(key))


def begin(page: Page) -> None:
    page.get_by_role("button", name="Mix this load").click()
    expect(heading(page)).to_have_text("Before the first load")
    # The page listens to keys from then on.
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")
    press(page, "c")
    expect(heading(page)).to_have_text("Water, most of the start")
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def heading(page: Page) -> Any:
    return page.get_by_role("heading", level=1)


def plan_a_bed(visit: Visit) -> None:
    page = visit.page
    visit.sign_in()
    expect(heading(page)).to_have_text("How much, in how many loads?")
    page.get_by_label("Job").fill("Sill bed")
    page.get_by_label("Length", exact=True).fill("5")
    page.get_by_label("Thickness", exact=True).fill("25")
    expect(page.locator(".figure-of-merit")).to_contain_text("4 loads of 68.8")
    visit.check()
    page.get_by_role("button", name="68.8").click()
    expect(page.get_by_role("link", name="The rule split loads")).to_have_attribute(
        "href", "/rules/split-loads"
    )
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Draw the load cards").click()
    expect(heading(page)).to_have_text("Load 1 of 4")
    visit.check()


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_plan_card_bench_log_by_taps(
    browser: Browser, engine: Engine, origin: str, clock: Clock, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        for words in (
            "Half the sand",
            "All the cement",
            "The rest of the sand",
            "The rest of the start water",
        ):
            tap(page, "It is in")
            expect(heading(page)).to_have_text(words)
        visit.check()
        tap(page, "It is in")
        expect(heading(page)).to_have_text("Mix")
        mixed = page.get_by_role("button", name=re.compile("^Mixed"))
        expect(mixed).to_be_disabled()
        clock.turn(2)
        page.reload()
        expect(page.get_by_role("timer")).to_have_text(re.compile(r"^(1:00|0:5\d)$"))
        expect(mixed).to_be_disabled()
        clock.turn(1.1)
        page.reload()
        tap(page, "Mixed")
        tap(page, "Scraped")
        expect(heading(page)).to_have_text("Which one is yours?")
        visit.check()
        tap(page, "Crumbles")
        expect(heading(page)).to_have_text("Too dry: add")
        page.get_by_role("button", name="A little more").click()
        visit.check()
        tap(page, "It is in")
        clock.turn(1.1)
        page.reload()
        tap(page, "Mixed")
        tap(page, "Holds its heap")
        expect(heading(page)).to_have_text("Place it")
        visit.check()
        page.get_by_text("Only part of it").click()
        page.get_by_role("textbox", name="Placed, L").fill("20")
        tap(page, "This much is placed")
        expect(page.locator("p.acting")).to_contain_text("48.8")
        tap(page, "All of it is placed")
        expect(heading(page)).to_have_text("Load 1 is done")
        page.get_by_role("link", name="See it in the log").click()
        expect(page.get_by_role("row", name=re.compile("Judged right")).first).to_be_visible()
        visit.check()
        page.get_by_role("link", name="Log", exact=True).click()
        expect(page.get_by_role("row", name=re.compile("Sill bed.*Right.*done"))).to_be_visible()
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
        expect(heading(page)).to_have_text("Let it work in")
        clock.turn(1.1)
        page.reload()
        for key in ("m", "2"):
            press(page, key)
        page.keyboard.press("p")
        press(page, "p")
        expect(page.locator("p.acting")).to_contain_text("34.4")
        page.keyboard.press("x")
        expect(page.get_by_role("button", name=re.compile("^Discard"))).to_be_visible()
        clock.turn(130)
        page.reload()
        expect(heading(page)).to_have_text("Past its life")
        visit.check()
        press(page, "x")
        expect(page.get_by_text("the rest was thrown away: past its working life")).to_be_visible()


def test_a_step_tapped_without_signal_is_kept_and_sent(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        begin(page)
        page.context.set_offline(True)
        page.get_by_role("button", name=re.compile("^It is in")).click()
        page.get_by_role("button", name=re.compile("^It is in")).click()
        expect(page.get_by_role("status")).to_contain_text("1 step is kept on this device")
        assert [text for text in visit.wrong if "ERR_INTERNET_DISCONNECTED" not in text] == []
        visit.wrong.clear()
        with page.expect_response(re.compile("/events$")) as answer:
            page.context.set_offline(False)
        assert answer.value.status == 200
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
        planned = amount.input_value()
        amount.fill(f"{float(planned) * 10:.0f}")
        page.get_by_role("button", name=re.compile("^It is in")).click()
        expect(page.get_by_role("status")).to_contain_text("past the ceiling")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        visit.check()
        tap(page, f"It was {planned} L")
        expect(heading(page)).to_have_text("Half the sand")
        expect(page.get_by_role("status")).to_be_hidden()


def test_wrong_figures_stay_beside_their_field(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        visit.sign_in()
        length = page.get_by_label("Length", exact=True)
        length.fill("three")
        expect(page.locator("[data-error='need.0.length_m']")).to_have_text(
            "Length must be a number, such as 3.5 or 3 1/2."
        )
        visit.check()
        page.get_by_role("button", name="Draw the load cards").click()
        expect(length).to_have_value("three")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        page.get_by_label("Shape").select_option("post-hole")
        page.get_by_label("Post in the hole").fill("0,9")
        expect(page.locator("[data-error='need.0.embedment_m']")).to_contain_text(
            "cannot reach below the hole"
        )
        page.get_by_label("Post in the hole").fill("0,5")
        expect(page.locator(".figure-of-merit")).to_contain_text("1 load")
        visit.check()
        page.get_by_role("button", name="metric").click()
        expect(page.get_by_label("Hole diameter")).to_have_value(re.compile(r"^11\.81"))
        page.reload()
        expect(page.locator(".who b")).to_have_text("US")


@pytest.mark.parametrize("path", ["/", "/plan", "/bench", "/log", "/crew"])
def test_an_empty_account_is_told_what_to_do(
    browser: Browser, engine: Engine, origin: str, path: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        visit.sign_in()
        visit.page.goto(origin + path)
        expect(visit.page.locator("main .act, main .second").first).to_be_visible()
        visit.check()


BAG = {
    "^A .* weighs": "25",
    "^A .* makes": "12",
    "start with": "1.5",
    "Water, least": "1.75",
    "Water, most": "2.5",
}
# A mix of each family in a mixer of its own, by taps on a phone or by keys at a desk, and what is typed besides.
FAMILIES: dict[str, tuple[str, str, dict[str, str]]] = {
    "mortar-general": ("two-buckets", "taps", {}),
    "concrete-designed": ("forced-action", "taps", {"Mean strength": "30"}),
    "concrete-bagged": ("barrow", "taps", BAG),
    "concrete-pervious": ("tray", "keys", {"Stone moisture": "1"}),
    "concrete-fine-high-strength": ("forced-action", "taps", {}),
    "lime-hydraulic-3.5": ("tilting-drum", "keys", {}),
    "basecoat-polymer-pail": ("paddle", "keys", BAG),
    "overlay-stampable": ("paddle", "keys", {**BAG, "^A .* makes": "14"}),
    "screed-1-4-fibre": ("forced-action", "taps", {}),
    "hemp-lime": ("forced-action", "keys", {}),
}


@pytest.mark.parametrize("mix", FAMILIES)
def test_each_family_is_planned_printed_mixed_and_logged(
    browser: Browser, engine: Engine, origin: str, clock: Clock, mix: str
) -> None:
    mixer, by, typed = FAMILIES[mix]
    with visiting(browser, engine, origin, **(PHONE if by == "taps" else DESK)) as visit:
        page = visit.page
        visit.sign_in()
        page.goto(f"{origin}/plan")
        page.get_by_label("Mix", exact=True).select_option(mix)
        for words, figure in typed.items():
            page.get_by_label(re.compile(words)).first.fill(figure)
        page.get_by_label("Mixer", exact=True).select_option(mixer)
        page.get_by_label("Mixes at a time").fill("60")
        expect(page.locator(".result:not(.stale) .figure-of-merit")).to_contain_text("loads of")
        page.get_by_role("button", name="Draw the load cards").click()
        visit.check()
        # Every dotted figure opens something.
        targets = page.locator("[popovertarget]").evaluate_all(
            "all => all.map(one => one.popoverTargetElement?.id)"
        )
        assert targets
        assert all(targets)
        assert len(printed(page, "A4")) == len(printed(page, "Letter")) == 1
        page.get_by_role("button", name="Mix this load").click()
        expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")
        act = page.locator("button.act, .state-card").first
        while act.count():
            if act.is_disabled():
                clock.turn(7)
                page.reload()
                continue
            if page.locator(".state-card").count():
                visit.check()
                act = page.locator(".state-card[data-event*='right']")
            key = act.get_attribute("data-key") or ""
            send(page, act.click if by == "taps" else partial(page.keyboard.press, key))
            act = page.locator("button.act, .state-card").first
        expect(heading(page)).to_have_text("Load 1 is done")
        page.get_by_role("link", name="See it in the log").click()
        expect(page.get_by_role("row", name=re.compile("Judged right")).first).to_be_visible()


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_a_stranger_prints_a_card_in_twelve_interactions(
    browser: Browser, engine: Engine, origin: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        page.goto(origin)
        interactions = [
            lambda: page.get_by_label("Name").fill(visit.sign_in_name),
            lambda: page.get_by_label("Password").fill(PASSWORD),
            page.get_by_role("button", name="Sign in").click,
            page.get_by_role("link", name="Plan", exact=True).click,
            lambda: page.get_by_label("Mix", exact=True).select_option("concrete-nominal"),
            lambda: page.get_by_label("Length", exact=True).fill("3"),
            lambda: page.get_by_label("Width", exact=True).fill("2"),
            lambda: page.get_by_label("Thickness", exact=True).fill("100"),
            page.get_by_role("button", name="Draw the load cards").click,
        ]
        for interact in interactions:
            interact()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        with page.expect_download() as given:
            page.get_by_role("link", name="PDF, A4").click()
        assert len(interactions) + 1 <= 12
        cards = PdfReader(given.value.path()).pages
        assert "Load 1 of" in cards[1].extract_text()


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_a_mix_is_found_compared_read_and_made_ones_own(
    browser: Browser, engine: Engine, origin: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("link", name="Mixes").click()
        page.get_by_label("It is to").select_option("infill")
        page.get_by_role("checkbox", name="hemp").check()
        page.get_by_role("checkbox", name="lime").check()
        page.get_by_role("checkbox", name="sand").check()
        page.get_by_role("button", name="Find").click()
        expect(page.get_by_role("heading", name="1 mix fits")).to_be_visible()
        visit.check()
        page.get_by_label("Compare Hemp and lime infill, as the first").check()
        page.get_by_label("Compare General mortar, as the second").check()
        page.get_by_role("button", name="Compare the two").click()
        expect(page.get_by_role("row", name="Air")).to_contain_text("5")
        visit.check()
        page.locator(".comparison").get_by_role("link", name="General mortar").click()
        page.get_by_role("link", name="Mixing tray, dry first").click()
        expect(page.locator(".steps")).to_contain_text("The sand, spread flat")
        visit.check()
        page.get_by_role("link", name="Make it ours").click()
        page.get_by_label("Name").fill("Sill mortar")
        page.get_by_label("Sand", exact=True).fill("2,75")
        visit.check()
        page.get_by_role("button", name="Keep it as ours").click()
        expect(heading(page)).to_have_text("Sill mortar")
        with page.expect_download() as given:
            page.get_by_role("link", name="Mix file").click()
        assert "parts: 2.75" in given.value.path().read_text()
        page.get_by_role("link", name="Plan with it").click()
        expect(page.get_by_label("Mix", exact=True)).to_have_value("sill-mortar")
        expect(page.locator(".figure-of-merit")).to_contain_text("load")


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_a_figure_is_followed_to_its_rule_and_tried(
    browser: Browser, engine: Engine, origin: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("link", name="Rules").click()
        visit.check()
        page.get_by_role("link", name="volume parts", exact=True).click()
        expect(page.locator("math").first).to_be_visible()
        visit.check()
        masses = page.locator(".outputs").get_by_role("row", name="masses, sand")
        expect(masses).to_contain_text("5502")
        page.get_by_label("Target").fill("1,01")
        expect(masses).to_contain_text("1834")
        page.get_by_label("Parts").first.fill("none")
        expect(page.locator("[data-error='components.0.parts']")).to_contain_text("must be a number")
        page.get_by_label("Parts").first.fill("1")
        page.get_by_role("button", name="One more").click()
        expect(page.get_by_label("Parts")).to_have_count(3)
        expect(page.locator(".result")).to_contain_text("twice")
        page.get_by_role("button", name="Take the last away").click()
        expect(page.get_by_label("Parts")).to_have_count(2)
        expect(masses).to_contain_text("1834")
        visit.check()


@pytest.mark.parametrize("paper", ["A4", "Letter"])
def test_every_card_and_the_shopping_list_print_on_a_page_each(
    browser: Browser, engine: Engine, origin: str, paper: str
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_bed(visit)
        one = printed(page, paper)
        assert len(one) == 1
        for words in ("Load 1 of 4", "48.3", "right about", "local codes and licensed practice decide"):
            assert words in one[0]
        page.get_by_role("link", name="Print all").click()
        expect(heading(page)).to_have_text("On paper")
        visit.check()
        shopping, *cards = printed(page, paper)
        assert "4 of 25" in shopping
        assert [re.findall(r"Load \d of 4", card) for card in cards] == [
            [f"Load {n} of 4"] for n in (1, 2, 3, 4)
        ]


def printed(page: Page, paper: str) -> list[str]:
    """The text of each page, as Chromium prints it on that paper."""
    inches = {"A4": ("297mm", "210mm"), "Letter": ("11in", "8.5in")}[paper]
    pdf = PdfReader(io.BytesIO(page.pdf(width=inches[0], height=inches[1])))
    return [sheet.extract_text() for sheet in pdf.pages]
