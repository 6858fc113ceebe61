"""The figures that went into a rule and came out of it, as lines to read: in the reader's units, the material first."""

import re
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from keeve.core.quantities import in_reader_units
from keeve.core.texts import capitalized
from keeve.core.tolerances import ROUNDING
from keeve.core.units import DISPLAY_UNITS, System, in_figures, to_shown, with_minus
from keeve.figures.dates import write_clock_of_day, write_date
from keeve.figures.labels import BY_MATERIAL, kind_of, label, value_words


class Row(NamedTuple):
    """A line of a working: its words, and its figure or a table of heads with their cells."""

    head: str
    text: str = ""
    table: Sequence[tuple[str, Sequence[str]]] = ()


# Said beside the figures of a working, not among them.
_BESIDE_FIGURES = frozenset({"assumed", "warnings"})
# The table of a working shows no more things than that.
_MOST_COLUMNS = 6
_THIN_SPACE = "\u202f"
_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d")


def working_rows(figures: Mapping[str, Any], units: System) -> list[Row]:
    """The inputs or outputs of a rule, by name, as lines."""
    rows: list[Row] = []
    for name, value in figures.items():
        if name in _BESIDE_FIGURES or value is None:
            continue
        if name == "masses_kg" and isinstance(value, Mapping):
            rows += _damp_and_dry(value, figures.get("dry_kg", {}), units)
        elif isinstance(value, Mapping):
            if name != "dry_kg" or "masses_kg" not in figures:
                rows += [
                    Row(capitalized(label(part).words), figure(one, part, units))
                    if name not in BY_MATERIAL and kind_of(part)
                    else Row(_head(name, part), figure(one, name, units))
                    for part, one in value.items()
                ]
        elif isinstance(value, list | tuple) and value and isinstance(value[0], Mapping):
            rows.append(Row(capitalized(label(name).words), table=_table_of(value, units)))
        else:
            rows.append(Row(capitalized(label(name).words), figure(value, name, units)))
    return [row._replace(head=in_reader_units(row.head, units)) for row in rows]


def _head(name: str, part: str) -> str:
    words, part = label(name).words, part.replace("_", " ")
    if name in BY_MATERIAL:
        return capitalized(f"{part}, {words}" if words != "buy" else part)
    return capitalized(f"{words}, {part}")


def _damp_and_dry(
    masses_kg: Mapping[str, float], dry_kg: Mapping[str, float], units: System
) -> Iterator[Row]:
    """The weight of each material; of a damp one also how much of it is dry."""
    for part, mass_kg in masses_kg.items():
        name, weighed = capitalized(part.replace("_", " ")), figure(mass_kg, "masses_kg", units)
        dry = figure(dry_kg.get(part, mass_kg), "dry_kg", units)
        if weighed == dry:
            yield Row(name, weighed)
        else:
            yield Row(f"{name}, damp", weighed)
            yield Row(f"{name}, dry", dry)


def _table_of(things: Sequence[Mapping[str, Any]], units: System) -> list[tuple[str, Sequence[str]]]:
    more = ["…"] if len(things) > _MOST_COLUMNS else []
    return [
        (
            capitalized(label(field).words),
            [
                "–" if item.get(field) is None else figure(item[field], field, units)
                for item in things[:_MOST_COLUMNS]
            ]
            + more,
        )
        for field in things[0]
    ]


def figure(value: Any, name: str, units: System) -> str:
    """A figure with its unit, in the reader's, by the name it has in a rule."""
    if isinstance(value, bool):
        return value_words(str(value).lower())
    if isinstance(value, Mapping):
        return ", ".join(
            figure(one, f"amount_{part}", units) if part in ("kg", "t") else f"{one} {part}"
            for part, one in value.items()
            # A tonne is no ton: what is told in kilograms too is told in pounds.
            if one is not None and not (part == "t" and units == "us")
        )
    if isinstance(value, list | tuple):
        return ", ".join(figure(item, name, units) for item in value) or "none"
    if not isinstance(value, int | float):
        return _moment(str(value), units) if _MOMENT.match(str(value)) else value_words(value)
    if name.endswith("fraction") or name in ("strength_ratio", "batch_tolerance"):
        return f"{plain(value * 100)}{_THIN_SPACE}%"
    kind = kind_of(name)
    if kind is None or units == "metric":
        return f"{plain(value)} {label(name).unit}".rstrip()
    return f"{plain(to_shown(value, kind, units))} {DISPLAY_UNITS[units][kind].unit}"


def _moment(text: str, units: System) -> str:
    moment = datetime.fromisoformat(text)
    return f"{write_date(moment.date(), units)} {write_clock_of_day(moment.hour * 60 + moment.minute, units)}"


def plain(value: float) -> str:
    """A number to four figures, its thousands apart from ten thousand on; never with an exponent."""
    if abs(value) < ROUNDING:
        return "0"
    if abs(value) >= 1000:
        text = f"{value:,.0f}".replace(",", _THIN_SPACE if abs(value) >= 10_000 else "")
    else:
        text = f"{value:.4g}" if abs(value) >= 1e-4 else in_figures(value)
    return with_minus(text)


def assumed_words(assumed: Mapping[str, Any], given: Mapping[str, Any], units: System) -> str:
    """Assumptions, the figures of one material together: ``cement moisture 0 %, bulking 0 %; sand …``."""
    groups: dict[str, list[str]] = {}
    for path, value in assumed.items():
        *where, name = path.split(".")
        groups.setdefault(_named_in(given, where), []).append(
            f"{label(name).words} {figure(value, name, units)}"
        )
    return "; ".join(f"{part} {', '.join(found)}".lstrip() for part, found in groups.items())


def _named_in(given: Any, path: Sequence[str]) -> str:
    """The name of the member at a path, such as the material of a component; empty at the top."""
    found = given
    for step in path:
        found = found[int(step)] if isinstance(found, list) else found.get(step, {})
    if not path:
        return ""
    return (
        str(found["name"]) if isinstance(found, Mapping) and "name" in found else path[-1].replace("_", " ")
    )
