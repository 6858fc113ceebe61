"""Tables that people have: CSV in any of its kinds, XLSX, ODS and XLS, read as rows of texts."""

import csv
import io
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime, time
from itertools import islice
from typing import Any

from keeve.core.errors import InputError
from keeve.core.texts import written
from keeve.formats.csv_table import RUN

# What is read at once, and what a small file may unpack to.
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 20_000, 60, 1_000
_MOST_UNPACKED = 100_000_000
_ZIP, _OLE = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
_SEPARATORS = (",", ";", "\t", "|")


def read_table(content: bytes) -> list[list[str]]:
    """The rows of a table, all as long, from its first that has anything in it; nothing in them is worked out or run.

    Of a workbook that is the first sheet with anything on it.

    Args:
        content: the file.

    Raises:
        InputError: it is no table, or too large a one.
    """
    try:
        rows = _of_workbook(content) if content.startswith((_ZIP, _OLE)) else _of_text(content)
        read = [[written(_plain(cell), LONGEST_CELL) for cell in row[:MOST_COLUMNS]] for row in rows]
    except (csv.Error, zipfile.BadZipFile) as fault:
        raise _unreadable() from fault
    filled = [row for row in read if any(row)]
    if len(filled) < 2:
        raise InputError("no_rows", "That file has no rows under its column heads.", ["table"])
    if len(filled) > MOST_ROWS + 1:
        raise InputError(
            "too_many_rows", f"More than {MOST_ROWS} rows. Split it into several files.", ["table"]
        )
    width = max(next((at for at in range(len(row), 0, -1) if row[at - 1]), 0) for row in filled)
    return [(row + [""] * width)[:width] for row in filled]


def _unreadable() -> InputError:
    message = "Keeve can't read that file. Save it as CSV or XLSX, without a password."
    return InputError("no_table", message, ["table"])


def _plain(cell: Any) -> str:
    """A cell as a text: days and times as they are written everywhere."""
    match cell:
        case bool():
            return "yes" if cell else "no"
        case float():
            return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
        case datetime():
            return cell.date().isoformat() if cell.time() == time() else cell.isoformat(" ", "seconds")
        case date() | time():
            return cell.isoformat()
    text = str(cell).strip()
    # What writes a table puts an apostrophe before what a spreadsheet would run: it is no part of the text.
    return text[1:] if text[:1] == "'" and text[1:].startswith(RUN) else text


def _of_workbook(content: bytes) -> Iterable[Sequence[Any]]:
    # Only a workbook needs it.
    from python_calamine import CalamineError, CalamineWorkbook

    if content.startswith(_ZIP):
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            if sum(part.file_size for part in packed.infolist()) > _MOST_UNPACKED:
                message = "That file is too large once unpacked. Split it into several files."
                raise InputError("too_large", message, ["table"])
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(content))
        sheets = (
            book.get_sheet_by_index(place).to_python(nrows=MOST_ROWS + 2)
            for place in range(len(book.sheet_names))
        )
        return next((rows for rows in sheets if any(any(cell != "" for cell in row) for row in rows)), [])
    except CalamineError as fault:
        raise _unreadable() from fault


def _of_text(content: bytes) -> Iterator[Sequence[str]]:
    text = _decoded(content)
    if "\0" in text:
        raise _unreadable()
    first = next((line for line in text.splitlines() if line.strip()), "")
    # The one that parts the heads into most columns.
    separator = max(_SEPARATORS, key=lambda sign: len(next(csv.reader([first], delimiter=sign), [])))
    return islice(csv.reader(io.StringIO(text, newline=""), delimiter=separator), MOST_ROWS + 2)


def _decoded(content: bytes) -> str:
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16", errors="replace")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError:
        # What spreadsheets write in the west where they do not write UTF-8.
        return content.decode("cp1252", errors="replace")
