"""The fields of a load's record: an entry put right or struck out, a test of the fresh mix."""

from collections.abc import Mapping
from typing import Any

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.web.forms.bench_form import FIELDS
from keeve.web.forms.fields import Number

# Tests of the fresh mix, by their names in the event.
FRESH: Mapping[str, Number] = {
    "slump_mm": Number("Slump", ("slump_mm",), "size"),
    "flow_mm": Number("Flow", ("flow_mm",), "size"),
    "air_fraction": Number("Air", ("air_fraction",), percent=True),
    "density_kg_m3": Number("Density", ("density_kg_m3",), "density"),
}
# Every figure of an entry that can be put right, by its name in the event.
FIGURES: Mapping[str, Number] = {**FIELDS, **FRESH, "minutes": Number("Minutes", ("minutes",))}


def fixing_event(form: Mapping[str, str], amends: str, units: System) -> dict[str, Any]:
    """The event that puts an entry right, or strikes it out.

    Raises:
        InputError: no reason is given, or what was typed is no such number.
    """
    reason = form.get("reason", "").strip()
    if not reason:
        raise InputError(
            "reason_missing", "Say how you know: what was really done, and who saw it.", ["reason"]
        )
    if form.get("what") == "strike":
        return {"kind": "undone", "cancels": amends, "reason": reason}
    event = {"kind": "put_right", "amends": amends, "reason": reason}
    field = FIGURES.get(form.get("figure", ""))
    if field is None:
        return event | {"reading": form.get("reading", "")}
    return event | {"value": _read(field, form.get("value", ""), units)}


def fresh_events(form: Mapping[str, str], units: System) -> list[dict[str, Any]]:
    """The tests of the fresh mix that were typed, each as its event.

    Raises:
        InputError: nothing was typed, or no such number.
    """
    found = [
        {"kind": "fresh_tested", name: _read(field, text, units)}
        for name, field in FRESH.items()
        if (text := form.get(name, "").strip())
    ]
    if not found:
        raise InputError("test_missing", "Type what was measured: slump, flow, air or density.", list(FRESH))
    return found


def _read(field: Number, text: str, units: System) -> float:
    try:
        return field.read(text.strip(), units)
    except ValueError as fault:
        raise InputError("bad_input", str(fault), [field.name]) from None
