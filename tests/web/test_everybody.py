"""Everybody's eyes, ears and hands: what holds of every page and bench, beyond what a checker of one still page sees.

The criteria are those of WCAG 2.2 AA; docs/accessibility.md names the test of each.
"""

import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any
from uuid import uuid4

import pytest
from people import PASSWORD
from playwright.sync_api import Browser, Locator, Page, expect
from sqlalchemy import Engine

from keeve.data.accounts import Visitor
from web.conftest import AXE, Clock, Visit, visiting
from web.walking import DESK, asked_for, heading, is_listening, send, to_bench, wait_out

LOOKING = (Path(__file__).parent / "looking.js").read_text()
LOOKS = "spaceOut, cut, covered, pale, ambiguous, faintEdges"
# A desk at four times its size, and a small phone.
FOUR_TIMES: dict[str, Any] = {"viewport": {"width": 320, "height": 256}}
SMALL_PHONE: dict[str, Any] = {"viewport": {"width": 320, "height": 640}, "has_touch": True}
PHONE: dict[str, Any] = {"viewport": {"width": 390, "height": 800}}
STILL = {"reduced_motion": "reduce"}
# Nobody tabs through more of one page.
MOST_STOPS = 45


class Look:
    """A browser in the demo, which has a bench at every turn."""

    def __init__(self, page: Page, visit: Visit) -> None:
        self.page, self.visit = page, visit

    def of(self, path: str) -> None:
        """A page, with what looks at it."""
        self.page.goto(self.visit.origin + path)
        self.page.evaluate(f"{LOOKING}; Object.assign(window, {{ {LOOKS} }})")

    def links(self, path: str, begins: str) -> list[str]:
        """The links of a page that begin so, each once."""
        self.page.goto(self.visit.origin + path)
        every = self.page.locator(f"main a[href^='{begins}']").evaluate_all(
            "all => all.map(one => one.getAttribute('href'))"
        )
        return [link for link in dict.fromkeys(every) if "-" in link]

    def paths(self) -> list[str]:
        """Every bench of the demo, and a page of each sort."""
        jobs, logged = self.links("/jobs", "/jobs/"), self.links("/log", "/log/")
        benches = dict.fromkeys([*self.links("/bench", "/bench/"), *self.links("/", "/bench/")])
        card = jobs[0].replace("/jobs/", "/plan/")
        return [
            *benches,
            "/", "/plan", "/plan?mix=plaster-casting", "/plan?mix=concrete-fine-high-strength", f"{card}/load/1",
            f"{card}/print", "/jobs", jobs[0], "/bench", "/log", logged[0], "/log/charts", "/log/import", "/mixes",
            "/mixes?use=infill", "/mixes/mortar-general", "/mixes/compare?mix=mortar-general&mix=hemp-lime", "/yard",
            "/kit", "/yard/new/bag", "/rules", "/rules/next-water", "/crew", "/crew/security", "/account", "/cure",
            "/day",
        ]  # fmt: skip


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
    for path in look.paths():
        look.of(path)
        assert look.page.evaluate("cut()") == [], path
        look.page.evaluate("spaceOut()")
        assert look.page.evaluate("cut()") == [], path


@pytest.mark.parametrize("context", [DESK, PHONE, FOUR_TIMES], ids=["desk", "phone", "four times"])
def test_whatever_has_the_focus_is_seen(looking: Any, context: dict[str, Any]) -> None:
    """WCAG 2.4.7 and 2.4.11: no bar, sheet or edge covers it."""
    look = looking(**context)
    for path in look.paths():
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


@pytest.mark.parametrize(
    ("light", "forced", "scheme"),
    [
        ("", "none", "light"),
        ("", "none", "dark"),
        ("sun", "none", "dark"),
        ("", "active", "dark"),
        # What was chosen here against the reader's own colours.
        ("light", "active", "dark"),
    ],
)
def test_every_text_stands_out_from_its_ground(looking: Any, light: str, forced: str, scheme: str) -> None:
    """WCAG 1.4.3, in pictures too, in every light this device may be set to, and while an answer is old."""
    look = looking(**DESK, forced_colors=forced, color_scheme=scheme)
    look.page.evaluate("light => localStorage.setItem('keeve-light', light)", light)
    looked = 0
    for path in look.paths():
        look.of(path)
        look.page.evaluate("document.querySelector('.plan-page .result')?.classList.add('stale')")
        assert look.page.evaluate("faintEdges()") == [], path
        count, faults = look.page.evaluate("pale()")
        assert faults == [], path
        looked += count
    assert looked > 500


