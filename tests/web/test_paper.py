"""Paper and files of a plan: PDF by an independent reader (pypdf), CSV, JSON, and a job file opened on the page."""

import csv
import ctypes
import io
import json
import re
from typing import Any

import pytest
import zxingcpp
from helpers import plan, raw_job
from PIL import Image
from pypdf import PdfReader
from pypdfium2 import PdfDocument, raw

from keeve.core.planning.plan import Plan
from keeve.formats.job_file import read_job
from keeve.web import worker_process
from web.conftest import Client


@pytest.fixture
def plan_path(client: Client) -> str:
    typed = {
        "title": "Sill bed",
        "need.0.kind": "volume",
        "need.0.volume_m3": "0.25",
        "mixer.working_l": "90",
    }
    bucket = {"vessels.0.name": "bucket", "vessels.0.volume_l": "12", "vessels.0.tare_kg": "0.7"}
    saved = client.post("/plan", data={**typed, **bucket})
    return "/".join(saved.headers["location"].split("/")[:3])


@pytest.mark.parametrize(("size", "points"), [("a4", (842, 595)), ("letter", (792, 612))])
def test_the_pdf_has_a_page_a_card_with_its_figures(
    client: Client, plan_path: str, size: str, points: tuple[int, int]
) -> None:
    answer = client.get(f"{plan_path}/paper.pdf?size={size}")
    assert answer.headers["content-type"] == "application/pdf"
    assert 'filename="sill-bed.pdf"' in answer.headers["content-disposition"]
    pages = PdfReader(io.BytesIO(answer.content)).pages
    made = plan()
    assert len(pages) == 1 + len(made.loads)
    for page in pages:
        assert (round(page.mediabox.width), round(page.mediabox.height)) == points
    shopping, *cards = [page.extract_text() for page in pages]
    assert "Shopping list, Sill bed" in shopping
    for number, (card, load) in enumerate(zip(cards, made.loads, strict=True), start=1):
        assert f"Load {number} of {len(made.loads)}" in card
        for words in (
            f"{load.charge('cement').mass_kg:.1f}",
            f"{load.water.start_l * 0.7:.0f}",
            "Total water",
        ):
            assert words in card.replace("\u2009", " ")
        assert "local codes and licensed professionals decide" in card.replace("\n", " ")


@pytest.mark.parametrize("size", ["a4", "a4-two", "58mm", "80mm"])
def test_the_codes_on_paper_are_read_by_an_independent_reader(
    client: Client, plan_path: str, size: str
) -> None:
    file = PdfDocument(client.get(f"{plan_path}/paper.pdf?size={size}").content)
    found = []
    for page in file:
        # As a phone sees it: some 150 dots an inch.
        picture = page.render(scale=150 / 72).to_pil()
        found += [code.text for code in zxingcpp.read_barcodes(picture)]
    file.close()
    loads = range(1, len(plan().loads) + 1)
    base = client.app.state.address  # type: ignore[attr-defined]
    assert sorted(found) == [f"{base}{plan_path}/load/{number}/bench" for number in loads]


def tagged(page: Any) -> list[tuple[str, str, str]]:
    """The structure of a page as PDFium reads it, which did not write it: type, words for a picture, the type above."""
    found: list[tuple[str, str, str]] = []

    def text(read: Any, element: Any) -> str:
        length = read(element, None, 0)
        buffer = ctypes.create_string_buffer(max(length, 2))
        read(element, buffer, length)
        return buffer.raw.decode("utf-16-le").rstrip("\0")

    def walk(element: Any, above: str) -> None:
        kind = text(raw.FPDF_StructElement_GetType, element)
        found.append((kind, text(raw.FPDF_StructElement_GetAltText, element), above))
        for index in range(raw.FPDF_StructElement_CountChildren(element)):
            child = raw.FPDF_StructElement_GetChildAtIndex(element, index)
            if child:
                walk(child, kind)

    tree = raw.FPDF_StructTree_GetForPage(page)
    for index in range(raw.FPDF_StructTree_CountChildren(tree)):
        walk(raw.FPDF_StructTree_GetChildAtIndex(tree, index), "")
    raw.FPDF_StructTree_Close(tree)
    return found


@pytest.mark.parametrize("size", ["a4", "a4-two", "80mm"])
def test_paper_is_tagged_on_every_page(client: Client, plan_path: str, size: str) -> None:
    """As PDF/UA asks: a language, the title shown, headings, lists, heads of tables, words for every picture."""
    content = client.get(f"{plan_path}/paper.pdf?size={size}").content
    read = PdfReader(io.BytesIO(content))
    catalog: Any = read.trailer["/Root"]
    assert (catalog["/Lang"], catalog["/MarkInfo"]["/Marked"]) == ("en-GB", True)
    assert catalog["/ViewerPreferences"]["/DisplayDocTitle"]
    assert read.metadata
    assert "Sill bed" in (read.metadata.title or "")
    file = PdfDocument(content)
    shopping, *cards = [tagged(page) for page in file]
    file.close()
    assert ("TH", "", "TR") in shopping or size == "80mm"
    for card in cards:
        kinds = {kind for kind, _, _ in card}
        assert {"H1", "L", "LI", "P", "Figure"} <= kinds
        pictures = [words for kind, words, _ in card if kind == "Figure"]
        assert any("Water line" in words for words in pictures) or size == "80mm"
        assert any(words.startswith("Code to http") for words in pictures)
    for page in (shopping, *cards):
        assert all(words for kind, words, _ in page if kind == "Figure")


