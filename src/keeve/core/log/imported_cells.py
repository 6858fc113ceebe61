"""The cells of a crew's own history: days, times, figures and words as people write them."""

import re
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time
from functools import lru_cache
from typing import Any

from keeve.core.errors import InputError
from keeve.core.loads.event import Result
from keeve.core.log.imported_columns import Field, Order
from keeve.core.mixes.model import READING_NAMES, Reading
from keeve.core.quantities import read_quantity
from keeve.core.texts import written
from keeve.core.units import Kind, System


class UnknownWordError(ValueError):
    """A word that says nothing to the log, though it is none the worse for it."""


def read_cell(field: Field, text: str, unit: str, order: Order, system: System) -> Any:
    """The value of a cell.

    Args:
        field: what its column is.
        text: what is in it.
        unit: the unit at the head of its column; empty where none is.
        order: in which order a day is written in figures.
        system: the units of a figure that has none.

    Raises:
        InputError: it cannot be read as that.
        UnknownWordError: it is a word that the log does not know.
    """
    match field.what:
        case "day":
            return _day(text, order)
        case "time":
            return _time(text)
        case "text":
            return written(text, field.longest)
        case "number":
            return _number(text)
        case "reading":
            return _reading(text)
        case "result":
            return _result(text)
        case _:
            return _figure(field.what, field.kind, (field.least, field.most), text, unit.lower(), system)


# As days are written with a name for the month, and in figures by their order.
_NAMED_DAYS = (
    "%d %b %Y",
    "%d %B %Y",
    "%b %d %Y",
    "%B %d %Y",
    "%d %b %y",
    "%d %B %y",
    "%a %d %b %Y",
    "%A %d %B %Y",
)
_FIGURE_DAYS: Mapping[Order, Sequence[str]] = {
    "year": ("%Y %m %d",),
    "day": ("%Y %m %d", "%d %m %Y", "%d %m %y"),
    "month": ("%Y %m %d", "%m %d %Y", "%m %d %y"),
}
_BETWEEN = re.compile(r"[\s,./-]+")
_CLOCK_AT_END = re.compile(r"^(.*?\d{2,4})[T\s,]+(\d{1,2}[:.h]\d{2}.*|\d{1,2}\s*[ap]\.?m\.?)$", re.IGNORECASE)
_CLOCKS = ("%H:%M", "%H:%M:%S", "%I:%M%p", "%I%p", "%I:%M:%S%p")


# A load that was mixed earlier, or later, was typed wrongly.
_YEARS = (1970, 2100)


@lru_cache(maxsize=4096)
def _day(text: str, order: Order) -> datetime | date:
    """A day, or a day with its time where that stands with it; with its zone where that does too."""
    found = _in_full(text) or _as_written(text, order)
    if found is None or not _YEARS[0] <= found.year <= _YEARS[1]:
        raise InputError("no_date", "is not a date. Use 2026-03-14 or 14 Mar 2026.")
    return found


def _in_full(text: str) -> datetime | None:
    """A moment as ISO 8601 has it, with a T or a zone."""
    if "T" not in text and not re.search(r"\d[+-]\d\d:?\d\d$", text):
        return None
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return None


def _as_written(text: str, order: Order) -> datetime | date | None:
    split = _CLOCK_AT_END.match(text)
    plain = _BETWEEN.sub(" ", split[1] if split else text).strip()
    for pattern in (*_FIGURE_DAYS[order], *_NAMED_DAYS):
        try:
            day = datetime.strptime(plain, pattern).replace(tzinfo=UTC).date()
        except ValueError:
            continue
        return datetime.combine(day, _time(split[2])) if split else day
    return None


@lru_cache(maxsize=4096)
def _time(text: str) -> time:
    plain = re.sub(r"(?<=\d)[.h](?=\d)", ":", text.strip().lower().replace(" ", ""))
    plain = plain.replace("a.m.", "am").replace("p.m.", "pm").split(":000")[0]
    for pattern in _CLOCKS:
        try:
            return datetime.strptime(plain, pattern).replace(tzinfo=UTC).time()
        except ValueError:
            continue
    raise InputError("no_time", "is not a time. Use 14:05 or 2:05 pm.")


def _number(text: str) -> int:
    found = re.search(r"\d+", text.removesuffix(".0"))
    if found is None or len(found[0]) > 6:
        raise InputError("no_number", "is not a load number. Use 12.")
    return int(found[0])


# By their names and by their ids.
_READINGS: Mapping[str, Reading] = {
    **{words.lower(): reading for reading, words in READING_NAMES.items()},
    **{reading: reading for reading in READING_NAMES},
}


def _reading(text: str) -> Reading:
    found = _READINGS.get(text.lower())
    if found is None:
        raise UnknownWordError(
            f"is not a known reading ({', '.join(READING_NAMES.values())}): kept as a note."
        )
    return found


_RESULTS: Mapping[str, Result] = {
    "good": "good", "well": "good", "came out well": "good", "ok": "good",
    "usable": "usable", "fair": "usable",
    "poor": "poor", "bad": "poor", "failed": "poor",
}  # fmt: skip


def _result(text: str) -> Result:
    found = _RESULTS.get(text.lower())
    if found is None:
        raise UnknownWordError("is not a known result (good, usable, poor). Kept as a note.")
    return found


# Cells say the same over and over.
@lru_cache(maxsize=65_536)
def _figure(
    what: str, kind: Kind | None, span: tuple[float, float], text: str, unit: str, system: System
) -> float:
    if what == "share":
        # As a rule in percent; what the log writes itself is a fraction, and its head says so.
        bare = read_quantity(text.replace("%", ""), None, system)
        found = bare if unit == "fraction" and "%" not in text else bare / 100
    else:
        has_unit = not unit or re.search(r"[^\W\d_]", text) is not None
        found = read_quantity(text if has_unit else f"{text} {unit}", kind, system)
    if not span[0] <= found <= span[1]:
        raise InputError("out_of_range", "looks wrong. Check the figure and its unit.")
    return found
