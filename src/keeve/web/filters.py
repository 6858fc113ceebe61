"""How figures, days and words are set in pages: the filters of the templates."""

import textwrap
from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from typing import Any

from jinja2 import pass_context
from jinja2.runtime import Context

from keeve.core.mixes.model import QUARTERS, Use
from keeve.core.planning.extents import reach_of
from keeve.core.planning.vessel_loads import VesselError
from keeve.core.quantities import in_reader_units
from keeve.core.texts import capitalized
from keeve.core.tolerances import ROUNDING
from keeve.core.units import (
    DISPLAY_UNITS,
    Kind,
    System,
    as_read,
    factor,
    fixed,
    in_figures,
    to_shown,
    with_minus,
)
from keeve.figures.dates import write_clock, write_clock_of_day, write_date, write_day_in_year, write_days
from keeve.figures.labels import label, value_words
from keeve.figures.terms import USE_NAMES, in_terms, mix_name
from keeve.figures.working_rows import Row, assumed_words, figure, plain, working_rows

_THIN_SPACE = "\u202f"


@pass_context
def quantity(context: Context, value: float, kind: Kind, decimals: int | None = None) -> str:
    """A kept figure with its unit, in the units of the reader."""
    read = as_read(value, kind, context["units"], decimals)
    return f"{with_minus(read.figure)}{_THIN_SPACE}{read.unit}"


@pass_context
def _within(context: Context, within_kg: float, mass_kg: float) -> str:
    """How near to a mass it is weighed, in the places and the unit that the mass is shown in: at least the last one."""
    figure, unit = as_read(mass_kg, "mass", context["units"])
    decimals = len(figure.partition(".")[2])
    return fixed(max(within_kg * factor("kg", unit), 10**-decimals), decimals)


def _decimal(value: float, decimals: int = 1) -> str:
    return with_minus(fixed(value, decimals))


@pass_context
def _working_rows(context: Context, figures: Mapping[str, Any]) -> list[Row]:
    """The inputs or outputs of a rule as lines, in the units of the reader."""
    return working_rows(figures, context["units"])


@pass_context
def _assumed(context: Context, assumed: Mapping[str, Any], given: Mapping[str, Any]) -> str:
    """The assumptions of a rule, in words."""
    return assumed_words(assumed, given, context["units"])


@pass_context
def _cell(context: Context, value: Any, column: str) -> str:
    """A cell of a table of figures, by the name of its column."""
    if value is None:
        return ""
    if isinstance(value, datetime):
        return f"{_near_date(context, value)} {_clock(context, value)}"
    return figure(round(value, 3) if isinstance(value, float) else value, column, context["units"])


_TONNE_KG = 1000.0


@pass_context
def _heap(context: Context, mass_kg: float) -> str:
    """A mass in few figures: from a tonne on in tonnes, where the reader has them."""
    if context["units"] == "metric" and mass_kg >= _TONNE_KG:
        return f"{fixed(mass_kg / _TONNE_KG, 1)}{_THIN_SPACE}t"
    return quantity(context, mass_kg, "mass", 0)


@pass_context
def _in_units(context: Context, text: str) -> str:
    """A sentence of Keeve's own with its figures in the units of the reader, and his words of the trade."""
    return in_terms(in_reader_units(text, context["units"]), context["units"])


@pass_context
def _mix_term(context: Context, name: str) -> str:
    """The name of a mix in the reader's words of the trade."""
    return mix_name(name, context["units"])


@pass_context
def _uses(context: Context, uses: Iterable[Use]) -> str:
    """The uses of a mix, in the reader's words of the trade."""
    return in_terms(", ".join(USE_NAMES[use] for use in uses), context["units"])


@pass_context
def _unit(context: Context, kind: Kind) -> str:
    unit: str = DISPLAY_UNITS[context["units"]][kind].unit
    return unit


def _short(value: float) -> str:
    """A figure without needless decimals."""
    return f"{0.0 if abs(value) < ROUNDING else value:.4g}"


def slug(text: str) -> str:
    """A text as a name for a file or an id: small letters, figures and hyphens; may be empty."""
    kept = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in text.lower())
    return "-".join(filter(None, kept.split("-")))


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
    return f"{_decimal(fraction * 100, decimals)}{_THIN_SPACE}%"


def _short_percent(fraction: float) -> str:
    """A fraction as percent without needless decimals."""
    return f"{_short(fraction * 100)}{_THIN_SPACE}%"


# Errors smaller than that are not worth a word.
_NO_ERROR = 0.0005