def test_no_two_controls_of_a_page_have_one_name_unless_they_do_the_same(looking: Any) -> None:
    """WCAG 2.4.4, 2.4.6 and 4.1.2: heard without what stands around it, each says what it is of."""
    look = looking(**DESK)
    for path in look.paths():
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


def states_of_a_load(page: Page, clock: Clock) -> Iterator[str]:
    """Every state of a bench on the way of its load, and what a dry and a wet look ask for; each as it is drawn."""

    def by_letter(control: Locator) -> None:
        send(page, partial(page.keyboard.press, control.get_attribute("data-key") or ""))

    while True:
        yield heading(page).text_content() or ""
        for reading in ("too-wet", "too-dry"):
            card = page.locator(
                f".state-card[data-event*='{reading}'], .state-card [data-event*='{reading}']"
            ).first
            if card.count() and card.is_visible():
                by_letter(card)
                yield f"{reading}: {heading(page).text_content()}"
                by_letter(page.locator("[data-key=u]").first)
        act = asked_for(page)
        # A cast that dries is weighed, by days.
        if not act.count() or page.locator(".weigh").count():
            return
        if act.is_disabled():
            clock.turn(5)
            page.reload()
            expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")
        else:
            by_letter(act)


@pytest.mark.parametrize("mix", ["mortar-bricklaying", "plaster-casting"])
@pytest.mark.parametrize("context", [DESK, FOUR_TIMES], ids=["desk", "four times"])
def test_the_same_holds_of_every_state_of_a_bench(
    browser: Browser, engine: Engine, origin: str, clock: Clock, mix: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context, **STILL) as visit:
        page = visit.page
        visit.sign_in()
        page.goto(f"{origin}/plan?mix={mix}")
        page.get_by_role("button", name="Make mix cards").press("Enter")
        to_bench(page)
        seen = []
        for state in states_of_a_load(page, clock):
            seen.append(state)
            page.evaluate(AXE)
            page.evaluate(f"{{ {LOOKING}; Object.assign(window, {{ {LOOKS} }}) }}")
            assert page.evaluate("cut()") == [], state
            assert page.evaluate("ambiguous()") == [], state
            assert page.evaluate("pale()")[1] == [], state
            assert heading(page).evaluate(
                "one => one.matches(':focus') || document.activeElement === document.body"
            ), state
        assert len(seen) > 8


