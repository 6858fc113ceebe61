"""Dates as a calendar that phones subscribe to (iCalendar, RFC 5545)."""

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from icalendar import Event

# How often a calendar should look for changes.
_LOOK_AGAIN = timedelta(hours=1)


class CalendarEntry(NamedTuple):
    """A date: an id that stays, what it is, more words, when; ``rings``: whether the phone tells at its beginning."""

    id: str
    summary: str
    description: str
    begins: datetime
    ends: datetime
    rings: bool


def calendar_text(name: str, entries: Iterable[CalendarEntry], link: str, now: datetime) -> bytes:
    """A calendar of these entries; times in UTC, so that it needs no table of zones.

    Args:
        name: what the phone calls it.
        entries: the dates.
        link: the page that every one of them leads to.
        now: the moment it was made.
    """
    # Read in only here: it takes longer than all the rest of this module, and a start need not wait for it.
    from icalendar import Calendar

    calendar = Calendar()
    for field, value in (("prodid", "-//Keeve//Keeve//EN"), ("version", "2.0"), ("method", "PUBLISH")):
        calendar.add(field, value)
    calendar.add("x-wr-calname", name)
    calendar.add("name", name)
    calendar.add("refresh-interval", _LOOK_AGAIN, parameters={"value": "DURATION"})
    for entry in entries:
        calendar.add_component(_event(entry, link, now))
    text: bytes = calendar.to_ical()
    return text


def _event(entry: CalendarEntry, link: str, now: datetime) -> "Event":
    from icalendar import Alarm, Event

    event = Event()
    event.add("uid", f"{entry.id}@keeve")
    event.add("dtstamp", now.astimezone(UTC))
    event.add("dtstart", entry.begins.astimezone(UTC).replace(microsecond=0))
    event.add("dtend", entry.ends.astimezone(UTC).replace(microsecond=0))
    event.add("summary", entry.summary)
    event.add("description", entry.description)
    event.add("url", link)
    event.add("transp", "TRANSPARENT")
    if entry.rings:
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", entry.summary)
        alarm.add("trigger", timedelta(0))
        event.add_component(alarm)
    return event
