"""How figures, days and words are set in pages: the filters of the templates."""

import re
import textwrap
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Any, NamedTuple

from jinja2 import pass_context
from jinja2.runtime import Context

from keeve.core.mixes.model import QUARTERS
from keeve.core.planning.vessel_loads import VesselError
from keeve.core.quantities import in_reader_units
from keeve.core.units import DISPLAY_UNITS, Kind, System, as_read, fixed, in_figures, kind_of_name, to_shown
from keeve.services.kept import Itself

_THIN_SPACE = "\u202f"


@pass_context
def quantity(context: Context, value: float, kind: Kind, decimals: int | None = None) -> str:
    """A kept figure with its unit, in the units of the reader."""
    read = as_read(value, kind, context["units"], decimals)
    return f"{read.figure}{_THIN_SPACE}{read.unit}"


class _Row(NamedTuple):
    """A line of a working: its words, and its figure or a table of heads with their cells."""

    head: str
    text: str = ""
    table: Sequence[tuple[str, Sequence[str]]] = ()


# Told beside the figures of a working, not among them.
_BESIDE_FIGURES = frozenset({"assumed", "warnings"})
# The table of a working shows no more things than that.
_MOST_COLUMNS = 6


@pass_context
def _working_rows(context: Context, figures: Mapping[str, Any]) -> list[_Row]:
    """The inputs or outputs of a rule, by name, as lines. Put together here: a page has hundreds of these figures."""
    units: System = context["units"]
    rows: list[_Row] = []
    for name, value in figures.items():
        words = _named(name)["words"]
        if name in _BESIDE_FIGURES or value is None:
            continue
        if isinstance(value, Mapping):
            rows += [
                _Row(f"{words}, {_words(part)}", _figure(one, name, units)) for part, one in value.items()
            ]
        elif isinstance(value, list | tuple) and value and isinstance(value[0], Mapping):
            rows.append(_Row(words, table=_table_of(value, units)))
        else:
            rows.append(_Row(words, _figure(value, name, units)))
    return rows


def _table_of(things: Sequence[Mapping[str, Any]], units: System) -> list[tuple[str, Sequence[str]]]:
    more = ["…"] if len(things) > _MOST_COLUMNS else []
    return [
        (
            _named(field)["words"],
            [
                "–" if item.get(field) is None else _figure(item[field], field, units)
                for item in things[:_MOST_COLUMNS]
            ]
            + more,
        )
        for field in things[0]
    ]


