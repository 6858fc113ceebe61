"""Everybody's eyes, ears and hands: what holds of every page and bench, beyond what a checker of one still page sees.

The criteria are those of WCAG 2.2 AA; docs/accessibility.md names the test of each.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page

from keeve.data.accounts import Visitor
from web.conftest import AXE, Visit
from web.walking import DESK

LOOKING = (Path(__file__).parent / "looking.js").read_text()
# A desk at four times its size, and a small phone.
FOUR_TIMES: dict[str, Any] = {"viewport": {"width": 320, "height": 256}}
SMALL_PHONE: dict[str, Any] = {"viewport": {"width": 320, "height": 640}, "has_touch": True}
PHONE: dict[str, Any] = {"viewport": {"width": 390, "height": 800}}
STILL = {"reduced_motion": "reduce"}
# Nobody tabs through more of one page.
MOST_STOPS = 90


class Look:
    """A browser in the demo, which has a bench at every turn."""

    def __init__(self, page: Page, visit: Visit) -> None:
        self.page, self.visit = page, visit

    def of(self, path: str) -> None:
        """A page, with what looks at it."""
        self.page.goto(self.visit.origin + path)
        self.page.evaluate(f"{LOOKING}; Object.assign(window, {{ spaceOut, cut, covered, pale, ambiguous }})")

    def links(self, path: str, begins: str) -> list[str]:
        """The links of a page that begin so, each once."""
        self.page.goto(self.visit.origin + path)
        every = self.page.locator(f"main a[href^='{begins}']").evaluate_all(
            "all => all.map(one => one.getAttribute('href'))"
        )
        return [link for link in dict.fromkeys(every) if "-" in link]

    def paths(self) -> Iterator[str]:
        """Every bench of the demo, and a page of each sort."""
        jobs, logged = self.links("/jobs", "/jobs/"), self.links("/log", "/log/")
        card = jobs[0].replace("/jobs/", "/plan/")
        yield from self.links("/bench", "/bench/")
        yield from [
            link for link in self.links("/", "/bench/") if link not in self.links("/bench", "/bench/")
        ]
        yield from (
            "/", "/plan", "/plan?mix=plaster-casting", "/plan?mix=concrete-fine-high-strength", f"{card}/load/1",
            f"{card}/print", "/jobs", jobs[0], "/bench", "/log", logged[0], "/log/charts", "/log/import", "/mixes",
            "/mixes?use=infill", "/mixes/mortar-general", "/mixes/compare?mix=mortar-general&mix=hemp-lime", "/yard",
            "/kit", "/yard/new/bag", "/rules", "/rules/next-water", "/crew", "/crew/security", "/account", "/cure",
            "/day",
        )  # fmt: skip


@pytest.fixture
def looking(browser: Browser, origin: str, demo: tuple[Visitor, str]) -> Iterator[Any]:
    """Opens a browser in the demo, of some size and setting."""
    opened = []

    def open_look(**context: Any) -> Look:
        opened.append(browser.new_context(**STILL, **context))
        visit = Visit(opened[-1].new_page(), origin, demo[1])
        visit.sign_in()
        return Look(visit.page, visit)

    yield open_look
    for context in opened:
        context.close()


@pytest.mark.parametrize("context", [FOUR_TIMES, SMALL_PHONE], ids=["four times", "small phone"])
def test_nothing_is_cut_however_large_or_spaced_out_it_is_read(looking: Any, context: dict[str, Any]) -> None:
    """WCAG 1.4.10 and 1.4.12; the dose is a field and is measured too."""
    look = looking(**context)
    for path in list(look.paths()):
        look.of(path)
        assert look.page.evaluate("cut()") == [], path
        look.page.evaluate("spaceOut()")
        assert look.page.evaluate("cut()") == [], path


@pytest.mark.parametrize("context", [DESK, PHONE, FOUR_TIMES], ids=["desk", "phone", "four times"])
def test_whatever_has_the_focus_is_seen(looking: Any, context: dict[str, Any]) -> None:
    """WCAG 2.4.7 and 2.4.11: no bar, sheet or edge covers it."""
    look = looking(**context)
    for path in [
        path for path in look.paths() if path.startswith(("/bench/", "/plan", "/log/", "/day", "/yard"))
    ]:
        look.of(path)
        stops = 0
        while stops < MOST_STOPS:
            look.page.keyboard.press("Tab")
            fault = look.page.evaluate("covered()")
            if fault is None:
                break
            assert fault == "", path
            stops += 1
        assert stops > 10


@pytest.mark.parametrize("light", ["", "light", "dark", "sun"])
@pytest.mark.parametrize("forced", ["none", "active"])
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_every_text_stands_out_from_its_ground(looking: Any, light: str, forced: str, scheme: str) -> None:
    """WCAG 1.4.3, in pictures too, in every light this device may be set to, and while an answer is old."""
    look = looking(**DESK, forced_colors=forced, color_scheme=scheme)
    look.page.evaluate("light => localStorage.setItem('keeve-light', light)", light)
    looked = 0
    for path in [
        path
        for path in look.paths()
        if path.startswith(("/bench/", "/plan", "/cure", "/day", "/log/", "/yard"))
    ]:
        look.of(path)
        look.page.evaluate("document.querySelector('.plan-page .result')?.classList.add('stale')")
        count, faults = look.page.evaluate("pale()")
        assert faults == [], path
        looked += count
    assert looked > 500


def test_no_two_controls_of_a_page_have_one_name_unless_they_do_the_same(looking: Any) -> None:
    """WCAG 2.4.4, 2.4.6 and 4.1.2: heard without what stands around it, each says what it is of."""
    look = looking(**DESK)
    for path in list(look.paths()):
        look.of(path)
        look.page.evaluate(AXE)
        assert look.page.evaluate("ambiguous()") == [], path


def test_in_forced_colours_the_current_screen_still_shows(looking: Any) -> None:
    look = looking(**DESK, forced_colors="active")
    look.of("/yard")
    width = "all => all.map(one => parseFloat(getComputedStyle(one).borderBottomWidth))"
    current = look.page.locator(".top nav a[aria-current]").evaluate_all(width)
    others = look.page.locator(".top nav a:not([aria-current])").evaluate_all(width)
    assert min(current) > max(others)
