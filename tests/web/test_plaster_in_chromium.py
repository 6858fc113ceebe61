"""Plaster in Chromium: a two-piece mould from a mesh file by taps alone and by keys alone, islands on a phone."""

import re
from pathlib import Path

from playwright.sync_api import Browser, Page, expect
from sqlalchemy import Engine

from keeve.demo.rose import rose_stl
from web.conftest import Clock, Visit, visiting
from web.walking import DESK, PHONE, begin, heading, name_job, press, tap, unfold


def plan_a_mould(visit: Visit, folder: Path) -> None:
    """The mould of the rose in two pieces, from its mesh file, to the first card."""
    page = visit.page
    file = folder / "rose.stl"
    file.write_bytes(rose_stl())
    visit.sign_in()
    page.goto(f"{visit.origin}/plan?mix=plaster-casting")
    name_job(page, "Rose mould")
    page.get_by_label("Model inside").select_option(label="By a mesh file")
    page.get_by_label(re.compile("^Mesh file")).set_input_files(file)
    expect(page.get_by_text("closed")).to_be_visible(timeout=20_000)
    expect(page.get_by_label("Model length")).to_have_value("420")
    page.get_by_role("button", name="Add piece").click()
    expect(page.get_by_label("Share of the mould")).to_have_count(2)
    page.get_by_label("Mixed volume per load").fill("12")
    expect(page.locator(".figure-of-merit")).to_contain_text("2")
    visit.check()
    page.get_by_role("button", name="Make mix cards").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Load 1 of 2")
    visit.check()


def wait(page: Page, clock: Clock, minutes: float) -> None:
    """So many minutes on."""
    clock.turn(minutes)
    page.reload()


def goes_on_by_itself(page: Page, clock: Clock) -> None:
    """With both hands in the bucket nobody taps: it is soaked, and stirred, by the clock."""
    wait(page, clock, 3.6)
    expect(heading(page)).to_have_text(re.compile("^Stir under the surface"))
    wait(page, clock, 2.1)
    expect(heading(page)).to_have_text("Tap out the air, skim the froth")