def _figure(value: Any, name: str, units: System) -> str:
    """A kept figure with its unit, in the reader's, by the name it has in a rule."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        return ", ".join(_figure(item, name, units) for item in value) or "none"
    if not isinstance(value, int | float):
        # A moment without its seconds and its zone.
        return str(value)[:16].replace("T", " ") if _MOMENT.match(str(value)) else str(value)
    if name.endswith("fraction"):
        return _short_percent(value)
    kind = kind_of_name(name)
    if kind is None or units == "metric":
        return f"{_short(value)} {_named(name)['unit']}".rstrip()
    return f"{_short(to_shown(value, kind, units))} {DISPLAY_UNITS[units][kind].unit}"


_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d")
_TONNE_KG = 1000.0


@pass_context
def _heap(context: Context, mass_kg: float) -> str:
    """A mass in few figures: from a tonne on in tonnes, where the reader has them."""
    if context["units"] == "metric" and mass_kg >= _TONNE_KG:
        return f"{fixed(mass_kg / _TONNE_KG, 1)}{_THIN_SPACE}t"
    return quantity(context, mass_kg, "mass", 0)


@pass_context
def _in_units(context: Context, text: str) -> str:
    """A sentence with its figures in the units of the reader."""
    return in_reader_units(text, context["units"])


@pass_context
def _unit(context: Context, kind: Kind) -> str:
    unit: str = DISPLAY_UNITS[context["units"]][kind].unit
    return unit


# What is left of a rounding is nothing.
_NOTHING = 1e-9


def _short(value: float) -> str:
    """A figure without needless decimals."""
    return f"{0.0 if abs(value) < _NOTHING else value:.4g}"


def slug(text: str) -> str:
    """A text as a name for a file or an id: small letters, figures and hyphens; may be empty."""
    kept = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in text.lower())
    return "-".join(filter(None, kept.split("-")))


def _sentence(text: str) -> str:
    """The text with a capital to begin with, the rest as it is."""
    return text[:1].upper() + text[1:]


@pass_context
def _shown(context: Context, value: float, kind: Kind) -> str:
    """A kept figure for an input, in the units of the reader."""
    units: System = context["units"]
    return in_figures(to_shown(value, kind, units), DISPLAY_UNITS[units][kind].decimals)


@pass_context
def _shown_list(context: Context, values: Iterable[float], kind: Kind) -> list[str]:
    """Kept figures for an input, in the units of the reader."""
    return [_shown(context, value, kind) for value in values]


def _percent(fraction: float, decimals: int = 0) -> str:
    """A fraction as percent."""
    return f"{fixed(fraction * 100, decimals)}{_THIN_SPACE}%"


def _short_percent(fraction: float) -> str:
    """A fraction as percent without needless decimals."""
    return f"{_short(fraction * 100)}{_THIN_SPACE}%"


# Errors smaller than that are not worth a word.
_NO_ERROR = 0.0005


def _bucket_error(error: VesselError) -> str:
    """What measuring in quarter buckets does to a load, in a sentence."""
    ratio, size = error.ratio_error_fraction, error.volume_error_fraction
    words = "ratio exact" if abs(ratio) < _NO_ERROR else f"ratio off by {_percent(abs(ratio), 1)}"
    if abs(size) >= _NO_ERROR:
        words += f", load {_percent(abs(size), 1)} {'larger' if size > 0 else 'smaller'}"
    return f"Measured in ¼ buckets: {words}."


def _grams(mass_g: float) -> str:
    """A mass in grams."""
    return f"{in_figures(mass_g)}{_THIN_SPACE}g"


def _hours(minutes: float) -> str:
    """Minutes, from two hours on as hours."""
    if minutes >= 120:
        return f"{_short(minutes / 60)}{_THIN_SPACE}h"
    return f"{_short(minutes)}{_THIN_SPACE}min"


def _count(number: float, one: str, several: str = "") -> str:
    """A number of things: 1 load, 2 loads, half a bag as ½ bag."""
    whole, part = int(number), number % 1
    is_finer = part and part not in QUARTERS
    figure = _short(number) if is_finer else f"{whole or ''}{QUARTERS.get(part, '')}" or "0"
    return f"{figure} {one if 0 < number <= 1 else several or one + 's'}"


def _in_lines(text: str, longest: int) -> list[str]:
    """The part of a sentence before its first comma, in lines of at most so many letters; no word is cut."""
    return textwrap.wrap(text.partition(",")[0], longest, break_long_words=False)


# The endings of field names, the longer before the shorter, and their units.
_ENDINGS: Mapping[str, str] = {
    "_kg_m3": "kg/m³", "_kg_l": "kg/L", "_m3_h": "m³/h", "_m3": "m³", "_m2": "m²", "_mm": "mm", "_m": "m",
    "_kg": "kg", "_t": "t", "_mpa": "MPa", "_kn": "kN", "_ml": "mL", "_l": "L", "_min": "min", "_c": "°C",
    "_fraction": "",
}  # fmt: skip


@lru_cache(maxsize=512)
def _named(name: str) -> dict[str, str]:
    """A field's name in words, and its unit."""
    for ending, unit in _ENDINGS.items():
        if name.endswith(ending):
            return {"words": _words(name.removesuffix(ending)), "unit": unit}
    return {"words": _words(name), "unit": ""}


def name_in_words(name: str) -> str:
    """The name of a field as a label, without its unit: ``mass_kg`` is Mass."""
    return _named(name)["words"].capitalize()


def _words(name: str) -> str:
    return name.replace("_", " ")


