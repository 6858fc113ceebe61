"""Quantities as people type and read them: decimal comma, fractions, feet and inches, units mixed in one field."""

import re
import unicodedata
from collections.abc import Mapping

from keeve.core.errors import InputError
from keeve.core.units import AMBIGUOUS, DISPLAY_UNITS, Kind, System, factor, to_kept, to_shown

# A number with a fraction behind it or a fraction alone, and what follows up to the next number.
_TERM = re.compile(
    r"(?:(\d+(?:[.,]\d*)?|[.,]\d+)(?:\s*[\s-]\s*(\d+)/(\d+))?(?!/)|(\d+)/(\d+))\s*([^\d.,/-]*)"
)
# The 2 or 3 of m2, ft3.
_POWER = re.compile(r"(?<=[a-z])[23]\b")
# What is written for a unit, beside its printed name.
_WRITTEN: Mapping[str, str] = {
    "'": "ft",
    "′": "ft",
    "’": "ft",
    "feet": "ft",
    "foot": "ft",
    '"': "in",
    "″": "in",
    "”": "in",
    "inch": "in",
    "inches": "in",
    "l": "L",
    "litre": "L",
    "litres": "L",
    "liter": "L",
    "liters": "L",
    "ml": "mL",
    "lbs": "lb",
    "us gal": "US gal",
    "us qt": "US qt",
    "us pt": "US pt",
    "us fl oz": "US fl oz",
    "c": "°C",
    "f": "°F",
}


def read_quantity(text: str, kind: Kind | None, system: System) -> float:
    """A quantity as it was typed, in the unit it is kept in.

    Args:
        text: such as ``3,5``, ``3 1/2 in``, ``10' 6"`` or ``1 m 20 cm``; without a unit it is in the reader's.
        kind: what it measures; None for a bare number.
        system: the reader's units.

    Raises:
        InputError: it is no such quantity, or its unit is of another kind or of no one size.
    """
    plain = _POWER.sub(lambda power: "²³"[power[0] == "3"], "".join(map(_spelled, text))).strip()
    negative = plain[:1] in ("-", "−")
    rest = plain[1:].strip() if negative else plain
    terms = list(_TERM.finditer(rest))
    if not terms or "".join(term.group(0) for term in terms) != rest:
        raise InputError("no_quantity", "must be a number, such as 3.5 or 3 1/2")
    total, before = 0.0, ""
    for term in terms:
        unit = _WRITTEN.get(term[6].strip().lower(), term[6].strip())
        if not unit and before:
            # 10' 6 is ten feet six inches; a bare number behind any other unit says nothing.
            if before != "ft":
                raise InputError("no_unit", f"must say the unit of {term.group(0).strip()}")
            unit = "in"
        if before == unit and len(terms) > 1:
            raise InputError("no_unit", "must name each unit once, such as 1 m 20 cm")
        total += _kept(_number(term), unit, kind, system)
        before = unit or "?"
    return -total if negative else total


def _spelled(sign: str) -> str:
    """A single-sign fraction such as ½ written out."""
    whole = unicodedata.normalize("NFKC", sign)
    return " " + whole.replace("\N{FRACTION SLASH}", "/") if "\N{FRACTION SLASH}" in whole else sign


def _number(term: re.Match[str]) -> float:
    whole = float((term[1] or "0").replace(",", "."))
    over, under = (term[2], term[3]) if term[2] else (term[4], term[5])
    if not over:
        return whole
    if int(under) == 0:
        raise InputError("no_quantity", "must be a number: nothing can be divided by 0")
    return whole + int(over) / int(under)


def _kept(number: float, unit: str, kind: Kind | None, system: System) -> float:
    if kind is None:
        if unit:
            raise InputError("no_quantity", "must be a number without a unit")
        return number
    if not unit:
        return to_kept(number, kind, system)
    if unit in AMBIGUOUS:
        raise InputError("ambiguous_unit", f"must say which {unit}: {AMBIGUOUS[unit]}")
    if kind == "temperature" and unit in ("°C", "°F"):
        return to_kept(number, kind, "us" if unit == "°F" else "metric")
    try:
        return number * factor(unit, DISPLAY_UNITS[system][kind].kept_in)
    except (InputError, TypeError) as fault:
        known = DISPLAY_UNITS[system][kind].unit
        raise InputError(
            "unknown_unit", f"cannot be in {unit}: use {known} or another unit of its kind"
        ) from fault


# Figures in a sentence, alone or two with one unit between which something lies.
_IN_TEXT = re.compile(
    r"(?<![\w.,:])(-?\d+(?:\.\d+)?)(?:( to | and |–)(-?\d+(?:\.\d+)?))?[ \u202f]?"
    r"(kg/m³|kg/m3|kg|mm|m³|m²|m|mL|L|°C|MPa)(?![\w/³²])"
)
_KINDS: Mapping[str, Kind] = {
    "kg/m³": "density", "kg/m3": "density", "kg": "mass", "mm": "size", "m³": "volume", "m²": "area",
    "m": "length", "mL": "admixture", "°C": "temperature", "MPa": "strength",
}  # fmt: skip
# Water in a mixer is read in quarts, a load in gallons: a litre more or less here decides. A judgement made here.
_LARGE_L = 20.0


def in_reader_units(text: str, system: System) -> str:
    """A sentence whose figures are in SI units, with its figures in the reader's.

    Args:
        text: such as ``12.5 mm is thinner than the mix allows (20 to 40 mm)``.
        system: the reader's units; metric leaves the sentence as it is.
    """
    return text if system == "metric" else _IN_TEXT.sub(lambda found: _restated(found, system), text)


def _restated(found: re.Match[str], system: System) -> str:
    one, between, other, unit = found.groups()
    kind = _KINDS.get(unit) or ("mixed_volume" if abs(float(other or one)) >= _LARGE_L else "water")
    shown_in = DISPLAY_UNITS[system][kind]
    figures = [
        f"{to_shown(float(figure), kind, system):.{shown_in.decimals}f}" for figure in (one, other) if figure
    ]
    return f"{(between or '').join(figures)} {shown_in.unit}"