def test_a_two_piece_mould_by_taps_alone(
    browser: Browser, engine: Engine, origin: str, clock: Clock, tmp_path: Path
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_mould(visit, tmp_path)
        begin(page, "The water")
        tap(page, "Added")
        expect(page.get_by_text("About half dry islands")).to_be_visible()
        visit.check()
        tap(page, "Added")
        expect(heading(page)).to_have_text("Let it soak. Don't touch it")
        expect(page.get_by_role("button", name=re.compile("^Rested"))).to_be_disabled()
        goes_on_by_itself(page, clock)
        tap(page, "Scraped")
        expect(heading(page)).to_have_text("Pour as it loses its shine")
        visit.check()
        wait(page, clock, 3)
        tap(page, "Gloss going")
        expect(page.get_by_text("Re-timed from what you saw")).to_be_visible()
        tap(page, "All poured")
        expect(heading(page)).to_have_text("Clean the bucket")
        tap(page, "Cleaned")
        expect(heading(page)).to_have_text("Leave it in the mould")
        visit.check()
        wait(page, clock, 60)
        expect(heading(page)).to_have_text("Take it out now")
        tap(page, "Out of the mould")
        expect(heading(page)).to_have_text("Not dry: do not use")
        for kilograms in ("14.9", "13.0", "11.9"):
            page.get_by_label("Weight now").fill(kilograms)
            tap(page, "Save weight")
            wait(page, clock, 24 * 60)
        expect(page.get_by_text("Dry about")).to_be_visible()
        visit.check()
        page.get_by_role("link", name=re.compile("^Load 2")).click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Load 2 of 2")
        page.get_by_role("link", name="Today").click()
        expect(
            page.get_by_role("listitem").filter(
                has_text=re.compile("piece 1 of 2.*Not dry: do not use", re.DOTALL)
            )
        ).to_be_visible()
        visit.check()


def test_a_two_piece_mould_by_keys_alone(
    browser: Browser, engine: Engine, origin: str, clock: Clock, tmp_path: Path
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        plan_a_mould(visit, tmp_path)
        begin(page, "The water")
        for key in ("w", "c"):
            press(page, key)
        goes_on_by_itself(page, clock)
        press(page, "m")
        wait(page, clock, 3)
        for key in ("2", "u", "1", "a", "c"):
            press(page, key)
        expect(heading(page)).to_have_text("Leave it in the mould")
        wait(page, clock, 40)
        press(page, "o")
        page.get_by_label("Weight now").focus()
        page.keyboard.type("14.5")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Last weight")).to_be_visible()


def test_islands_on_a_phone_and_a_load_that_thickened(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        visit.sign_in()
        page.goto(f"{visit.origin}/plan?mix=plaster-island")
        page.get_by_label("What are you filling?").select_option(label="A hollow, by water volume")
        expect(page.get_by_label("Water it holds")).to_be_visible()
        page.get_by_label("Water it holds").fill("3")
        page.get_by_label("Model inside").select_option(label="No model")
        expect(page.get_by_label("Water it pushes out")).to_have_count(0)
        unfold(page, "Loading order and loads")
        page.get_by_label("Bucket size, full").fill("10")
        page.get_by_role("button", name="Make mix cards").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Load 1 of 1")
        begin(page, "Water, a third of the bucket at most")
        tap(page, "Added")
        expect(heading(page)).to_have_text("Sprinkle until dry islands stay")
        expect(page.locator("p.acting")).to_contain_text("about")
        visit.check()
        tap(page, "Added")
        goes_on_by_itself(page, clock)
        tap(page, "Scraped")
        visit.check()
        wait(page, clock, 9)
        expect(heading(page)).to_have_text("It has thickened")
        expect(page.get_by_text("Water can't bring it back")).to_be_visible()
        tap(page, "Throw it away")
        tap(page, "Cleaned")
        page.get_by_role("button", name=re.compile("^Mix load 1 again")).click()
        expect(page.get_by_text("No water yet")).to_be_visible()


def test_one_batch_in_turn_is_read_out_and_another_phone_only_looks_on(
    browser: Browser, engine: Engine, origin: str, clock: Clock
) -> None:
    """Silent until it is asked to speak; then it says what the screen says. Every stage says what it is good for."""
    listen = "window.said = []; speechSynthesis.speak = (one) => window.said.push(one.text);"
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        page.add_init_script(listen)
        visit.sign_in()
        page.goto(f"{visit.origin}/plan?mix=plaster-island-turn")
        page.get_by_role("button", name="Make mix cards").click()
        begin(page, "Water, a third of the bucket at most")
        tap(page, "Added")
        expect(heading(page)).to_have_text("Sprinkle until dry islands stay")
        assert page.evaluate("said") == []
        page.locator("summary", has_text="Display and sound").click()
        page.get_by_role("group", name="Read the steps out").get_by_label("on").check()
        tap(page, "First handful")
        tap(page, "Added")
        expect(heading(page)).to_have_text("Let it soak. Don't touch it")
        assert page.evaluate("said").pop() == "Let it soak. Don't touch it"
        expect(page.get_by_text("Goes on by itself.")).to_be_visible()
        page.evaluate("localStorage.removeItem(`keeve-worked-${HOLDER}`)")
        wait(page, clock, 3.6)
        expect(page.get_by_role("button", name=re.compile("^Rested"))).to_be_enabled()
        expect(page.get_by_text("Goes on by itself.")).to_be_hidden()
        tap(page, "Rested")
        wait(page, clock, 2.1)
        expect(heading(page)).to_have_text("Pour, dip, trowel, carve: each in its turn")
        wait(page, clock, 5)
        expect(page.get_by_text("Dip cloth, splash on the first coat.").first).to_be_visible()
        page.locator("summary", has_text="Something's wrong").click()
        expect(page.get_by_text("Leave the cloth in and wait a minute.")).to_be_visible()
        visit.check()
