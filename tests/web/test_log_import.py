"""History from a table: looked at, taken in whole or not at all, withdrawn whole, never twice."""

import json
import re
from html import unescape
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from helpers import NOON
from playwright.sync_api import Browser
from sqlalchemy import Engine, func, select

from keeve.core.log.imported import read_history
from keeve.core.log.load_row import LoadRow
from keeve.core.log.log_filter import LogFilter
from keeve.data import log_imports
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find
from keeve.data.mixes import every_mix
from keeve.screens.log_import.view import meant_of
from keeve.store import models
from keeve.store.database import crew_reading
from web.conftest import Client, Clock, visiting
from web.test_first_minutes import PHONE, SMALL, TARGETS

HEAD = "Date;Site;Batch;Mix;Water (L);w/c;Mixed by;Remarks"
ROWS = [
    "03/02/2020;Quay wall;1;Concrete by parts (1:2:4);12,1;0,58;Teal;first of the year",
    "03/02/2020;Quay wall;2;Concrete by parts (1:2:4);12,3;0,59;Sedge;=HYPERLINK(1)",
    "13/02/2020;Quay wall;1;our grey;11,8;;Teal;",
]
BROKEN = "31/02/2020;Quay wall;4;our grey;a lot;;Teal;"
MANY = [f"03/03/2020;Kerb;{number};grey;12;;Teal;" for number in range(1, 1201)]


def chosen(client: Client, *rows: str, head: str = HEAD, name: str = "old log.csv") -> str:
    """The address of a table that was chosen."""
    content = "\n".join((head, *rows)).encode()
    answer = client.post("/log/import", files={"table": (name, content, "text/csv")})
    assert answer.status_code == 303, answer.text
    there: str = answer.headers["location"]
    return there


def page_of(client: Client, address: str) -> str:
    return re.sub(r"\s+", " ", client.get(address).text)


def form_of(page: str) -> dict[str, str]:
    """What the form of a page says as it stands."""
    form = page[page.index("<form") : page.rindex("</form>")]
    said = dict(re.findall(r'<input type="hidden" name="(mix[^"]+)" value="([^"]*)"', form))
    for name, options in re.findall(r'<select[^>]* name="([^"]+)"[^>]*>(.*?)</select>', form, re.DOTALL):
        said[name] = next(iter(re.findall(r'<option value="([^"]*)" selected', options)), "")
    return {name: unescape(value) for name, value in said.items()}


def taken(client: Client, there: str, **also: str) -> Any:
    return client.post(f"{there}/take", data={**form_of(client.get(there).text), **also})


def in_log(client: Client) -> list[LoadRow]:
    return find(client.engine, client.visitor, LogFilter(), limit=100)


def test_a_table_is_looked_at_and_taken_in(client: Client) -> None:
    there = chosen(client, *ROWS)
    looked = page_of(client, there)
    assert "old log.csv" in looked
    assert "3 <small>loads to import</small>" in looked
    assert in_log(client) == []
    assert taken(client, there).headers["location"] == there
    listed = in_log(client)
    assert [(one.title, one.number, one.mix_id) for one in listed] == [
        ("Quay wall", 1, ""),
        ("Quay wall", 2, "concrete-nominal"),
        ("Quay wall", 1, "concrete-nominal"),
    ]
    assert [one.ratio for one in listed] == [None, 0.59, 0.58]
    # Found by its words, its day and who mixed it; shown with what is known.
    for sought in ("words=hyperlink", "words=quay&since=2020-02-03&until=2020-02-03", "who=sedge"):
        assert "Quay wall, load 2" in client.get(f"/log?{sought}").text
    shown = client.get(f"/log/{listed[1].id}").text
    assert "=HYPERLINK(1)" in shown
    assert "Sedge" in shown
    # A mix that is the crew's counts them in its charts.
    charts = page_of(client, "/log/charts?mix=concrete-nominal")
    assert "Concrete by parts (1:2:4), 2 loads" in charts
    assert "2 loads so far. Eight are needed" in charts


def test_the_same_file_twice_changes_nothing(client: Client) -> None:
    taken(client, chosen(client, *ROWS))
    before = in_log(client)
    again = chosen(client, *ROWS, name="a copy.csv")
    assert "3 already in the log" in page_of(client, again)
    assert taken(client, again).status_code == 303
    assert in_log(client) == before
    # More of it brings only what is new, however its mixes are meant.
    longer = chosen(client, *ROWS, "14/02/2020;Quay wall;1;our grey;12;;Teal;")
    assert taken(client, longer, **{"mix.1.is": "concrete-nominal"}).status_code == 303
    assert len(in_log(client)) == 4


def test_rows_that_cannot_be_read_hold_all_of_it_back(client: Client) -> None:
    there = chosen(client, *ROWS, BROKEN)
    looked = page_of(client, there)
    assert "1 row can't be read" in looked
    assert "Row 5</b>, Date" in looked
    assert "“31/02/2020” is not a date" in looked
    assert taken(client, there).status_code == 422
    assert in_log(client) == []
    assert taken(client, there, leave_out="yes").status_code == 303
    assert len(in_log(client)) == 3