def _assumption(name: str, value: float) -> str:
    """A default that was taken, such as ``sand moisture 0.04``."""
    named = _named(name.removeprefix("materials.").replace(".", " "))
    return f"{named['words']} {_short(value)} {named['unit']}".rstrip()


@pass_context
def _clock(context: Context, moment: datetime) -> str:
    """The time of day in the zone of the crew."""
    return moment.astimezone(context["zone"]).time().isoformat("minutes")


@pass_context
def _clock_seconds(context: Context, moment: datetime) -> str:
    return moment.astimezone(context["zone"]).strftime("%H:%M:%S")


@pass_context
def _day(context: Context, moment: datetime) -> str:
    return moment.astimezone(context["zone"]).strftime("%a %d %b %Y")


@pass_context
def _iso_day(context: Context, moment: datetime) -> str:
    """The day of a moment as a field for days has it."""
    return moment.astimezone(context["zone"]).date().isoformat()


_DAYS_NAMED = 7
_DAYS_SAID: Mapping[int, str] = {0: "today", 1: "yesterday", -1: "tomorrow"}


@pass_context
def _near_day(context: Context, moment: datetime) -> str:
    """A day as one says it: today, yesterday, tomorrow, the day of the week where it is near, else the date."""
    now: datetime = context["request"].app.state.clock()
    return _day_said(moment.astimezone(context["zone"]).date(), now.astimezone(context["zone"]).date())


@lru_cache(maxsize=512)
def _day_said(day: date, today: date) -> str:
    days = (today - day).days
    if days in _DAYS_SAID:
        return _DAYS_SAID[days]
    if abs(days) < _DAYS_NAMED:
        return day.strftime("%A")
    return day.strftime("%d %b" if day.year == today.year else "%d %b %Y").lstrip("0")


# From so far off on an hour says more than is known.
_NEAR = timedelta(days=3)


@pass_context
def _is_near(context: Context, moment: datetime) -> bool:
    now: datetime = context["request"].app.state.clock()
    return abs(moment - now) < _NEAR


def _longer_span(length: timedelta) -> str:
    """Hours; from two days on days."""
    hours = length / timedelta(hours=1)
    return f"{hours / 24:.0f} days" if hours >= 48 else f"{max(hours, 1):.0f} h"


def _span(length: timedelta) -> str:
    """Hours and minutes."""
    minutes = max(round(length.total_seconds() / 60), 0)
    return f"{minutes // 60} h {minutes % 60} min" if minutes >= 60 else f"{minutes} min"


def _hours_and_minutes(minutes: float) -> str:
    return _span(timedelta(minutes=minutes))


def _epoch_ms(moment: datetime | None) -> str:
    """A moment for the page's scripts; empty for none."""
    return "" if moment is None else str(round(moment.timestamp() * 1000))


def _clock_of_day(minute: int) -> str:
    """A minute of the day as its clock shows it."""
    return f"{minute // 60:02d}:{minute % 60:02d}"


def _minutes(value: float) -> str:
    """Minutes and seconds, as on a stopwatch."""
    return f"{int(value)}:{round(value % 1 * 60):02d}"


FILTERS: Mapping[str, Any] = {
    "quantity": quantity,
    "heap": _heap,
    "working_rows": _working_rows,
    "in_units": _in_units,
    "unit_of": _unit,
    "decimal": fixed,
    "short": _short,
    "sentence": _sentence,
    "shown": _shown,
    "shown_list": _shown_list,
    "percent": _percent,
    "short_percent": _short_percent,
    "bucket_error": _bucket_error,
    "grams": _grams,
    "hours": _hours,
    "hours_and_minutes": _hours_and_minutes,
    "count": _count,
    "in_lines": _in_lines,
    "named": _named,
    "assumption": _assumption,
    "clock": _clock,
    "clock_of_day": _clock_of_day,
    "clock_seconds": _clock_seconds,
    "day": _day,
    "iso_day": _iso_day,
    "near_day": _near_day,
    "is_near": _is_near,
    "span": _span,
    "longer_span": _longer_span,
    "epoch_ms": _epoch_ms,
    "itself": Itself,
    "minutes": _minutes,
}
