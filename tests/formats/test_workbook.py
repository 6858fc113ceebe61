"""Workbooks, read back by an independent reader (openpyxl): every cell as it was, and nothing run."""

import io
import zipfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import load_workbook

from keeve.formats import workbook as writing
from keeve.formats.csv_table import Cell
from keeve.formats.workbook import workbook

COLUMNS = ("name", "figure", "=1+1")
# What a text can hold here: no control characters, no halves of one.
TEXTS = st.text(
    st.characters(blacklist_categories=("Cs", "Cc"), blacklist_characters="\ufffe\uffff"), min_size=1
)
CELLS = st.one_of(st.none(), st.booleans(), st.floats(allow_nan=False, allow_infinity=False, width=32), TEXTS)


def read_back(content: bytes) -> list[list[list[Cell]]]:
    book = load_workbook(io.BytesIO(content))
    for sheet in book.worksheets:
        assert not any(cell.data_type == "f" for row in sheet.iter_rows() for cell in row)
    return [[list(row) for row in sheet.iter_rows(values_only=True)] for sheet in book.worksheets]


@settings(max_examples=40)
@given(st.lists(st.lists(CELLS, min_size=3, max_size=3), max_size=8))
def test_every_cell_is_read_back_as_it_was(rows: list[list[Cell]]) -> None:
    (sheet,) = read_back(b"".join(workbook(COLUMNS, rows)))
    filled = [row for row in rows if any(cell is not None for cell in row)]
    assert sheet[0] == list(COLUMNS)
    read = [row for row in sheet[1:] if any(cell is not None for cell in row)]
    assert len(read) == len(filled)
    for was, row in zip(filled, read, strict=True):
        for cell, found in zip(was, row, strict=True):
            # A sheet holds sixteen digits.
            assert found == (pytest.approx(cell, rel=1e-15) if isinstance(cell, float) else cell)


@pytest.mark.parametrize(
    "text", ["=1+1", "@SUM(A1)", "+2", "-2", "#N/A", "http://a.example/", "{=A1}", "12", "\u200b"]
)
def test_what_looks_like_something_else_stays_a_text(text: str) -> None:
    (sheet,) = read_back(b"".join(workbook(COLUMNS, [[text, 1.5, None]])))
    assert sheet[1] == [text, 1.5, None]


def test_more_rows_than_a_sheet_holds_go_on_in_another(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(writing, "_MOST_ROWS", 10)
    rows: list[list[Cell]] = [[f"load {number}", number, None] for number in range(25)]
    sheets = read_back(b"".join(workbook(COLUMNS, rows)))
    assert [len(sheet) for sheet in sheets] == [11, 11, 6]
    assert [row for sheet in sheets for row in sheet[1:]] == rows


def test_it_comes_in_parts_and_leaves_nothing_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    parts = workbook(COLUMNS, ([number, "a", None] for number in range(1000)))
    assert [next(parts) for _ in range(5)] == [b""] * 5
    parts.close()  # whoever asked went away
    assert list(tmp_path.iterdir()) == []
    whole = list(workbook(COLUMNS, ([number, "a", None] for number in range(1000))))
    assert zipfile.is_zipfile(io.BytesIO(b"".join(whole)))
    assert list(tmp_path.iterdir()) == []
