"""Log and plan as CSV, safe to open in a spreadsheet."""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from itertools import chain

from keeve.core.planning.plan import Plan

PLAN_COLUMNS = (
    "load",
    "yield_l",
    "what",
    "mass_kg",
    "loose_l",
    "vessels",
    "vessel",
    "start_l",
    "target_l",
    "ceiling_l",
    "volume_ml",
)
Cell = str | float | int | datetime | None
_LINES_AT_A_TIME = 200
# How a text begins that a spreadsheet would run as a formula.
RUN = ("=", "+", "-", "@", "\t", "\r")


def plan_rows(plan: Plan) -> Iterator[Sequence[Cell]]:
    """The contents of each load: a row a material, one for its water, one an admixture."""
    for load in plan.loads:
        here = (load.number, load.yield_l)
        for charge in load.charges:
            vessel = next(iter(charge.vessels), None)
            counted = (vessel.count, vessel.name) if vessel else (None, None)
            yield (*here, charge.material, charge.mass_kg, charge.volume_l, *counted, None, None, None, None)
        water = load.water
        yield (*here, "water", None, None, None, None, water.start_l, water.target_l, water.ceiling_l, None)
        for item in load.admixtures:
            yield (
                *here,
                item.name,
                item.mass_kg,
                None,
                item.packs,
                "pack" if item.packs else None,
                None,
                None,
                None,
                item.volume_ml,
            )


def csv_lines(columns: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterator[str]:
    """Lines of CSV, the header first, some hundred at a time.

    A text that a spreadsheet would run as a formula gets an apostrophe in front of it.
    """
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    for number, row in enumerate(chain([columns], rows), start=1):
        writer.writerow(["" if cell is None else _harmless(cell) for cell in row])
        if number % _LINES_AT_A_TIME == 0:
            yield buffer.getvalue()
            buffer.seek(0)
            buffer.truncate()
    yield buffer.getvalue()


def _harmless(cell: str | float | int | datetime) -> str | float | int:
    if isinstance(cell, datetime):
        return cell.isoformat()
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(RUN) else cell
