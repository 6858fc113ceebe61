"""The fields of the bench: what was typed beside a tap, into the event that it records."""

import re
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta, tzinfo
from typing import Any

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.figures.refusals import in_readers_words
from keeve.screens.bench.view import BenchView
from keeve.web.fields import Number, put

_CLOCK = re.compile(r"\d{1,2}:\d{2}$")
# Nobody tells of a load later than that.
_LONGEST_AGO_MIN = 12 * 60.0
# Every figure that is typed at the bench, by its name in the event.
FIELDS: Mapping[str, Number] = {
    item.name: item
    for item in (
        Number("Water", ("water_l",), "water", needed=True),
        Number("Weight", ("mass_kg",), "mass", needed=True),
        Number("Volume", ("volume_l",), "mixed_volume", needed=True),
        Number("Bucket", ("vessel_l",), "water", needed=True),
        Number("Seconds", ("seconds",), needed=True),
        Number("Mix", ("mix_c",), "temperature", needed=True),
        Number("Water temperature", ("water_c",), "temperature"),
    )
}


def counted_fields(view: BenchView) -> dict[str, Number]:
    """The fields that count a load again, by name: a material in its vessels or by weight, a multiple of a dose."""
    materials = [
        Number(
            counted.material.capitalize(),
            ("charged_kg", counted.material),
            None if counted.vessel_kg else "mass",
        )
        for counted in view.counted
    ]
    doses = [Number(dose.name.capitalize(), ("doses", dose.name)) for dose in view.doses_counted]
    return {item.name: item for item in (*materials, *doses)}


def typed_event(
    raw: Mapping[str, Any], bench: Callable[[], BenchView], units: System, zone: tzinfo
) -> dict[str, Any]:
    """The event of a tap with what was typed beside it, in kept units.

    Args:
        raw: the event; what was typed is under ``typed``, by name, in the units under ``units``.
        bench: the bench it was typed at; asked only where a count needs to know in which vessels it is.
        units: the reader's, where the tap does not say.
        zone: of the crew: a clock time is told in it.

    Raises:
        InputError: what was typed is no such number, or no time.
    """
    event = {name: value for name, value in raw.items() if name not in ("typed", "units", "when")}
    if raw.get("when"):
        event["occurred_at"] = _dated(raw.get("occurred_at"), raw["when"], zone).isoformat()
    typed = raw.get("typed", {})
    if not isinstance(typed, dict):
        raise InputError("bad_input", "typed must be an object with named fields.", ["typed"])
    system: System = raw["units"] if raw.get("units") in ("metric", "us") else units
    known, each_kg = dict(FIELDS), {}
    if not typed.keys() <= known.keys():
        view = bench()
        known |= counted_fields(view)
        each_kg = {f"charged_kg.{item.material}": item.vessel_kg for item in view.counted if item.vessel_kg}
    for name, text in typed.items():
        item, words = known.get(name), str(text).strip()
        if item is None:
            event[name] = text
        elif words or item.needed:
            put(event, item.path, read_figure(item, words, system) * each_kg.get(name, 1.0))
    return event


def _dated(tapped: Any, when: Any, zone: tzinfo) -> datetime:
    """The moment an act happened that was tapped later: so many minutes before, or at a clock time of the last day.

    Raises:
        InputError: it is no such time.
    """
    try:
        at = datetime.fromisoformat(tapped).astimezone(zone)
        if not _CLOCK.match(when):
            return at - timedelta(minutes=min(max(float(when), 0.0), _LONGEST_AGO_MIN))
        hours, minutes = map(int, when.split(":"))
        told = at.replace(hour=hours, minute=minutes, second=0, microsecond=0)
    except (TypeError, ValueError, OverflowError) as fault:
        raise InputError(
            "bad_time", "when must be minutes ago, or a time such as 14:05.", ["when"]
        ) from fault
    return told if told <= at else told - timedelta(days=1)


def read_figure(item: Number, text: str, units: System) -> float:
    """A typed figure in kept units.

    Raises:
        InputError: it is no such number.
    """
    try:
        return item.read(text, units)
    except ValueError as fault:
        raise InputError("bad_input", str(fault), [item.name]) from None


def refusal(fault: InputError, view: BenchView, units: System) -> dict[str, Any]:
    """A refusal in the words of the bench as plain values, with what was probably meant as the words of a tap."""
    known = {**FIELDS, **counted_fields(view)}
    message = in_readers_words(fault, {name: item.label for name, item in known.items()}, units)
    meant = next(iter((fault.meant or {}).items()), None)
    offer = known[meant[0]].shown(meant[1], units) if meant and meant[0] in known else ""
    answer = InputError(fault.code, message, fault.fields, fault.meant).as_json()
    return {**answer, "offer": f"I meant {offer}" if offer else ""}