class Keyboard:
    """Keys pressed, counted: a letter each, a figure as many as it has."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def press(self, key: str) -> None:
        self.page.keyboard.press(key)
        self.count += 1

    def type(self, text: str) -> None:
        for sign in text:
            self.press(sign)

    def go_to(self, control: Locator) -> None:
        """On to a control, by Tab; on a page just come to past its menu first."""
        expect(control).to_be_attached()
        if self.page.evaluate("document.activeElement === document.body"):
            self.press("Tab")
            self.press("Enter")
        while not control.evaluate("one => one === document.activeElement"):
            self.press("Tab")
            assert self.count < 300, control

    def answer(self) -> None:
        """From the last figure to the cards."""
        while self.page.evaluate("document.activeElement.textContent") != "Go to the answer":
            self.press("Tab")
        self.press("Enter")
        self.go_to(self.page.get_by_role("button", name="Make mix cards"))
        self.press("Enter")
        expect(heading(self.page)).to_have_text(re.compile("Load 1 of"))

    def mix(self, clock: Clock) -> None:
        """A load from its first check to its end, by the letter of what is asked for; each judged right."""
        page = self.page
        while (act := asked_for(page)).count():
            if act.is_disabled():
                wait_out(page, clock)
                continue
            send(page, partial(self.press, act.get_attribute("data-key") or ""))
        expect(heading(page)).to_have_text("Load 1 is done")


def test_a_newcomers_slab_by_keys_alone(browser: Browser, engine: Engine, origin: str) -> None:
    """From the first page, signed out, over the card to the bench of an account of their own."""
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        page.goto(origin)
        keys = Keyboard(page)
        keys.go_to(page.get_by_role("link", name="Slab or bed"))
        keys.press("Enter")
        expect(heading(page)).to_have_text("Plan a job")
        keys.go_to(page.get_by_role("textbox", name="Length"))
        for figure in ("3", "2", "100"):
            keys.press("Control+a")
            keys.type(figure)
            if figure != "100":
                keys.press("Enter")
        expect(page.locator(".bar-words")).to_contain_text("8 loads")
        keys.answer()
        keys.go_to(page.get_by_role("link", name="Save and mix"))
        keys.press("Enter")
        keys.go_to(page.get_by_label("Your name"))
        keys.type(f"He{uuid4().hex[:6]}")
        keys.go_to(page.get_by_role("textbox", name="Password"))
        keys.type(PASSWORD)
        keys.press("Enter")
        keys.go_to(page.get_by_role("button", name="Mix load 1"))
        keys.press("Enter")
        expect(heading(page)).to_have_text("Check first")
        assert keys.count <= 120


@pytest.mark.parametrize(
    ("context", "mix", "words"),
    [(DESK, "mortar-bricklaying", "brickl"), (PHONE, "concrete-fine-high-strength", "fine hi")],
)
def test_a_load_from_its_plan_to_its_end_by_keys_alone(
    browser: Browser, engine: Engine, origin: str, clock: Clock, context: dict[str, Any], mix: str, words: str
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        visit.sign_in()
        keys = Keyboard(page)
        keys.go_to(page.locator(".picker summary", has_text="Mix:"))
        keys.press("Enter")
        keys.go_to(page.locator("[data-find]"))
        keys.type(words)
        keys.go_to(page.locator(f"[name=mix][value={mix}]"))
        keys.press("Space")
        expect(page.locator("[name=_drawn_for]")).to_have_value(re.compile(mix))
        keys.answer()
        keys.go_to(page.get_by_role("button", name="Mix this load"))
        keys.press("Enter")
        is_listening(page)
        keys.mix(clock)
        assert keys.count <= 60


def test_what_changes_by_itself_is_said(browser: Browser, engine: Engine, origin: str, clock: Clock) -> None:
    """WCAG 4.1.3: the answer as it is typed, what a search finds, the end of a wait and of which load."""
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("textbox", name="Length").fill("4")
        expect(page.locator(".bar [aria-live]")).to_contain_text("loads")
        page.locator(".picker summary", has_text="Mix:").click()
        found = page.locator(".picker [role=status]")
        page.locator("[data-find]").fill("pointing")
        expect(found).to_contain_text(re.compile(r"^[1-9]\d? mix"))
        page.locator("[data-find]").fill("nothing such")
        expect(found).to_have_text("No mix by that name")
        page.get_by_role("button", name="Make mix cards").click()
        to_bench(page)
        keys = Keyboard(page)
        # To the first wait: its button is reached while it waits, and does nothing.
        act = page.locator("button.act[data-key]").first
        while not act.is_disabled():
            send(page, partial(keys.press, act.get_attribute("data-key") or ""))
        title = heading(page).text_content()
        expect(heading(page)).to_be_focused()
        act.focus()
        keys.press("Enter")
        expect(act).to_be_focused()
        expect(heading(page)).to_have_text(title or "")
        page.clock.install()
        page.clock.fast_forward("10:00")
        expect(page.locator(".bench > [aria-live]")).to_contain_text("Load 1 of")
        expect(page.locator(".bench > [aria-live]")).to_contain_text("Time is up")


def test_a_sheet_on_a_phone_holds_the_focus_and_gives_it_back(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("button", name="Make mix cards").click()
        to_bench(page)
        send(page, partial(page.keyboard.press, "c"))
        opener = page.get_by_role("button", name=re.compile("^Something else"))
        opener.focus()
        page.keyboard.press("Enter")
        sheet = page.get_by_role("dialog", name="Something else")
        expect(sheet).to_be_visible()
        for _ in range(20):
            page.keyboard.press("Tab")
            outside = page.evaluate(
                "!document.activeElement.closest('dialog') && document.activeElement !== document.body"
            )
            assert not outside
        page.keyboard.press("Escape")
        expect(sheet).to_be_hidden()
        expect(opener).to_be_focused()


@pytest.mark.parametrize("path", ["/sign-in", "/forgotten", "/new-account"])
def test_a_refusal_stands_at_its_field_which_has_the_focus(
    browser: Browser, engine: Engine, origin: str, path: str
) -> None:
    """WCAG 3.3.1: in the title, beside the field, tied to it."""
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        page.goto(origin + path)
        for field in page.locator("form.stack input:visible").all():
            field.fill("0000000000000")
        page.locator("form.stack button.act").click()
        expect(page).to_have_title(re.compile("^Error: "))
        field = page.locator("[aria-invalid=true]").first
        expect(field).to_be_focused()
        said = page.locator(f"[id='{field.get_attribute('aria-describedby')}']")
        expect(said).not_to_be_empty()
        beside = said.evaluate("(one, field) => one.parentElement.contains(field)", field.element_handle())
        assert beside
        visit.wrong.clear()  # the browser notes the refusal's status
