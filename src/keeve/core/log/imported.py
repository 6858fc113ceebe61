"""A crew's own history: each row of a spreadsheet as a load of the log, or why it is none."""

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, NamedTuple
from uuid import NAMESPACE_URL, UUID, uuid5
from zoneinfo import ZoneInfo

from keeve.core.errors import InputError
from keeve.core.log.imported_cells import UnknownWordError, read_cell
from keeve.core.log.imported_columns import Order, fields
from keeve.core.log.load_row import LoadRow
from keeve.core.units import System


@dataclass(frozen=True)
class Meant:
    """How a table is meant.

    Args:
        columns: what its columns are, by their place; those that are left out are not in it.
        units: the units of figures that have none, by the place of their column.
        order: in which order a day is written in figures.
        system: the units of the reader, of any other figure that has none.
        zone: the zone of its times.
        mixes: mixes by what the table calls them, in small letters.
        now: the moment: nothing was mixed after it.
        crew_id: whose history it is.
    """

    columns: Mapping[int, str]
    units: Mapping[int, str]
    order: Order
    system: System
    zone: ZoneInfo
    mixes: Mapping[str, str]
    now: datetime
    crew_id: UUID


class Doubt(NamedTuple):
    """Something doubtful in a row.

    Args:
        row: the row, counted from 1 at the head.
        column: what its column is; empty for the row as a whole.
        words: what is doubtful, in a sentence.
        is_refused: whether the row cannot be read for it.
    """

    row: int
    column: str
    words: str
    is_refused: bool


class History(NamedTuple):
    """A table as it was read: the loads in it, and the rows in doubt."""

    loads: Sequence[LoadRow]
    doubts: Sequence[Doubt]

    @property
    def refused(self) -> int:
        """How many rows cannot be read."""
        return len({doubt.row for doubt in self.doubts if doubt.is_refused})


def read_history(table: Sequence[Sequence[str]], meant: Meant) -> History:
    """The loads of a table.

    Args:
        table: its rows as texts, the first its heads.
        meant: how it is meant.

    Raises:
        InputError: no column is the day.
    """
    if "begun_at" not in meant.columns.values():
        raise InputError("no_day", "Choose the column with the mixing date.", ["begun_at"])
    loads: list[LoadRow] = []
    doubts: list[Doubt] = []
    numbers: dict[tuple[str, date], int] = {}
    alike: Counter[str] = Counter()
    seen: dict[tuple[str, ...], int] = {}
    for row, cells in enumerate(table[1:], start=2):
        if not any(cell.strip() for cell in cells):
            continue
        values, own = _values(row, cells, meant)
        doubts += own
        if any(doubt.is_refused for doubt in own):
            continue
        loads.append(_past_load(values, meant, numbers, alike))
        first = seen.setdefault(tuple(cells), row)
        if first != row:
            doubts.append(Doubt(row, "", f"is the same as row {first}. It counts as a separate load.", False))
    return History(loads, doubts)


def _values(row: int, cells: Sequence[str], meant: Meant) -> tuple[dict[str, Any], list[Doubt]]:
    """The cells of a row, by the names of fields, and the doubts about them."""
    values: dict[str, Any] = {}
    doubts = []
    for column, name in meant.columns.items():
        field, text = fields()[name], cells[column].strip() if column < len(cells) else ""
        if not text:
            continue
        try:
            values[name] = read_cell(field, text, meant.units.get(column, ""), meant.order, meant.system)
        except InputError as fault:
            doubts.append(Doubt(row, field.words, f"“{text[:40]}” {fault.message}", True))
        except UnknownWordError as fault:
            doubts.append(Doubt(row, field.words, f"“{text[:40]}” {fault}", False))
            values.setdefault("unread", []).append(f"{field.words}: {text}")
    day = fields()["begun_at"].words
    if "begun_at" in values:
        if _begun_at(values, meant.zone) > meant.now + timedelta(days=1):
            doubts.append(Doubt(row, day, "is in the future. Use the date it was mixed.", True))
    elif all(doubt.column != day for doubt in doubts):
        doubts.append(Doubt(row, day, "is empty. Enter the mixing date.", True))
    return values, doubts


def _begun_at(values: Mapping[str, Any], zone: ZoneInfo) -> datetime:
    begun: datetime | date = values["begun_at"]
    if isinstance(begun, datetime):
        return begun if begun.tzinfo else begun.replace(tzinfo=zone)
    return datetime.combine(begun, values.get("time", time()), zone)


def _past_load(
    values: Mapping[str, Any], meant: Meant, numbers: dict[tuple[str, date], int], alike: Counter[str]
) -> LoadRow:
    """The load of a row. Without a number or a time, its place among those of its job and day stands for it.

    The same load has the same id, whatever file it is in and however that is meant: it is the first, second … of its
    job, mix and number that was begun at that moment.
    """
    begun, job = _begun_at(values, meant.zone), values.get("job", "")
    day_only = not isinstance(values["begun_at"], datetime) and "time" not in values
    of_day = numbers[(job, begun.date())] = numbers.get((job, begun.date()), 0) + 1
    begun += timedelta(seconds=of_day if day_only else 0)
    title, mix_name, number = job or "Earlier loads", values.get("mix_name", ""), values.get("number", of_day)
    told = json.dumps([title, begun.astimezone(UTC).isoformat(), number, mix_name])
    alike[told] += 1
    made_l = values.get("made_l") or values.get("placed_l") or values.get("planned_l") or 0.0
    figures = {name: values[name] for name in _FIGURES if name in values}
    return LoadRow(
        id=uuid5(NAMESPACE_URL, f"{meant.crew_id} {alike[told]} {told}"),
        mix_id=meant.mixes.get(mix_name.lower(), ""),
        title=title,
        number=number,
        mix_name=mix_name,
        begun_at=begun,
        day_only=day_only,
        begun_by=values.get("judged_by", ""),
        state="thrown-away" if values.get("discarded") else "done",
        note="\n".join([*filter(None, [values.get("note")]), *values.get("unread", [])]),
        **{**figures, "made_l": made_l},
    )


# What of a row is in its entry as it was read.
_FIGURES = (
    "planned_l", "water_l", "ratio", "binder_kg", "moisture_fraction", "placed_l", "given_l", "stored_l", "discarded",
    "reading", "judged_by", "result",
)  # fmt: skip
