"""Tables as they come: every separator and encoding, workbooks of another library, and what is none."""

import csv
import io
import zipfile
from datetime import date, datetime, time

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from keeve.core.errors import InputError
from keeve.formats import table_file
from keeve.formats.csv_table import csv_lines
from keeve.formats.table_file import MOST_COLUMNS, read_table
from keeve.formats.workbook import workbook

TABLE = [
    ["Day", "Job; place", "Wasser, l"],
    ["2026-03-14", "Kai, \u201eNord\u201c", "12,5"],
    ["15.3.2026", 'the "old" wall', ""],
]


def as_csv(table: list[list[str]], separator: str) -> str:
    out = io.StringIO()
    csv.writer(out, delimiter=separator).writerows(table)
    return out.getvalue()


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_every_kind_of_csv(separator: str, encoding: str) -> None:
    assert read_table(as_csv(TABLE, separator).encode(encoding)) == TABLE


def book_of(rows: list[list[object]], *, before: int = 0) -> bytes:
    book, out = Workbook(), io.BytesIO()
    for _ in range(before):
        book.create_sheet()
    sheet = book.worksheets[-1]
    for row in rows:
        sheet.append(row)
    book.save(out)
    return out.getvalue()


def test_a_workbook_of_another_library() -> None:
    rows: list[list[object]] = [
        ["Day", "Time", "Started", "Water", "Right", "Job"],
        [date(2026, 3, 14), time(8, 5), datetime(2026, 3, 14, 8, 5), 12.5, True, "=1+1"],
        [None, None, None, 12, None, "Kerb"],
    ]
    # The first sheet with anything on it; a formula is not worked out.
    day, *rest = read_table(book_of(rows, before=2))[1:]
    assert day[:5] == ["2026-03-14", "08:05:00", "2026-03-14 08:05:00", "12.5", "yes"]
    assert "2" not in day[5]
    assert rest == [["", "", "", "12", "", "Kerb"]]


@pytest.mark.parametrize("text", ["=1+1", "+2", "-2", "@a", "'quoted", "plain"])
def test_what_we_write_comes_back_as_it_was(text: str) -> None:
    columns, rows = ("name", "figure"), [[text, 1.25]]
    for content in ("".join(csv_lines(columns, rows)).encode(), b"".join(workbook(columns, rows))):
        assert read_table(content) == [["name", "figure"], [text, "1.25"]]


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"only heads\n",
        b"PK\x03\x04 no zip",
        b"\xd0\xcf\x11\xe0 no sheet",
        b"a,b\n\0,1\n",
        b'a,b\n"' + b"x" * 200_000,
    ],
)
def test_what_is_no_table_is_said(content: bytes) -> None:
    with pytest.raises(InputError) as refused:
        read_table(content)
    assert refused.value.code in ("no_table", "no_rows")


def test_more_than_can_be_read_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(table_file, "MOST_ROWS", 10)
    with pytest.raises(InputError, match="More than 10 rows"):
        read_table(b"a,b\n" + b"1,2\n" * 11)
    with pytest.raises(InputError, match="More than 10 rows"):
        read_table(book_of([["a", "b"], *([1, 2] for _ in range(11))]))
    assert len(read_table(b"a,b\n" + b"1,2\n" * 10)) == 11
    wide = read_table(("a," * 500 + "\n" + "1," * 500).encode())
    assert len(wide[0]) == MOST_COLUMNS


def test_a_small_file_that_unpacks_to_much_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b" " * 120_000_000)
    assert len(out.getvalue()) < 200_000
    with pytest.raises(InputError, match="too large once unpacked"):
        read_table(out.getvalue())


@given(st.one_of(st.binary(max_size=400), st.text(max_size=400).map(str.encode)))
def test_anything_is_a_table_or_refused(content: bytes) -> None:
    try:
        table = read_table(content)
    except InputError:
        return
    assert len({len(row) for row in table}) == 1
    assert len(table) >= 2
