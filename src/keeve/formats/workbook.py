"""Rows as a workbook (XLSX), written without holding all of them."""

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

from keeve.formats.csv_table import Cell

if TYPE_CHECKING:
    from xlsxwriter import Workbook
    from xlsxwriter.worksheet import Worksheet

_ROWS_AT_A_TIME = 200
_BYTES_AT_A_TIME = 1 << 16
# What a sheet can hold beside its header; more goes on in another.
_MOST_ROWS = 2**20 - 1


def workbook(columns: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterator[bytes]:
    """A workbook, in parts: empty ones while it is put together on disk, that others have their turn, then its bytes.

    A text is written as a text: nothing in it is ever run as a formula or opened as a link.
    """
    # Only an export needs it.
    from xlsxwriter import Workbook

    with TemporaryDirectory(prefix="keeve-") as folder:
        path = Path(folder) / "book.xlsx"
        book = Workbook(str(path), {"constant_memory": True, "tmpdir": folder})
        sheet = _sheet(book, columns)
        try:
            for number, row in enumerate(rows):
                if number and number % _MOST_ROWS == 0:
                    sheet = _sheet(book, columns)
                _write(sheet, number % _MOST_ROWS + 1, row)
                if number % _ROWS_AT_A_TIME == 0:
                    yield b""
        except GeneratorExit:
            # Whoever asked went away: what is written so far is not put together.
            for begun in book.worksheets():
                begun.row_data_fh.close()
            raise
        book.close()
        with path.open("rb") as file:
            while part := file.read(_BYTES_AT_A_TIME):
                yield part


def _sheet(book: "Workbook", columns: Sequence[str]) -> "Worksheet":
    sheet = book.add_worksheet()
    sheet.freeze_panes(1, 0)
    _write(sheet, 0, columns)
    return sheet


def _write(sheet: "Worksheet", number: int, row: Sequence[Cell]) -> None:
    for column, cell in enumerate(row):
        if isinstance(cell, bool):
            sheet.write_boolean(number, column, cell)
        elif isinstance(cell, int | float):
            sheet.write_number(number, column, cell)
        elif cell is not None:
            sheet.write_string(number, column, cell)
