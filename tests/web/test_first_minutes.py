"""The first five minutes, on a phone: taps and figures counted; every screen as wide, large and plain as it must be."""

from collections.abc import Callable
from typing import Any
from uuid import uuid4

import pytest
from people import PASSWORD
from playwright.sync_api import Browser, Locator, Page, expect
from sqlalchemy import Engine

from web.conftest import Visit, visiting
from web.walking import DESK, PHONE, heading, until


class Thumb:
    """Taps and typed figures, counted."""

    def __init__(self, page: Page) -> None:
        self.page, self.taps, self.figures = page, 0, 0

    def tap(self, target: Locator) -> None:
        target.tap()
        self.taps += 1

    def type(self, label: str, figure: str, answer: str) -> None:
        """Tap into a field and type; the answer is in view after it."""
        field = self.page.get_by_role("textbox", name=label, exact=True).first
        self.tap(field)
        field.fill(figure)
        self.figures += 1
        bar = self.page.locator(".bar-words")
        expect(bar).to_be_in_viewport()
        expect(bar).to_contain_text(answer)


@pytest.mark.parametrize(
    ("units", "sizes"),
    [
        (
            "metric",
            (("Length", "3", "load"), ("Width", "2", "load"), ("Thickness", "100", "8 loads of 82.5")),
        ),
        ("US", (("Length", "10", "load"), ("Width", "6", "load"), ("Thickness", "4", "4 loads of 5.5"))),
    ],
)
def test_from_the_first_page_signed_out_to_a_card_and_on_to_the_bench(
    browser: Browser, engine: Engine, origin: str, units: str, sizes: tuple[tuple[str, str, str], ...]
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        page.goto(origin)
        visit.check()
        thumb = Thumb(page)
        if units == "US":
            thumb.tap(page.get_by_role("button", name="Units: metric. Change to US"))
            expect(page.locator(".who b")).to_have_text("US")
        thumb.tap(page.get_by_role("link", name="Slab or bed"))
        expect(heading(page)).to_have_text("Plan a job")
        for label, figure, answer in sizes:
            thumb.type(label, figure, answer)
        visit.check()
        thumb.tap(page.get_by_role("button", name="Make mix cards"))
        expect(heading(page)).to_have_text(f"Load 1 of {sizes[-1][2].split()[0]}")
        expect(page.locator(".steps")).to_contain_text("stone")
        assert (thumb.taps <= 6, thumb.figures) == (True, 3), (thumb.taps, thumb.figures)
        visit.check()
        on = Thumb(page)
        on.tap(page.get_by_role("link", name="Save and mix"))
        expect(heading(page)).to_have_text("Save this job")
        page.get_by_label("Your name").fill(f"Heron {uuid4().hex[:6]}")
        page.get_by_role("textbox", name="Password").fill(PASSWORD)
        visit.check()
        on.tap(page.get_by_role("button", name="Create account"))
        expect(heading(page)).to_have_text("Your recovery code")
        visit.check()
        on.tap(page.get_by_role("button", name="Mix load 1"))
        expect(heading(page)).to_have_text("Check first")
        assert on.taps == 3
        visit.check()


# Text as it is drawn, in a picture or not: nothing is smaller than 12 px. Pictures that scroll keep their size.
SMALL = """() => {
  const found = [];
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walk.nextNode()) {
    const place = walk.currentNode.parentElement;
    if (!walk.currentNode.textContent.trim() || !place.checkVisibility()) continue;
    if (place.closest(".visually-hidden, script, style, template, mjx-container, math")) continue;
    let size = parseFloat(getComputedStyle(place).fontSize);
    if (place.closest("svg") && place.getScreenCTM) size *= Math.sqrt(Math.abs(new DOMMatrix([
      place.getScreenCTM().a, place.getScreenCTM().b, place.getScreenCTM().c, place.getScreenCTM().d, 0, 0]).a *
      place.getScreenCTM().d));
    if (size < 11.9) found.push([walk.currentNode.textContent.trim().slice(0, 30), size]);
  }
  return found;
}"""
# What a thumb goes for; a link in a sentence is read, not aimed at.
TARGETS = """() => [...document.querySelectorAll(
  "header a, button:not(.reason), summary, select, input:not([type=hidden], [type=radio]), .item > a, .links a, nav a,"
  + "main .act, .second"
)].filter(one => one.checkVisibility() && !one.closest(".why-sheet, .skip")).map(one => {
  const box = (one.closest("label") || one.closest(".with-unit") || one).getBoundingClientRect();
  return [one.textContent.trim().slice(0, 30) || one.outerHTML.slice(0, 60), Math.round(box.height)];
}).filter(([, height]) => height > 1 && height < 48)"""


def every_screen(visit: Visit) -> list[str]:
    """A path of every screen that can be had with one job and one load begun."""
    page = visit.page
    visit.sign_in()
    page.get_by_role("button", name="Make mix cards").click()
    card = page.url.removeprefix(visit.origin)
    page.get_by_role("button", name="Mix this load").click()
    expect(heading(page)).to_have_text("Check first")
    bench = page.url.removeprefix(visit.origin)
    plan, load = card.partition("/load")[0], bench.rpartition("/")[2]
    return [
        "/", "/plan", "/plan?mix=plaster-casting", "/plan?mix=stucco-one-coat-bagged", card, f"{plan}/load/2",
        f"{plan}/print", "/jobs", plan.replace("/plan/", "/jobs/"), "/bench", bench, "/log", f"/log/{load}", "/mixes",
        "/mixes?use=infill", "/mixes/mortar-general", "/mixes/compare?mix=mortar-general&mix=hemp-lime", "/yard",
        "/kit", "/yard/new/mixer", "/yard/new/bag", "/rules", "/rules/slab-volume", "/crew",
        "/crew/security", "/account",
    ]  # fmt: skip


@pytest.mark.parametrize("context", [PHONE, DESK], ids=["phone", "desk"])
def test_no_screen_scrolls_sideways_sets_small_type_or_asks_for_a_needle(
    browser: Browser, engine: Engine, origin: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page, width = visit.page, context["viewport"]["width"]
        for path in every_screen(visit):
            page.goto(origin + path)
            assert page.evaluate("document.documentElement.scrollWidth") <= width, path
            if width < 500:
                visit.check()  # the walks do at the desk
                assert page.evaluate(SMALL) == [], path
                assert page.evaluate(TARGETS) == [], path


def test_every_way_in_is_plain_on_a_phone(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        for path in ("/", "/sign-in", "/new-account", "/forgotten", "/plan?shape=coat", "/rules", "/mixes"):
            visit.page.goto(origin + path)
            visit.check()
            assert visit.page.evaluate("document.documentElement.scrollWidth") <= 390, path
            assert visit.page.evaluate(TARGETS) == [], path


def test_a_bench_opens_without_keeve_until_somebody_signs_out(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("button", name="Make mix cards").click()
        page.get_by_role("button", name="Mix this load").click()
        expect(heading(page)).to_have_text("Check first")
        until(
            page,
            "navigator.serviceWorker.controller"
            " && (await (await caches.open('keeve-benches-' + HOLDER)).keys())"
            ".some(({ url }) => url === location.href)",
        )
        page.context.set_offline(True)
        page.reload()
        expect(page.locator("p.notice")).to_contain_text("This is the last saved view")
        page.context.set_offline(False)
        expect(page.locator("p.notice")).to_be_hidden(timeout=15_000)
        page.goto(f"{origin}/log")
        page.get_by_role("button", name="Sign out").click()
        expect(heading(page)).to_have_text("Sign in")
        until(page, "!(await caches.keys()).some(name => name.startsWith('keeve-benches'))")
        visit.wrong.clear()  # the browser tells of each request that found no network


def _picks_mix(thumb: Thumb, name: str) -> None:
    """Open the mixes and tap one."""
    picker = thumb.page.locator("details.picker", has=thumb.page.locator("[data-find]"))
    thumb.tap(picker.locator("summary"))
    thumb.tap(picker.locator("label.mix-choice", has_text=name).first)
    expect(picker.locator("summary")).to_contain_text(name)


def a_wall(thumb: Thumb) -> None:
    thumb.tap(thumb.page.get_by_role("link", name="Brick or block wall"))
    thumb.type("Wall length", "6", "load")
    thumb.type("Wall height", "1.8", "load")


def a_bag_job(thumb: Thumb) -> None:
    thumb.tap(thumb.page.get_by_role("link", name="I have this many bags"))
    _picks_mix(thumb, "Bagged concrete")
    thumb.tap(thumb.page.get_by_role("button", name="No label at hand"))
    thumb.type("Bags", "4", "4 bags")


def a_bucket_of_mortar(thumb: Thumb) -> None:
    thumb.tap(thumb.page.get_by_role("link", name="Volume", exact=True))
    _picks_mix(thumb, "General mortar")
    thumb.type("Volume", "12 L", "load")


def a_plaster_batch(thumb: Thumb) -> None:
    thumb.tap(thumb.page.get_by_role("link", name="Mould or cast"))
    for label, option in (
        ("What are you filling?", "A hollow, by water volume"),
        ("Model inside", "No model"),
    ):
        thumb.page.get_by_label(label).select_option(label=option)
        thumb.taps += 1
        expect(thumb.page.get_by_label("Water it holds")).to_be_visible()
    expect(thumb.page.get_by_label("Water it pushes out")).to_have_count(0)
    thumb.type("Water it holds", "3", "load")


@pytest.mark.parametrize("the_job", [a_wall, a_bag_job, a_bucket_of_mortar, a_plaster_batch])
def test_a_card_is_six_taps_and_three_figures_from_the_first_page(
    browser: Browser, engine: Engine, origin: str, the_job: Callable[[Thumb], None]
) -> None:
    """Signed out, on a phone; a choice out of a list is a tap, a field that is typed into is one too."""
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        page.goto(origin)
        thumb = Thumb(page)
        the_job(thumb)
        thumb.tap(page.get_by_role("button", name="Make mix cards"))
        expect(heading(page)).to_contain_text("Load 1 of")
        assert (thumb.taps <= 6, thumb.figures <= 3) == (True, True), (thumb.taps, thumb.figures)
        visit.check()
