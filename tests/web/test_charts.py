"""Charts of the log: the demo's bad week is said, tables are what is drawn, judges are seen by few."""

import csv
import json
import re
from dataclasses import replace
from io import BytesIO, StringIO
from uuid import UUID

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from openpyxl import load_workbook
from playwright.sync_api import Browser
from sqlalchemy import Engine

from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import LoadEvent
from keeve.core.log.log_filter import LogFilter
from keeve.core.units import System
from keeve.data.accounts import Visitor
from keeve.data.loads import running_load
from keeve.data.log_entries import find
from keeve.drawing.chart import charts
from keeve.drawing.row_bars import row_bars
from keeve.figures.chart_figures import Axis, Bars, ChartBar, ChartFigures, Dot, Table
from keeve.screens.charts.screen import quality_page_of
from keeve.screens.charts.view import Specified
from web.conftest import Client, Clock, Visit
from web.test_first_minutes import PHONE, SMALL, TARGETS

SLAB = LogFilter(mix_id="concrete-nominal")
DESK = {"viewport": {"width": 1280, "height": 800}}


def said(engine: Engine, visitor: Visitor, name: str, specified: Specified | None = None) -> list[str]:
    table = quality_page_of(engine, visitor, SLAB, specified).table(name)
    return list(table.says) if table else []


def test_the_bad_week_of_the_demo_is_said(engine: Engine, demo: tuple[Visitor, str]) -> None:
    wren, _ = demo
    assert 60 <= len(find(engine, wren, LogFilter(), limit=500)) <= 120
    steady = " ".join(said(engine, wren, "ratio"))
    assert "10 of 45 loads went over the max" in steady
    assert re.search(r"load 21 to 30 \(25 Mar to 27 Mar\): wetter", steady)
    assert len(re.findall("wetter|drier", steady)) == 1
    # The onset is told within a load.
    assert re.search(r"load 2[01] ", " ".join(said(engine, wren, "drift")))
    assert "load 27, ratio 0.70" in " ".join(said(engine, wren, "strength-by-age"))


@pytest.mark.parametrize(
    ("specified", "words"),
    [
        (Specified(25.0, "aci-318"), "25.0 MPa met"),
        (Specified(25.0, "en-206"), "25.0 MPa met"),
        (Specified(40.0, "aci-318"), "40.0 MPa not shown to be met"),
        (Specified(40.0, "en-206"), "40.0 MPa not shown to be met"),
    ],
)
def test_tests_are_held_against_what_was_specified(
    engine: Engine, demo: tuple[Visitor, str], specified: Specified, words: str
) -> None:
    told = said(engine, demo[0], "acceptance", specified)
    assert words in told[1]
    assert any("required" in sentence for sentence in told) == (specified.mpa > 30)
    assert "aim for an average of" in told[-1]


def test_how_somebody_judges_is_for_that_person_and_the_lead(
    engine: Engine, demo: tuple[Visitor, str]
) -> None:
    wren, _ = demo
    assert [line.split(":")[0] for line in said(engine, wren, "judges")] == ["Fen", "Wren"]
    fen = replace(wren, name="Fen", role="mixer")
    assert [line.split(":")[0] for line in said(engine, fen, "judges")] == ["Fen"]
    assert said(engine, replace(wren, name="Moss", role="reader"), "judges") == []


def test_each_chart_has_its_table_as_csv(engine: Engine, demo: tuple[Visitor, str]) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    page = client.get("/log/charts?mix=concrete-nominal&specified=30").text
    links = re.findall(r'href="(/log/charts/[a-z-]+\.csv[^"]*)"', page.replace("&amp;", "&"))
    # What it says for the next time is beside them.
    assert len(links) == page.count("<h2") - 1 == 7
    for link in links:
        answer = client.get(link)
        head, *rows = csv.reader(StringIO(answer.text))
        assert rows
        assert all(len(row) == len(head) for row in rows)
    ratios = next(link for link in links if "/ratio.csv" in link)
    table = list(csv.DictReader(StringIO(client.get(ratios).text)))
    assert [row["signals"].split()[:1] == ["wetter"] for row in table] == [20 <= n < 30 for n in range(45)]
    assert client.get("/log/charts/weather.csv").status_code == 404
    refused = client.get("/log/charts?mix=concrete-nominal&specified=strong")
    assert "Specified strength" in refused.text
    assert 'value="strong"' in refused.text
    assert "No loads to chart yet" in Client(engine, Clock()).get("/log/charts").text


@pytest.mark.parametrize("units", ["metric", "us"])
def test_a_chart_keeps_everything_inside_its_frame(units: System) -> None:
    table = Table("test", "Where?", (), ())
    for values in (
        [(0.0, 1.0)],
        [(1.0, 2.0), (1.0, 2.0)],
        [(0.0, -40.0), (3.0, 1e6)],
        [(1e-6, 0.0), (2e-6, 5e-7)],
    ):
        dots = [Dot(x, y, UUID(int=0), "a load") for x, y in values]
        for drawn in charts(ChartFigures(table, Axis("x"), Axis("y", "strength"), dots), units):
            for mark in drawn.marks:
                assert drawn.left <= mark.x <= drawn.right
                assert 0 <= mark.y <= drawn.bottom
            heights = [tick.at for tick in drawn.ups]
            assert heights == sorted(heights, reverse=True)
            assert 1 <= len(heights) <= 12
            assert len({tick.text for tick in drawn.ups}) == len(heights)


