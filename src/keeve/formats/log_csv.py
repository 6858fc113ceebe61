"""The log as CSV, safe to open in a spreadsheet."""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence

COLUMNS = (
    "begun_at",
    "job",
    "load",
    "mix",
    "planned_yield_l",
    "water_added_l",
    "water_target_l",
    "judged",
    "judged_by",
    "placed_l",
    "discarded",
)


def csv_lines(rows: Iterable[Sequence[str | float | int | None]]) -> Iterator[str]:
    """Lines of CSV, the header first.

    A text that a spreadsheet would run as a formula gets an apostrophe in front of it.
    """
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    for row in (COLUMNS, *rows):
        writer.writerow(["" if cell is None else _harmless(cell) for cell in row])
        yield buffer.getvalue()
        buffer.seek(0)
        buffer.truncate()


def _harmless(cell: str | float | int) -> str | float | int:
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(("=", "+", "-", "@", "\t", "\r")) else cell