def test_whoever_goes_away_has_taken_in_nothing(client: Client) -> None:
    import_id = UUID(chosen(client, *MANY).split("/")[-1])
    draft = log_imports.draft(client.engine, client.visitor, import_id)
    assert draft is not None
    mixes, us = every_mix(client.engine, client.visitor), client.visitor
    meant = meant_of(draft.table, draft.meant, mixes, us.units, us.zone, NOON, us.crew_id)
    history = read_history(draft.table, meant)

    def lots() -> Any:
        return log_imports.take_in(client.engine, client.visitor, import_id, history.loads, NOON)

    begun = lots()
    assert next(begun) == 500
    begun.close()
    assert in_log(client) == []
    assert list(lots()) == [500, 1000, 1200]


def test_it_says_how_far_it_is(client: Client) -> None:
    there = chosen(client, *MANY)
    said = form_of(client.get(there).text)
    answer = client.post(f"{there}/take", data=said, headers={"Accept": "application/jsonl"})
    lines = [json.loads(line) for line in answer.text.splitlines()]
    assert lines == [*({"done": done, "of": 1200} for done in (500, 1000, 1200)), {"to": there}]
    # A second tap lands where it was taken in.
    assert client.post(f"{there}/take", data=said).headers["location"] == there
    assert len(find(client.engine, client.visitor, LogFilter(), limit=2000)) == 1200


def test_it_is_withdrawn_as_one_and_can_come_in_again(client: Client) -> None:
    there = chosen(client, *ROWS)
    taken(client, there)
    assert client.post(f"{there}/withdraw").headers["location"] == there
    assert in_log(client) == []
    with crew_reading(client.engine, client.visitor.crew_id) as session:
        assert session.scalar(select(func.count()).select_from(models.LogPerson)) == 0
    assert "removed" in page_of(client, there)
    assert "removed" in page_of(client, "/log/import")
    taken(client, chosen(client, *ROWS))
    assert len(in_log(client)) == 3


def test_our_own_log_comes_back_as_itself(engine: Engine, demo: tuple[Visitor, str], client: Client) -> None:
    wren = Client(engine, Clock(), seen_as=demo)
    before = in_log(wren)
    for form in ("csv", "xlsx"):
        file = {"table": (f"log.{form}", wren.get(f"/log.{form}").content, "")}
        there = wren.post("/log/import", files=file).headers["location"]
        assert "All of these are already in the log" in wren.get(there).text, form
        # In another crew they are loads from before.
        elsewhere = client.post("/log/import", files=file).headers["location"]
        assert taken(client, elsewhere).status_code == 303
    assert in_log(wren) == before
    for ours, theirs in zip(before, in_log(client), strict=True):
        assert (ours.title, ours.number) == (theirs.title, theirs.number)
        assert ours.begun_at == theirs.begun_at
        for name in ("water_l", "ratio", "placed_l", "given_l", "stored_l", "reading", "planned_l"):
            value = getattr(ours, name)
            close = pytest.approx(value, rel=1e-12) if isinstance(value, float) else value
            assert getattr(theirs, name) == close, name


@pytest.mark.parametrize(
    ("content", "said"),
    [(b"", "has no rows"), (b"PK\x03\x04", "read that file")],
)
def test_what_is_no_table_is_said_where_it_was_chosen(client: Client, content: bytes, said: str) -> None:
    answer = client.post("/log/import", files={"table": ("a.csv", content, "text/csv")})
    assert answer.status_code == 422
    assert said in answer.text


def test_columns_are_meant_as_they_are_said(client: Client) -> None:
    there = chosen(client, "12;x;03/02/2020", head="A;B;C")
    assert "Choose the column with the mixing date" in client.get(there).text
    assert client.post(f"{there}/take", data={}).status_code == 422
    said = {"column.0": "water_l", "unit.0": "US gal", "column.1": "note", "column.2": "begun_at"}
    client.post(there, data={**said, "order": "month"})
    assert form_of(client.get(there).text) == {**said, "order": "month"}
    taken(client, there)
    (load,) = in_log(client)
    assert load.begun_at.isoformat().startswith("2020-03-02")
    assert load.water_l == pytest.approx(12 * 3.785411784)
    assert load.note == "x"


def test_in_the_browser(browser: Browser, origin: str, engine: Engine, tmp_path: Path) -> None:
    file = tmp_path / "history.csv"
    file.write_text("\n".join((HEAD, *ROWS, *MANY)), encoding="utf-8")
    with visiting(browser, engine, origin, **PHONE) as visit:
        visit.sign_in()
        page = visit.page

        def looked_at() -> None:
            visit.check()
            assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
            assert page.evaluate(SMALL) == []
            assert page.evaluate(TARGETS) == []

        page.goto(f"{origin}/log/import")
        looked_at()
        page.set_input_files("#table", str(file))
        page.click("button:has-text('Preview')")
        page.wait_for_selector("text=loads to import")
        looked_at()
        page.click("button:has-text('Import 1203 loads')")
        page.wait_for_selector("text=loads imported")
        looked_at()
        page.goto(f"{origin}/log?words=kerb")
        page.click("text=Kerb, load 1200")
        page.wait_for_selector("text=From an imported table")
        looked_at()
