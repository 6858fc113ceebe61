"""A stranger plans, prints, finds and reads in Chromium, at a desk and at phone width, in either theme."""

import re
from typing import Any

import pytest
from people import PASSWORD
from playwright.sync_api import Browser, Route, expect
from pypdf import PdfReader
from sqlalchemy import Engine

from web.conftest import visiting
from web.walking import DESK, PHONE, heading, pick, plan_a_bed, printed


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
        page.get_by_role("button", name="Make mix cards").click()
        expect(length).to_have_value("three")
        visit.wrong.clear()  # the browser notes the refusal's status, 422
        pick(page, "need.0.kind", "post-hole")
        page.get_by_label("Depth of post in the hole").fill("0,9")
        expect(page.locator("[data-error='need.0.embedment_m']")).to_contain_text("can't go below the hole")
        page.get_by_label("Depth of post in the hole").fill("0,5")
        expect(page.locator(".figure-of-merit")).to_contain_text("1 load")
        visit.check()
        page.get_by_role("button", name="metric").click()
        expect(page.get_by_label("Hole diameter")).to_have_value("12")
        page.reload()
        expect(page.locator(".who b")).to_have_text("US")


def test_an_answer_that_comes_late_neither_wipes_the_form_nor_is_kept(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        visit.sign_in()
        expect(page.locator(".figure-of-merit")).to_contain_text("load")
        held: list[Route] = []
        page.route("**/plan/preview", lambda route: held.append(route) if not held else route.continue_())
        with page.expect_request("**/plan/preview"):
            page.get_by_label("Length", exact=True).fill("4")
        # One request is on its way at a time: what changes meanwhile is asked for after it.
        page.locator(".picker summary").first.click()
        page.locator("[name='need.0.kind'][value=floor]").click()
        # Other fields are to come: nothing is kept unseen.
        page.get_by_role("button", name="Make mix cards").click()
        expect(page.locator(".bar-notice")).to_contain_text("Loading the fields")
        expect(heading(page)).to_have_text("Plan a job")
        held[0].continue_()
        expect(page.locator(".bar-notice")).to_contain_text("Check them, then make mix cards")
        room = page.get_by_role("group", name="Room 1")
        room.get_by_label("Length").fill("6")
        expect(page.locator(".sketches")).to_contain_text("18.0")
        page.get_by_role("button", name="Make mix cards").click()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        job = page.request.get(page.url.partition("/load")[0] + "/job.json").json()
        assert [need["shape"] for need in job["need"]] == ["floor-volume"]
        assert job["need"][0]["rooms"] == [{"length_m": 6, "width_m": 3}]


@pytest.mark.parametrize("path", ["/", "/plan", "/bench", "/log", "/crew"])
def test_an_empty_account_is_told_what_to_do(
    browser: Browser, engine: Engine, origin: str, path: str
) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        visit.sign_in()
        visit.page.goto(origin + path)
        expect(visit.page.locator("main :is(.act, .second):visible").first).to_be_visible()
        visit.check()


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_a_stranger_prints_a_card_in_twelve_interactions(
    browser: Browser, engine: Engine, origin: str, context: dict[str, Any]
) -> None:
    with visiting(browser, engine, origin, **context) as visit:
        page = visit.page
        page.goto(origin)
        interactions = [
            page.get_by_role("link", name="Sign in").click,
            lambda: page.get_by_label("Name").fill(visit.sign_in_name),
            lambda: page.get_by_role("textbox", name="Password").fill(PASSWORD),
            page.get_by_role("button", name="Sign in").click,
            page.get_by_role("link", name="Plan", exact=True).click,
            lambda: pick(page, "mix", "concrete-nominal"),
            lambda: page.get_by_label("Length", exact=True).fill("3"),
            lambda: page.get_by_label("Width", exact=True).fill("2"),
            lambda: page.get_by_label("Thickness", exact=True).fill("100"),
            page.get_by_role("button", name="Make mix cards").click,
        ]
        for interact in interactions:
            interact()
        expect(heading(page)).to_have_text(re.compile("^Load 1 of"))
        with page.expect_download() as given:
            page.get_by_role("link", name="PDF, A4").click()
        assert len(interactions) + 1 <= 12
        cards = PdfReader(given.value.path()).pages
        assert "Load 1 of" in cards[1].extract_text()


def test_a_mix_is_found_compared_read_and_made_ones_own(
    browser: Browser, engine: Engine, origin: str
) -> None:
    with visiting(browser, engine, origin, **DESK) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("link", name="Mixes").click()
        page.locator("summary", has_text="By use").click()
        page.get_by_label("Use", exact=True).select_option("infill")
        page.get_by_role("checkbox", name="hemp", exact=True).check()
        page.get_by_role("checkbox", name="lime", exact=True).check()
        page.get_by_role("checkbox", name="sand", exact=True).check()
        page.get_by_role("button", name="Find").click()
        expect(page.get_by_role("heading", name="1 mix fits")).to_be_visible()
        visit.check()
        page.get_by_label("Compare Hemp and lime infill").check()
        page.get_by_label("Find a mix by any of its names").fill("patching")
        expect(page.get_by_role("link", name="Hemp and lime")).to_be_hidden()
        page.get_by_label("Compare General mortar").check()
        page.get_by_role("button", name="Compare the two").click()
        expect(page.get_by_role("row", name="Air temperature")).to_contain_text("5")
        visit.check()
        page.locator(".comparison").get_by_role("link", name="General mortar").click()
        page.get_by_role("link", name="Mixing tray, dry first").click()
        expect(page.locator(".steps")).to_contain_text("The sand, spread flat")
        visit.check()
        page.get_by_role("link", name="Copy and edit").click()
        page.get_by_label("Name", exact=True).fill("Sill mortar")
        page.get_by_label("Sand", exact=True).fill("2,75")
        visit.check()
        page.get_by_role("button", name="Save").click()
        expect(heading(page)).to_have_text("Sill mortar")
        with page.expect_download() as given:
            page.get_by_role("link", name="Mix file").click()
        assert "parts: 2.75" in given.value.path().read_text()
        page.get_by_role("link", name="Plan with it").click()
        expect(page.locator("[name=mix]:checked")).to_have_value("sill-mortar")
        expect(page.locator(".figure-of-merit")).to_contain_text("load")


def test_a_figure_is_followed_to_its_rule_and_tried(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page = visit.page
        visit.sign_in()
        page.get_by_role("link", name="Calculators").click()
        visit.check()
        page.get_by_role("link", name="Mix by parts, by volume").first.click()
        expect(page.locator("math").first).to_be_visible()
        visit.check()
        masses = page.locator(".outputs").get_by_role("row", name="Sand, damp")
        expect(masses).to_contain_text("5502")
        page.get_by_label("Volume wanted").fill("1,01")
        expect(masses).to_contain_text("1834")
        page.get_by_label("Parts", exact=True).first.fill("none")
        expect(page.locator("[data-error='components.0.parts']")).to_contain_text("must be a number")
        page.get_by_label("Parts", exact=True).first.fill("1")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.get_by_label("Parts", exact=True)).to_have_count(3)
        expect(page.locator(".result")).to_contain_text("twice")
        page.get_by_role("button", name="Remove last").click()
        expect(page.get_by_label("Parts", exact=True)).to_have_count(2)
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
        for words in ("Load 1 of 4", "48.3", "target", "local codes and licensed professionals decide"):
            assert words in one[0]
        page.get_by_role("link", name="Print all").click()
        expect(heading(page)).to_have_text("Print")
        visit.check()
        shopping, *cards = printed(page, paper)
        assert "4 bags of 25" in shopping
        assert [re.findall(r"Load \d of 4", card) for card in cards] == [
            [f"Load {n} of 4"] for n in (1, 2, 3, 4)
        ]


def test_what_is_chosen_before_the_page_listens_counts(browser: Browser, engine: Engine, origin: str) -> None:
    with visiting(browser, engine, origin, **PHONE) as visit:
        page, held = visit.page, list[Route]()
        visit.sign_in()
        page.route("**/live.js*", lambda route: held.append(route))
        page.goto(f"{origin}/plan", wait_until="commit")
        page.locator(".picker summary").nth(1).click()
        page.locator("[name=mix][value=concrete-nominal]").click()
        page.get_by_label("Length", exact=True).fill("7")
        with page.expect_response("**/plan/preview"):
            held[-1].continue_()
        expect(page.locator("[name=mix][value=concrete-nominal][checked]")).to_be_attached()
        expect(page.locator(".bar-words")).to_contain_text("stone")
        expect(page.get_by_label("Length", exact=True)).to_have_value("7")
        visit.check()
