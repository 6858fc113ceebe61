"""What walks through the pages share: the sizes of a screen, acts of the bench, a first plan, paper."""

import io
import re
from collections.abc import Callable
from typing import Any

from playwright.sync_api import Locator, Page, expect
from pypdf import PdfReader

from web.conftest import Clock, Visit

DESK = {"viewport": {"width": 1280, "height": 800}}
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "color_scheme": "dark"}


def send(page: Page, act: Callable[[], None]) -> None:
    """Do one act of the bench and wait until what comes next is drawn."""
    with page.expect_response(re.compile(r"/events(\?late=true)?$")) as answer:
        act()
    assert answer.value.status == 200, answer.value.text()
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def tap(page: Page, words: str) -> None:
    send(page, page.get_by_role("button", name=re.compile(f"^{words}")).click)


def press(page: Page, key: str) -> None:
    send(page, lambda: page.keyboard.press(key))


def asked_for(page: Page) -> Locator:
    """The act that the bench asks for now, each look judged right; none at the end of a load."""
    return page.locator("button.act[data-key], .state-card[data-event*='right']").first


def wait_out(page: Page, clock: Clock, minutes: float = 5) -> None:
    """So much later, on the page as it is then."""
    clock.turn(minutes)
    page.reload()
    is_listening(page)


def is_listening(page: Page) -> None:
    """The bench listens to keys from then on."""
    expect(page.locator(".bench")).to_have_attribute("aria-busy", "false")


def to_bench(page: Page) -> None:
    """From a card to the first check of its load."""
    page.get_by_role("button", name="Mix this load").press("Enter")
    expect(heading(page)).to_have_text("Check first")
    is_listening(page)


def begin(page: Page, first: str = "Water, most of the start") -> None:
    to_bench(page)
    press(page, "c")
    expect(heading(page)).to_have_text(first)
    is_listening(page)


def pick(page: Page, name: str, value: str) -> None:
    """Choose a shape or a mix by its picture, and wait for its fields."""
    picker = page.locator(f'.picker:has([name="{name}"])')
    picker.locator("summary").click()
    radio = f'[name="{name}"][value="{value}"]'
    picker.locator(radio).click()
    # The server marks what is chosen.
    expect(page.locator(f"{radio}[checked]")).to_be_attached()


def unfold(page: Page, label: str) -> None:
    """Open what stands behind a line of the form."""
    page.locator("form.plan summary", has_text=label).click()


def name_job(page: Page, name: str) -> None:
    unfold(page, "Job name")
    page.get_by_label("Job name").fill(name)


def heading(page: Page) -> Any:
    return page.get_by_role("heading", level=1)


def plan_a_bed(visit: Visit) -> None:
    page = visit.page
    visit.sign_in()
    expect(heading(page)).to_have_text("Plan a job")
    name_job(page, "Sill bed")
    page.get_by_label("Length", exact=True).fill("5")
    page.get_by_label("Thickness", exact=True).fill("25")
    # On a phone the whole answer opens from its one line.
    if (line := page.locator(".bar-words")).is_visible():
        expect(line).to_contain_text("4 loads of 68.8")
        line.click()
    expect(page.locator(".figure-of-merit")).to_contain_text("4 loads of 68.8")
    page.locator(".result").get_by_role("button", name="68.8").click()
    expect(page.get_by_role("link", name="Open this calculator")).to_have_attribute(
        "href", "/rules/split-loads"
    )
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Make mix cards").click()
    expect(heading(page)).to_have_text("Load 1 of 4")


def printed(page: Page, paper: str) -> list[str]:
    """The text of each page, as Chromium prints it on that paper."""
    inches = {"A4": ("297mm", "210mm"), "Letter": ("11in", "8.5in")}[paper]
    pdf = PdfReader(io.BytesIO(page.pdf(width=inches[0], height=inches[1])))
    return [sheet.extract_text() for sheet in pdf.pages]


def until(page: Page, condition: str, most_ms: int = 30_000) -> None:
    """Wait for what has to be awaited itself; Playwright's own waiting takes a promise for a yes."""
    page.evaluate(
        f"async () => {{ const ends = Date.now() + {most_ms}; while (!({condition})) {{"
        " if (Date.now() > ends) throw new Error('too late');"
        " await new Promise((done) => setTimeout(done, 20)); } }"
    )
