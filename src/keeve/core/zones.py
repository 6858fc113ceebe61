"""Time zones: their names, and where each one's town lies.

Times are kept in UTC and shown in the zone of the crew. Names and places come from the ``tzdata`` package (the time
zone database, public domain), so that they are the same on every machine.
"""

import re
from collections.abc import Mapping
from datetime import UTC, datetime
from functools import cache
from importlib.resources import files
from typing import Annotated, NamedTuple
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, AwareDatetime, Field

from keeve.core.errors import InputError

# What is told of work is of this century: another time is a slip, and some cannot be shown in every zone.
CENTURY = (datetime(2000, 1, 1, tzinfo=UTC), datetime(2100, 1, 1, tzinfo=UTC))


def _of_this_century(moment: datetime) -> datetime:
    if not CENTURY[0] <= moment < CENTURY[1]:
        raise ValueError("must be a time of this century, such as 2026-05-04T14:05:00Z")
    return moment


Occurred = Annotated[AwareDatetime, AfterValidator(_of_this_century), Field(strict=False)]


class MapPlace(NamedTuple):
    """A place on the map, degrees; north and east are positive."""

    latitude_deg: float
    longitude_deg: float


UTC_ZONE = "UTC"
_GREENWICH = MapPlace(51.4769, 0.0)
# Degrees and minutes, perhaps seconds: of latitude in two figures of degrees, of longitude in three.
_DEGREES = re.compile(r"([+-])(\d{2})(\d{2})(\d{2})?([+-])(\d{3})(\d{2})(\d{2})?")


@cache
def zones() -> Mapping[str, MapPlace]:
    """Every zone that has a town, with where that lies, by name; UTC first, at Greenwich."""
    table = files("tzdata").joinpath("zoneinfo", "zone.tab").read_text()
    rows = (line.split("\t") for line in table.splitlines() if line and not line.startswith("#"))
    found = {row[2]: _place(row[1]) for row in rows}
    return {UTC_ZONE: _GREENWICH, **dict(sorted(found.items()))}


def zone_named(name: str) -> ZoneInfo:
    """The zone of that name.

    Raises:
        InputError: there is none.
    """
    if name not in zones():
        raise InputError("unknown_zone", "Choose the time zone from the list.", ["zone"])
    return ZoneInfo(name)


def _place(text: str) -> MapPlace:
    read = _DEGREES.fullmatch(text)
    if read is None:
        raise ValueError(f"{text!r} is no place in zone.tab")
    north, south = read.groups()[:4], read.groups()[4:]
    return MapPlace(*(_degrees(*each) for each in (north, south)))


def _degrees(sign: str, degrees: str, minutes: str, seconds: str | None) -> float:
    size = int(degrees) + int(minutes) / 60 + int(seconds or 0) / 3600
    return -size if sign == "-" else size