def _bucket_error(error: VesselError) -> str:
    """The error of counting a load out, in a sentence."""
    ratio, size = error.ratio_error_fraction, error.volume_error_fraction
    words = "ratio exact" if abs(ratio) < _NO_ERROR else f"ratio off by {_percent(abs(ratio), 1)}"
    if abs(size) >= _NO_ERROR:
        words += f", load {_percent(abs(size), 1)} {'larger' if size > 0 else 'smaller'}"
    return f"Counted out: {words}."


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


def name_in_words(name: str) -> str:
    """The name of a figure as a label, without its unit: ``mass_kg`` is Weight."""
    return capitalized(label(name).words)


@pass_context
def _assumption(context: Context, name: str, value: float) -> str:
    """A default that was taken, such as ``sand moisture 4 %``."""
    *where, last = name.removeprefix("materials.").split(".")
    return f"{' '.join(where).replace('_', ' ')} {label(last).words} {figure(value, last, context['units'])}".lstrip()


@pass_context
def _clock(context: Context, moment: datetime) -> str:
    """The time of day in the zone of the crew."""
    return write_clock(moment, context["zone"], context["units"])


def _local_day(context: Context, moment: datetime | date) -> date:
    return moment.astimezone(context["zone"]).date() if isinstance(moment, datetime) else moment


@pass_context
def _day(context: Context, moment: datetime) -> str:
    """The day of a moment with its day of the week."""
    return write_date(_local_day(context, moment), context["units"], "yMMMEd")


@pass_context
def _date(context: Context, moment: datetime | date) -> str:
    """A day with its year, for tables and paper."""
    return write_date(_local_day(context, moment), context["units"])


@pass_context
def _written_day(context: Context, text: str) -> str:
    """A day of a field in the reader's words; empty for what is none."""
    try:
        return write_date(date.fromisoformat(text), context["units"])
    except ValueError:
        return ""


@pass_context
def _clock_in_words(context: Context, minute: int) -> str:
    """A minute of the day as the reader writes a time."""
    return write_clock_of_day(minute, context["units"])


@pass_context
def _iso_day(context: Context, moment: datetime) -> str:
    """The day of a moment as a field for days has it."""
    return _local_day(context, moment).isoformat()


_DAYS_NAMED = 7
_DAYS_SAID: Mapping[int, str] = {0: "today", 1: "yesterday", -1: "tomorrow"}


def _near_date(context: Context, moment: datetime) -> str:
    """A day without its year where that is this year."""
    now: datetime = context["asked_at"]
    return write_day_in_year(_local_day(context, moment), _local_day(context, now).year, context["units"])


@pass_context
def _near_day(context: Context, moment: datetime) -> str:
    """A day as one says it: today, yesterday, tomorrow, the day of the week where it is near, else the date."""
    now: datetime = context["asked_at"]
    day, today = _local_day(context, moment), _local_day(context, now)
    days = (today - day).days
    if days in _DAYS_SAID:
        return _DAYS_SAID[days]
    if abs(days) < _DAYS_NAMED:
        return write_date(day, context["units"], "EEEE")
    return write_day_in_year(day, today.year, context["units"])


# From so far off on an hour says more than is known.
_NEAR = timedelta(days=3)


@pass_context
def _is_near(context: Context, moment: datetime) -> bool:
    now: datetime = context["asked_at"]
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
    "reach_of": reach_of,
    "working_rows": _working_rows,
    "assumed": _assumed,
    "cell": _cell,
    "column_head": name_in_words,
    "value_words": value_words,
    "in_units": _in_units,
    "mix_term": _mix_term,
    "uses": _uses,
    "unit_of": _unit,
    "decimal": _decimal,
    "short": _short,
    "sentence": capitalized,
    "shown": _shown,
    "shown_list": _shown_list,
    "percent": _percent,
    "plain": plain,
    "short_percent": _short_percent,
    "bucket_error": _bucket_error,
    "grams": _grams,
    "within": _within,
    "hours": _hours,
    "hours_and_minutes": _hours_and_minutes,
    "count": _count,
    "in_lines": _in_lines,
    "named": label,
    "assumption": _assumption,
    "clock": _clock,
    "clock_of_day": _clock_of_day,
    "date": _date,
    "day": _day,
    "days": write_days,
    "written_day": _written_day,
    "clock_in_words": _clock_in_words,
    "iso_day": _iso_day,
    "near_day": _near_day,
    "is_near": _is_near,
    "span": _span,
    "longer_span": _longer_span,
    "epoch_ms": _epoch_ms,
    "minutes": _minutes,
}
