"""The columns of a crew's own history: what they can be, and what each likely is by its head."""

import re
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Literal, NamedTuple

from keeve.core.rules.registry import Strict
from keeve.core.rules.yaml_tables import read_table
from keeve.core.texts import Name
from keeve.core.units import Kind, System, units_of_kind

_TABLE = Path(__file__).parent / "imported_columns.yaml"

Order = Literal["year", "day", "month"]
What = Literal["day", "time", "text", "number", "quantity", "ratio", "share", "reading", "result"]


class Field(Strict):
    """Something a column can be.

    Args:
        words: its label.
        what: how its cells are read.
        heads: what it is called at the head of a column.
        kind: what a quantity measures.
        least: the least that a figure can be, as it is kept.
        most: the most.
        longest: the most signs of a text.
    """

    words: Name
    what: What
    heads: list[Name]
    kind: Kind | None = None
    least: float = 0.0
    most: float = 0.0
    longest: int = 120


@cache
def fields() -> Mapping[str, Field]:
    """Everything a column can be, by the name it has in the log."""
    raw = read_table(_TABLE)
    return {name: Field.model_validate(field) for name, field in raw.items()}


class Head(NamedTuple):
    """The head of a column: what it is called, in small letters, and the unit that stands with it."""

    words: str
    unit: str


# As in "Water (gal)", and as in "cement kg" or "water_added_l".
_IN_BRACKETS = re.compile(r"^(.*?)\s*[\[(]\s*([^\])]+?)\s*[\])]$")
_AT_END = re.compile(r"^(.*?)\s(kg|lbs?|l|ml|gal|qt|m3|m³|%|fraction)$")


def head_of(text: str) -> Head:
    """The head of a column, read."""
    plain = " ".join(text.replace("_", " ").split()).strip(" :.#").lower()
    found = _IN_BRACKETS.match(plain) or _AT_END.match(plain)
    return Head(found[1], found[2]) if found else Head(plain, "")


def guess_columns(heads: Sequence[str]) -> dict[int, str]:
    """The likely meaning of each column, by its head.

    Each field is taken once; a column that is nothing known is left out.
    """
    found: dict[int, str] = {}
    for column, text in enumerate(heads):
        words = head_of(text).words
        known = (name for name, field in fields().items() if words in (field.words.lower(), *field.heads))
        name = next(known, None)
        if name is not None and name not in found.values():
            found[column] = name
    return found


def guess_units(heads: Sequence[str], columns: Mapping[int, str]) -> dict[int, str]:
    """The unit of each column of figures as its head has it; of none that has no unit there."""
    return {
        column: known.get(unit.lower(), unit)
        for column, name in columns.items()
        if (known := {one.lower(): one for one in units_of(name)}) and (unit := head_of(heads[column]).unit)
    }


@cache
def units_of(name: str) -> tuple[str, ...]:
    """The units that a column of figures can be in; none of what has no unit."""
    field = fields()[name]
    if field.what == "share":
        return "%", "fraction"
    return units_of_kind(field.kind) if field.kind else ()


_IN_FIGURES = re.compile(r"^\s*(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})\b")


def guess_order(days: Sequence[str], system: System) -> Order:
    """In which order days are written in figures: as no other order could be, else as the reader's country does."""
    parts = [found.groups() for text in days if (found := _IN_FIGURES.match(text))]
    if parts and all(len(first) == 4 for first, _, _ in parts):
        return "year"
    if any(int(first) > 12 for first, _, _ in parts if len(first) < 4):
        return "day"
    if any(int(second) > 12 for first, second, _ in parts if len(first) < 4):
        return "month"
    return "month" if system == "us" else "day"
