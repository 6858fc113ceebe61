"""The form of a day: read into what is planned for it."""

import re
from collections.abc import Mapping
from typing import Any

from keeve.core.day_plan.day import PLAN_ID, DayPlan
from keeve.core.errors import InputError, validated
from keeve.core.units import System
from keeve.figures.refusals import in_readers_words
from keeve.web.fields import Number

MIXERS = (1, 2, 3, 4)
_ID = re.compile(PLAN_ID)
_CLOCK = re.compile(r"([01]?\d|2[0-3])[:.]([0-5]\d)")
_PLACING = Number("You place per hour", ("placing",), "volume")
_WHOLE: Mapping[str, Number] = {
    "hands": Number("People", ("hands",), whole=True),
    "mixing_hands": Number("People per mixer", ("mixing_hands",), whole=True),
    "placing_hands": Number("People placing", ("placing_hands",), whole=True),
}
_LOADS = Number("Loads today", ("loads",), whole=True)
_FIRST = Number("First load", ("first_load",), whole=True)
_LIFE = Number("Working time with retarder", ("life",))
_SAID = ("held_back", "indoors", "joints")


def typed_day(typed: Mapping[str, str], units: System) -> DayPlan:
    """The day as a form has it. A job whose removal is ticked is left out.

    Args:
        typed: the fields by name; those of a job end on its place in the list, as ``begins.0``.
        units: of the reader.

    Raises:
        InputError: something cannot be read; the fields are named as in the form.
    """
    wrong: dict[str, str] = {}

    def number(field: str, kind: Number) -> float | int | None:
        try:
            return kind.read(typed.get(field, ""), units)
        except ValueError as fault:
            wrong[field] = str(fault)
            return None

    day: dict[str, Any] = {name: number(name, kind) for name, kind in _WHOLE.items()}
    places = sorted(
        int(name.removeprefix("plan_id.")) for name in typed if re.fullmatch(r"plan_id\.\d{1,2}", name)
    )
    day["jobs"] = [
        {
            "plan_id": typed[f"plan_id.{place}"],
            "first_load": number(f"first_load.{place}", _FIRST),
            "loads": number(f"loads.{place}", _LOADS),
            "begins_min": _minute(typed, f"begins.{place}", wrong),
            "mixers": [mixer for mixer in MIXERS if f"mixer{mixer}.{place}" in typed],
            "placing_m3_h": number(f"placing.{place}", _PLACING),
            "life_min": number(f"life.{place}", _LIFE) if typed.get(f"life.{place}", "").strip() else None,
            **{name: f"{name}.{place}" in typed for name in _SAID},
        }
        for place in places
        if f"remove.{place}" not in typed
    ]
    if not all(_ID.fullmatch(job["plan_id"]) for job in day["jobs"]):
        raise InputError("no_job", "One of these jobs is gone. Remove it from the day.", ["jobs"])
    if wrong:
        raise InputError("not_read", " ".join(wrong.values()), list(wrong))
    if any(not job["mixers"] for job in day["jobs"]):
        raise InputError("no_mixer", "Mixers: tick one or more for each job.", ["mixers"])
    try:
        return validated(DayPlan, day)
    except InputError as fault:
        raise _in_words(fault, units) from None


# The fields as the form calls them.
_CALLED: Mapping[str, str] = {
    **{name: number.label for name, number in _WHOLE.items()},
    "placing_m3_h": _PLACING.label,
    "life_min": _LIFE.label,
    "first_load": _FIRST.label,
    "loads": _LOADS.label,
    "jobs": "Jobs",
}


def _in_words(fault: InputError, units: System) -> InputError:
    """A refusal by the labels of the form."""
    return InputError(fault.code, in_readers_words(fault, _CALLED, units), fault.fields)


def _minute(typed: Mapping[str, str], field: str, wrong: dict[str, str]) -> int | None:
    found = _CLOCK.fullmatch(typed.get(field, "").strip())
    if found is None:
        wrong[field] = "Start: enter a time, such as 7:30."
        return None
    return 60 * int(found[1]) + int(found[2])