@given(st.lists(st.tuples(st.floats(-1e4, 1e4), st.none() | st.floats(-1e4, 1e4)), min_size=1, max_size=8))
@example([(1.1125369292536007e-308, None)])
def test_bars_are_as_long_as_their_figures(figures: list[tuple[float, float | None]]) -> None:
    rows = [ChartBar("a job with a long name " * 4, value, planned) for value, planned in figures]
    for drawn in row_bars(Bars("kg", "mass", False, 0, rows), "metric"):
        lengths = [(row.width, row.planned_width) for row in drawn.rows]
        longest = max(abs(value or 0.0) for pair in figures for value in pair)
        for row, (value, planned), (width, planned_width) in zip(drawn.rows, figures, lengths, strict=True):
            assert 0 <= row.x <= row.x + width <= drawn.width
            assert (row.planned_x is None) == (planned is None)
            # All on one scale.
            if longest and abs(value) == longest:
                assert planned_width == pytest.approx(abs(planned or 0.0) / longest * width, abs=0.2)
            assert row.words.endswith("…")


@pytest.mark.parametrize("context", [DESK, PHONE], ids=["desk", "phone"])
def test_the_pages_of_the_log_can_be_used(
    browser: Browser, origin: str, engine: Engine, demo: tuple[Visitor, str], context: dict[str, object]
) -> None:
    (cubes, *_) = find(engine, demo[0], LogFilter(words="slipway"), limit=100)[3:]
    with browser.new_context(**context) as opened:  # type: ignore[arg-type]
        visit = Visit(opened.new_page(), origin, demo[1])
        visit.sign_in()
        for path in (
            "/log",
            "/log?words=slipway&state=done",
            "/log/charts?mix=concrete-nominal",
            f"/log/{cubes.id}",
        ):
            visit.page.goto(origin + path)
            if path.endswith(str(cubes.id)):
                for summary in visit.page.locator("main summary").all()[-3:]:
                    summary.click()
            visit.check()
            assert visit.page.evaluate("document.documentElement.scrollWidth <= innerWidth"), path
            if context is PHONE:
                assert visit.page.evaluate(SMALL) == [], path
                assert visit.page.evaluate(TARGETS) == [], path


@pytest.mark.parametrize("asked", ["mix=concrete-nominal", "mix=concrete-nominal&events=true"])
def test_everything_goes_out_as_tables(engine: Engine, demo: tuple[Visitor, str], asked: str) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    head, *rows = csv.reader(StringIO(client.get(f"/log.csv?{asked}").text))
    sheet = load_workbook(BytesIO(client.get(f"/log.xlsx?{asked}").content)).active
    assert sheet is not None
    read = [list(row) for row in sheet.iter_rows(values_only=True)]
    things = [json.loads(line) for line in client.get(f"/log.jsonl?{asked}").text.splitlines()]
    assert read[0] == head
    assert len(read) - 1 == len(rows) == len(things) >= 45
    for cells, row, thing in zip(read[1:], rows, things, strict=True):
        for name, cell, text in zip(head, cells, row, strict=True):
            known = thing.get(name)
            if isinstance(known, list | dict):
                assert json.loads(text) == json.loads(str(cell)) == known
            elif isinstance(known, int | float):
                assert cell == pytest.approx(known, rel=1e-15)
                assert text == str(known)
            else:
                assert (cell or "") == text == (known or "")
        assert {name for name, value in thing.items() if value is not None} <= set(head)
    assert client.get("/log.xls").status_code == 404


def test_everything_goes_out_as_json(engine: Engine, demo: tuple[Visitor, str]) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    listed = find(engine, demo[0], SLAB, limit=100)
    loads_out = [json.loads(line) for line in client.get("/log.jsonl?mix=concrete-nominal").text.splitlines()]
    table = list(csv.DictReader(StringIO(client.get("/log.csv?mix=concrete-nominal").text)))
    assert [one["load"] for one in loads_out] == [one.number for one in listed]
    assert [float(row["water_added_l"]) for row in table] == [one["water_added_l"] for one in loads_out]
    events = [
        json.loads(line)
        for line in client.get("/log.jsonl?mix=concrete-nominal&events=true").text.splitlines()
    ]
    by_load: dict[str, list[LoadEvent]] = {}
    for event in events:
        told = {name: value for name, value in event.items() if name not in ("load_id", "job", "load")}
        by_load.setdefault(event["load_id"], []).append(parse_event(told))
    assert list(by_load) == [str(one.id) for one in listed]
    for one in listed:
        running = running_load(engine, demo[0], one.id)
        assert running is not None
        assert by_load[str(one.id)] == running.events
    assert Client(engine, Clock()).get("/log.jsonl?events=true").text == ""
