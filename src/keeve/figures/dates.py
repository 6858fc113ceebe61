"""Days, times and spans as a reader writes them: British with metric units, American with US units."""

from collections.abc import Mapping
from datetime import date, datetime
from functools import cache
from typing import Literal
from zoneinfo import ZoneInfo

from babel import Locale
from babel.dates import format_date, format_skeleton, format_time

from keeve.core.units import System

LOCALES: Mapping[System, Locale] = {"metric": Locale("en", "GB"), "us": Locale("en", "US")}
# The parts of a date that are written; Babel puts them in the reader's order.
Parts = Literal["MMMd", "yMMMd", "yMMMEd", "EEEE"]


@cache
def write_date(day: date, units: System, parts: Parts = "yMMMd") -> str:
    """Write a day: 4 May 2026, or May 4, 2026."""
    if parts == "EEEE":
        return format_date(day, "EEEE", locale=LOCALES[units])
    return format_skeleton(parts, datetime(day.year, day.month, day.day), locale=LOCALES[units])


def write_clock(moment: datetime, zone: ZoneInfo, units: System) -> str:
    """Write a time of day in a zone: 14:05, or 2:05 PM."""
    local = moment.astimezone(zone)
    return _clock(local.hour, local.minute, units)


@cache
def _clock(hour: int, minute: int, units: System) -> str:
    return format_time(datetime(2000, 1, 1, hour, minute), "short", locale=LOCALES[units])


def write_clock_of_day(minute: int, units: System) -> str:
    """Write a minute of the day as its clock shows it."""
    return _clock(minute // 60, minute % 60, units)


def write_day_in_year(day: date, year: int, units: System) -> str:
    """Write a day without its year where that is ``year``."""
    return write_date(day, units, "MMMd" if day.year == year else "yMMMd")


_HALVES = {0.0: "", 0.5: "½"}


def write_days(days: float) -> str:
    """Write a span of days to the nearest half: ½ day, 1 day, 2½ days."""
    halves = max(round(days * 2), 1) / 2
    whole, part = int(halves), halves % 1
    return f"{whole or ''}{_HALVES[part]}\u00a0{'day' if halves <= 1 else 'days'}"