def test_a_card_as_a_picture(client: Client, plan_path: str) -> None:
    answer = client.get(f"{plan_path}/load/2/card.png")
    assert answer.headers["content-type"] == "image/png"
    assert 'filename="sill-bed-2.png"' in answer.headers["content-disposition"]
    with Image.open(io.BytesIO(answer.content)) as picture:
        # A4 across at 150 dots an inch, with ink on it.
        assert picture.size == pytest.approx((1754, 1240), abs=2)
        darkest, lightest = picture.convert("L").getextrema()
        assert darkest < 40
        assert lightest == 255
    assert client.get(f"{plan_path}/load/99/card.png").status_code == 404


@pytest.mark.parametrize(("size", "points"), [("a4-two", (595, 842)), ("letter-two", (612, 792))])
def test_two_cards_share_a_page(client: Client, plan_path: str, size: str, points: tuple[int, int]) -> None:
    pages = PdfReader(io.BytesIO(client.get(f"{plan_path}/paper.pdf?size={size}").content)).pages
    loads = len(plan().loads)
    assert len(pages) == 1 + (loads + 1) // 2
    for page in pages:
        assert (round(page.mediabox.width), round(page.mediabox.height)) == points
    for index, page in enumerate(pages[1:]):
        card = page.extract_text().replace("\n", " ")
        for number in range(2 * index + 1, min(2 * index + 3, loads + 1)):
            assert f"Load {number} of {loads}" in card
        # Nothing of a card is lost below its half: its last line is there.
        assert card.count("from first water (estimate)") == card.count("Total water")


def test_a_paper_that_says_the_same_is_made_once(
    client: Client, plan_path: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[Any] = []

    async def write(*given: Any) -> bytes:
        made.append(given)
        return b"%PDF"

    monkeypatch.setattr(worker_process, "run", write)
    for _ in range(2):
        assert client.get(f"{plan_path}/paper.pdf").content == b"%PDF"
    assert len(made) == 1
    client.post("/units", data={"units": "us", "next": "/"})
    client.get(f"{plan_path}/paper.pdf")
    assert len(made) == 2


@pytest.mark.parametrize(("size", "width_mm"), [("58mm", 58), ("80mm", 80)])
def test_a_strip_for_a_roll_is_as_wide_as_it_and_as_long_as_what_is_on_it(
    client: Client, plan_path: str, size: str, width_mm: float
) -> None:
    pages = PdfReader(io.BytesIO(client.get(f"{plan_path}/paper.pdf?size={size}").content)).pages
    made = plan()
    assert len(pages) == 1 + len(made.loads)
    for page in pages:
        assert float(page.mediabox.width) / 72 * 25.4 == pytest.approx(width_mm, abs=0.1)
        assert 40 < float(page.mediabox.height) / 72 * 25.4 < 400
    strip = pages[1].extract_text()
    assert f"Load 1 of {len(made.loads)}" in strip
    for step in made.procedure:
        assert step.do.split()[0] in strip
    assert "local codes and licensed professionals decide" in strip.replace("\n", " ")


def test_the_plan_as_json_and_csv(client: Client, plan_path: str) -> None:
    found = Plan.model_validate(client.get(f"{plan_path}/plan.json").json())
    rows = list(csv.DictReader(client.get(f"{plan_path}/plan.csv").text.splitlines()))
    cement = [row for row in rows if row["what"] == "cement"]
    assert [float(row["mass_kg"]) for row in cement] == [
        load.charge("cement").mass_kg for load in found.loads
    ]
    assert {row["what"] for row in rows} == {"cement", "sand", "water", "plasticiser"}
    code = client.get(f"{plan_path}/load/1/bench")
    assert code.headers["location"] == f"{plan_path}/load/1"


def test_a_job_file_is_opened_on_the_page(client: Client, plan_path: str) -> None:
    job = client.get(f"{plan_path}/job.json").json()
    assert read_job(job).title == "Sill bed"
    page = client.post("/plan/open", files={"file": ("job.json", json.dumps(raw_job(title="Quay bed")))})
    assert page.status_code == 200
    assert 'value="Quay bed"' in page.text
    shown = " ".join(re.sub("<[^>]+>", " ", page.text).split())
    assert "4 loads of 68.8" in shown
    broken: list[tuple[Any, str]] = [
        ("{", "not valid JSON"),
        (json.dumps(raw_job(mix="gold")), "gold"),
        (json.dumps(raw_job(need={"volume_m3": -1})), "volume_m3 must be more than 0"),
        ("1" * 300_000, "too large for a job"),
    ]
    for text, words in broken:
        answer = client.post("/plan/open", files={"file": ("job.json", text)})
        assert answer.status_code == 422
        assert words in answer.text


def test_a_long_plan_lays_out_what_is_different_and_numbers_every_page(client: Client) -> None:
    saved = client.post(
        "/plan", data={"title": "Long bed", "need.0.kind": "volume", "need.0.volume_m3": "1.6"}
    )
    plan_path = "/".join(saved.headers["location"].split("/")[:3])
    loads = Plan.model_validate(client.get(f"{plan_path}/plan.json").json()).loads
    sizes = {round(load.yield_l, 6) for load in loads}
    assert len(sizes) < len(loads) / 4
    file = client.get(f"{plan_path}/paper.pdf").content
    pages = [page.extract_text() for page in PdfReader(io.BytesIO(file)).pages]
    for number, (load, text) in enumerate(zip(loads, pages[1:], strict=True), start=1):
        assert f"Load {number} of {len(loads)}" in text
        assert f"{load.yield_l:.1f}" in text
        assert f"{number + 1} of {len(loads) + 1}" in text
    # Each further page of the same sheet is its number and its code.
    short = client.post(
        "/plan", data={"title": "Long bed", "need.0.kind": "volume", "need.0.volume_m3": "0.4"}
    )
    few = client.get("/".join(short.headers["location"].split("/")[:3]) + "/paper.pdf").content
    assert len(file) < 3 * len(few)
