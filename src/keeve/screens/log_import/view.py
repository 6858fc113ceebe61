"""A table of a crew's own history before it is taken in: how it is meant, and what it comes to."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID
from zoneinfo import ZoneInfo

from keeve.core.log.imported import Doubt, History, Meant
from keeve.core.log.imported_columns import fields, guess_columns, guess_order, guess_units, units_of
from keeve.core.log.load_row import LoadRow
from keeve.core.mixes.model import Mix
from keeve.core.units import System

_SAMPLES, _SHOWN, _DOUBTS, _ROWS_NAMED = 3, 6, 60, 5
# Of more names each is taken as it is.
_MIXES = 40


class ColumnView(NamedTuple):
    """A column: its place, its head, the first of its cells, what it is, its unit, the units it can have."""

    place: int
    head: str
    samples: Sequence[str]
    name: str
    unit: str
    units: Sequence[str]


class MixView(NamedTuple):
    """A mix as the table calls it, and the one it is; empty for none that the crew has."""

    text: str
    mix_id: str


class DoubtLine(NamedTuple):
    """A doubt about some rows: the rows, their column, in a sentence why, whether they cannot be read for it."""

    rows: Sequence[int]
    column: str
    words: str
    is_refused: bool

    @property
    def which(self) -> str:
        """Which rows: one, or how many and the first of them."""
        if len(self.rows) == 1:
            return f"Row {self.rows[0]}"
        first = ", ".join(map(str, self.rows[:_ROWS_NAMED]))
        return f"{len(self.rows)} rows ({first}{' …' if len(self.rows) > _ROWS_NAMED else ''})"


@dataclass(frozen=True)
class Preview:
    """A table as it is meant, and what it comes to.

    Args:
        columns: its columns.
        order: in which order its days are written in figures.
        mixes: the mixes it names.
        known_mixes: the crew's mixes, by id.
        shown: the first of its loads.
        new: how many loads are not in the log yet.
        there: how many are.
        refused: how many rows cannot be read.
        doubts: the first of what is doubtful, what cannot be read before the rest.
        more_doubts: how much else is.
    """

    columns: Sequence[ColumnView]
    order: str
    mixes: Sequence[MixView]
    known_mixes: Mapping[str, str]
    shown: Sequence[LoadRow]
    new: int
    there: int
    refused: int
    doubts: Sequence[DoubtLine]
    more_doubts: int


def _together(doubts: Sequence[Doubt]) -> list[DoubtLine]:
    """The doubts, those of rows for which they are the same together; those that keep a row out before the rest."""
    rows: dict[tuple[bool, str, str], list[int]] = {}
    for doubt in doubts:
        rows.setdefault((not doubt.is_refused, doubt.column, doubt.words), []).append(doubt.row)
    found = [DoubtLine(own, column, words, not is_read) for (is_read, column, words), own in rows.items()]
    return sorted(found, key=lambda line: not line.is_refused)


def meant_of(
    table: Sequence[Sequence[str]],
    said: Mapping[str, Any],
    mixes: Mapping[str, Mix],
    units: System,
    zone: ZoneInfo,
    now: datetime,
    crew_id: UUID,
) -> Meant:
    """How a table is meant: as it was said, else as it likely is.

    Args:
        table: its rows, the heads first.
        said: what was said of it so far; empty before.
        mixes: the crew's mixes by id.
        units: the reader's.
        zone: the crew's.
        now: the moment.
        crew_id: whose history it is.
    """
    heads = table[0]
    columns = {int(place): name for place, name in said.get("columns", {}).items()} or guess_columns(heads)
    column_units = (
        {int(place): unit for place, unit in said.get("units", {}).items()}
        if said
        else guess_units(heads, columns)
    )
    days = next((place for place, name in columns.items() if name == "begun_at"), None)
    written = [] if days is None else [row[days] for row in table[1:]]
    known = {mix.name.lower(): mix_id for mix_id, mix in mixes.items()}
    return Meant(
        columns=columns,
        units=column_units,
        order=said.get("order") or guess_order(written, units),
        system=units,
        zone=zone,
        mixes=known | said.get("mixes", {}),
        now=now,
        crew_id=crew_id,
    )


def meant_by(form: Mapping[str, str], width: int) -> dict[str, Any]:
    """How a table is meant, as a form says it; of a field that two columns are said to be, the first is it."""
    columns: dict[str, str] = {}
    for place in range(width):
        name = form.get(f"column.{place}", "")
        if name in fields() and name not in columns.values():
            columns[str(place)] = name
    units = {place: unit for place in columns if (unit := form.get(f"unit.{place}", "")[:20])}
    order = form.get("order", "")
    mixes = {
        text.lower()[:120]: form.get(f"mix.{number}.is", "")[:80]
        for number in range(_MIXES)
        if (text := form.get(f"mix.{number}", ""))
    }
    return {
        "columns": columns,
        "units": units,
        "order": order if order in ("year", "day", "month") else "",
        "mixes": mixes,
    }


def preview(
    table: Sequence[Sequence[str]], meant: Meant, history: History, mixes: Mapping[str, Mix], new: int
) -> Preview:
    """The preview of a table.

    Args:
        table: its rows, the heads first.
        meant: how it is meant.
        history: what it is read as.
        mixes: the crew's mixes by id.
        new: how many of its loads are not in the log yet.
    """
    heads, rows = table[0], table[1:]
    named = dict.fromkeys(load.mix_name for load in history.loads if load.mix_name)
    doubts = _together(history.doubts)
    return Preview(
        columns=[
            ColumnView(
                place,
                head,
                [row[place] for row in rows[:_SAMPLES]],
                name := meant.columns.get(place, ""),
                meant.units.get(place, ""),
                units_of(name) if name else (),
            )
            for place, head in enumerate(heads)
        ],
        order=meant.order,
        mixes=[MixView(text, meant.mixes.get(text.lower(), "")) for text in list(named)[:_MIXES]],
        known_mixes={mix_id: mix.name for mix_id, mix in mixes.items()},
        shown=history.loads[:_SHOWN],
        new=new,
        there=len(history.loads) - new,
        refused=history.refused,
        doubts=doubts[:_DOUBTS],
        more_doubts=max(len(doubts) - _DOUBTS, 0),
    )
