"""The fields of a load's record: an entry put right or struck out, a test of the fresh mix."""

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.figures.refusals import in_readers_words
from keeve.screens.bench.form import FIELDS, read_figure
from keeve.web.fields import Number

# Tests of the fresh mix, by their names in the event.
FRESH: Mapping[str, Number] = {
    "slump_mm": Number("Slump", ("slump_mm",), "size"),
    "flow_mm": Number("Flow", ("flow_mm",), "size"),
    "air_fraction": Number("Air", ("air_fraction",), percent=True),
    "density_kg_m3": Number("Density", ("density_kg_m3",), "density"),
}
LOAD = Number("Breaking load", ("load_kn",), "force")
STRENGTH = Number("Strength", ("mpa",), "strength")
# Every figure of an entry that can be put right, by its name in the event.
FIGURES: Mapping[str, Number] = {
    **FIELDS,
    **FRESH,
    "minutes": Number("Minutes", ("minutes",)),
    "load_kn": LOAD,
    "mpa": STRENGTH,
}


def fixing_event(form: Mapping[str, str], amends: str, units: System) -> dict[str, Any]:
    """The event that puts an entry right, or strikes it out.

    Raises:
        InputError: no reason is given, or what was typed is no such number.
    """
    reason = form.get("reason", "").strip()
    if not reason:
        raise InputError("reason_missing", "Give a reason: what really happened, and who saw it.", ["reason"])
    if form.get("what") == "strike":
        return {"kind": "undone", "cancels": amends, "reason": reason}
    event = {"kind": "amended", "amends": amends, "reason": reason}
    field = FIGURES.get(form.get("figure", ""))
    if field is None:
        return event | {"reading": form.get("reading", "")}
    return event | {"value": read_figure(field, form.get("value", "").strip(), units)}


def fresh_events(form: Mapping[str, str], units: System) -> list[dict[str, Any]]:
    """The tests of the fresh mix that were typed, each as its event.

    Raises:
        InputError: nothing was typed, or no such number.
    """
    found = [
        {"kind": "fresh_tested", name: read_figure(field, text, units)}
        for name, field in FRESH.items()
        if (text := form.get(name, "").strip())
    ]
    if not found:
        raise InputError("test_missing", "Enter what you measured: slump, flow, air or density.", list(FRESH))
    return found


# The fields of a set of specimens.
SIZE = Number("Size", ("size_mm",), "size")
SPAN = Number("Span", ("span_mm",), "size")
_DAYS_LIKE = "7, 28, 28"
_LABELS = {
    "size_mm": "Size",
    "span_mm": "Span",
    "due_days": "Days",
    "mark": "Mark",
    "reason": "Reason",
    "shape": "Shape",
}
SHAPES: Mapping[str, str] = {"cube": "Cube", "cylinder": "Cylinder", "prism": "Prism (bending)"}


def specimens_event(form: Mapping[str, str], units: System) -> dict[str, Any]:
    """The event of specimens that were made.

    Raises:
        InputError: a size or the days are no such numbers.
    """
    event: dict[str, Any] = {
        "kind": "specimens_made",
        "shape": form.get("shape", ""),
        "size_mm": read_figure(SIZE, form.get("size", "").strip(), units),
        "due_days": _days(form.get("due", "")),
        "mark": form.get("mark", "").strip(),
    }
    if form.get("shape") == "prism":
        event["span_mm"] = read_figure(SPAN, form.get("span", "").strip(), units)
    return event


def _days(text: str) -> list[int]:
    days = [part for part in re.split(r"[\s,;]+", text.strip()) if part]
    if not days or not all(day.isascii() and day.isdigit() for day in days):
        message = f"Test ages: one number of days per specimen, such as {_DAYS_LIKE}."
        raise InputError("no_days", message, ["due"])
    return [int(day) for day in days]


def result_event(
    form: Mapping[str, str], made: str, number: int, at: datetime, units: System
) -> dict[str, Any]:
    """The event of the test of a specimen, or that it was not tested.

    Raises:
        InputError: no result is given, two are, or one is no such number.
    """
    event: dict[str, Any] = {"made": made, "number": number, "occurred_at": at.isoformat()}
    if form.get("what") == "lost":
        reason = form.get("reason", "").strip()
        if not reason:
            raise InputError("reason_missing", "Enter why it wasn't tested.", ["reason"])
        return event | {"kind": "specimen_lost", "reason": reason}
    given = {
        field.name: read_figure(field, text, units)
        for field in (LOAD, STRENGTH)
        if (text := form.get(field.name, "").strip())
    }
    if len(given) != 1:
        message = "Enter either the breaking load or the strength."
        raise InputError("no_result", message, [LOAD.name, STRENGTH.name])
    return event | {"kind": "specimen_tested", **given}


def refusal_in_words(fault: InputError, units: System) -> str:
    """A refusal in the words of the form, in the units of the reader."""
    return in_readers_words(fault, {name: field.label for name, field in FIGURES.items()} | _LABELS, units)
