"""Quantities as people type and read them: decimal comma, fractions, feet and inches, units mixed in one field."""

import re
import unicodedata
from collections.abc import Mapping, Sequence

from keeve.core.errors import InputError
from keeve.core.units import AMBIGUOUS, DISPLAY_UNITS, UNITS, Kind, System, as_read, factor, to_kept

# A number with a fraction behind it or a fraction alone, and what follows up to the next number.
_TERM = re.compile(
    r"(?:(\d+(?:[.,]\d*)?|[.,]\d+)(?:\s*[\s-]\s*(\d+)/(\d+))?(?!/)|(\d+)/(\d+))\s*((?:[^\d.,/-]|/(?=[^\d\s]))*)"
)
# What is written in other signs, and how it is read: 10'-6", two apostrophes, the dot of an abbreviation, ft^3.
_SIGNS: Sequence[tuple[re.Pattern[str], str]] = (
    (re.compile(r"(?:''|’’|′′)"), '"'),
    (re.compile(r"(?<=['’′])\s*[-–]\s*(?=\d)|(?<=ft)\s*[-–]\s*(?=\d)"), " "),
    (re.compile(r"(?<=[A-Za-z])\.(?!\d)"), ""),
    (re.compile(r"\^(?=[23]\b)"), ""),
    (re.compile(r"(?<=[A-Za-z])2\b"), "²"),
    (re.compile(r"(?<=[A-Za-z])3\b"), "³"),
)
# Three digits behind a comma are thousands to one reader and decimals to another; with a dot behind them, to nobody.
_THOUSANDS = re.compile(r"(?<![\d.,])[1-9]\d{0,2}(?:,\d{3})+(?:(\.\d+)|(?![\d,]))")
# What is written for a unit, beside its printed name, in small letters.
_WRITTEN: Mapping[str, str] = {
    written: unit
    for unit, every in {
        "ft": "'|′|’|feet|foot",
        "in": '"|″|”|inch|inches',
        "yd": "yard|yards",
        "m": "metre|metres|meter|meters",
        "L": "litre|litres|liter|liters",
        "kg": "kgs|kilo|kilos|kilogram|kilograms",
        "g": "gram|grams",
        "t": "tonne|tonnes|metric ton|metric tons",
        "lb": "lbs|pound|pounds",
        "oz": "ounce|ounces",
        "gal": "gallon|gallons|gals",
        "qt": "quart|quarts|qts",
        "pt": "pint|pints|pts",
        "fl oz": "floz|fluid ounce|fluid ounces",
        "cwt": "hundredweight|hundredweights",
        "ton": "tons",
        "ft²": "sf|sqft|sq ft|square foot|square feet",
        "m²": "sqm|sq m|square metre|square metres|square meter|square meters",
        "ft³": "cf|cuft|cu ft|cubic foot|cubic feet",
        "yd³": "cy|cuyd|cu yd|cubic yard|cubic yards",
        "m³": "cum|cu m|cubic metre|cubic metres|cubic meter|cubic meters",
        "in³": "cu in|cubic inch|cubic inches",
        "°C": "c|° c|deg c|degrees c|celsius",
        "°F": "f|° f|deg f|degrees f|fahrenheit",
        "°": "deg|degree|degrees",
    }.items()
    for written in every.split("|")
}
_PRINTED: Mapping[str, str] = {unit.lower(): unit for unit in (*UNITS, *AMBIGUOUS)}
# In what a volume is told, an ounce is a fluid ounce and a yard a cubic yard.
_OF_A_VOLUME: Mapping[str, str] = {"oz": "fl oz", "yd": "yd³"}
# No quantity is written longer; what is, would take ever longer to be read.
_LONGEST = 60
_VOLUMES: frozenset[Kind] = frozenset({"volume", "mixed_volume", "vessel", "water", "admixture"})


def read_quantity(text: str, kind: Kind | None, system: System) -> float:
    """A quantity as it was typed, in the unit it is kept in.

    Args:
        text: such as ``3,5``, ``3 1/2 in``, ``10' 6"`` or ``1 m 20 cm``; without a unit it is in the reader's.
        kind: what it measures; None for a bare number.
        system: the reader's units.

    Raises:
        InputError: it is no such quantity, or its unit is of another kind or of no one size.
    """
    squeezed = " ".join(text.split())
    if len(squeezed) > _LONGEST:
        raise InputError("no_quantity", "must be a number, such as 3.5 or 3 1/2")
    plain = "".join(map(_spelled, squeezed)).strip()
    for sign, read in _SIGNS:
        plain = sign.sub(read, plain)
    plain = _THOUSANDS.sub(lambda found: _thousands(found, system), plain)
    negative = plain[:1] in ("-", "−")
    rest = plain[1:].strip() if negative else plain
    terms = list(_TERM.finditer(rest))
    if not terms or "".join(term.group(0) for term in terms) != rest:
        raise InputError("no_quantity", "must be a number, such as 3.5 or 3 1/2")
    total, before = 0.0, ""
    for term in terms:
        unit = _unit(" ".join(term[6].split()), kind, system)
        if not unit and before:
            # 10' 6 is ten feet six inches; a bare number behind any other unit says nothing.
            if before != "ft":
                raise InputError("no_unit", f"needs a unit for {term.group(0).strip()}")
            unit = "in"
        if before == unit and len(terms) > 1:
            raise InputError("no_unit", "must use each unit once, such as 1 m 20 cm")
        total += _kept(_number(term), unit, kind, system)
        before = unit or "?"
    return -total if negative else total


def _thousands(found: re.Match[str], system: System) -> str:
    """A number with commas before three digits, as the reader means it."""
    if system == "metric" and not found[1] and found[0].count(",") == 1:
        whole, decimals = found[0].split(",")
        raise InputError(
            "no_quantity", f"could be read two ways. Type {whole}{decimals} or {whole}.{decimals}"
        )
    return found[0].replace(",", "")


def _unit(written: str, kind: Kind | None, system: System) -> str:
    """The printed name of a unit as it was written; as the reader's country has it where it is of no one size."""
    known = _WRITTEN.get(written.lower()) or _PRINTED.get(written.lower())
    if known is None and written.lower()[:3] in ("us ", "imp", "uk "):
        # US gallons, imp. gal, imperial quarts.
        country, _, rest = written.lower().partition(" ")
        country = "US" if country == "us" else "imp"
        known = f"{country} {_WRITTEN.get(rest, rest)}"
    unit = known or written
    if kind in _VOLUMES:
        unit = _OF_A_VOLUME.get(unit, unit)
    if unit == "°":
        unit = DISPLAY_UNITS[system]["temperature"].unit
    return f"US {unit}" if system == "us" and unit in AMBIGUOUS else unit


def _spelled(sign: str) -> str:
    """A single-sign fraction such as ½ written out."""
    if sign == "\N{FRACTION SLASH}":
        return "/"
    whole = unicodedata.normalize("NFKC", sign)
    return " " + whole.replace("\N{FRACTION SLASH}", "/") if "\N{FRACTION SLASH}" in whole else sign


def _number(term: re.Match[str]) -> float:
    whole = float((term[1] or "0").replace(",", "."))
    over, under = (term[2], term[3]) if term[2] else (term[4], term[5])
    if not over:
        return whole
    if int(under) == 0:
        raise InputError("no_quantity", "must be a number. Nothing can be divided by 0")
    return whole + int(over) / int(under)


def _kept(number: float, unit: str, kind: Kind | None, system: System) -> float:
    if kind is None:
        if unit:
            raise InputError("no_quantity", "must be a number without a unit")
        return number
    if not unit:
        return to_kept(number, kind, system)
    if unit in AMBIGUOUS:
        raise InputError("ambiguous_unit", f"isn't clear. Type {AMBIGUOUS[unit]}")
    if kind == "temperature" and unit in ("°C", "°F"):
        return to_kept(number, kind, "us" if unit == "°F" else "metric")
    try:
        return number * factor(unit, DISPLAY_UNITS[system][kind].stored_in)
    except (InputError, TypeError) as fault:
        known = DISPLAY_UNITS[system][kind].unit
        raise InputError("unknown_unit", f"can't be in {unit}. Use {known} or a similar unit") from fault


# Figures in a sentence, alone or two with one unit between which something lies.
_IN_TEXT = re.compile(
    r"(?<![\w.,:])(-?\d+(?:\.\d+)?)(?:( to | and |–)(-?\d+(?:\.\d+)?))?[ \u202f]?"
    r"(kg/m³|kg/m3|kg/L|kg|kN|mm|m³|m3|m²|mL|m|L|°C|MPa)(?![\w/³²])"
)
_KINDS: Mapping[str, Kind] = {
    "kg/m³": "density", "kg/m3": "density", "kg/L": "liquid_density", "kg": "mass", "mm": "size", "m³": "volume",
    "m3": "volume", "m²": "area",
    "m": "length", "mL": "admixture", "°C": "temperature", "MPa": "strength", "kN": "force",
}  # fmt: skip
# Litres are of water or of what a bucket holds where a sentence says so, else of what is mixed.
_LITRES: Sequence[tuple[re.Pattern[str], Kind]] = (
    (re.compile(r"\bwater\b", re.IGNORECASE), "water"),
    (re.compile(r"\bempty\b", re.IGNORECASE), "vessel"),
)
# Kilograms of cement in a cubic metre are told by the yard.
_CONTENT = re.compile(r"\bof cement\b")
_SENTENCE = re.compile(r"[^.!?]*(?:[.!?](?!\s|$)[^.!?]*)*[.!?]?\s*")


def in_reader_units(text: str, system: System) -> str:
    """A sentence whose figures are in SI units, with its figures in the reader's.

    Args:
        text: such as ``12.5 mm is thinner than the mix allows (20 to 40 mm)``.
        system: the reader's units; metric leaves the sentence as it is.
    """
    if system == "metric":
        return text
    return "".join(_in_units(sentence, system) for sentence in _SENTENCE.findall(text))


def _in_units(sentence: str, system: System) -> str:
    litres: Kind = next((kind for words, kind in _LITRES if words.search(sentence)), "mixed_volume")
    kinds = {**_KINDS, "L": litres} | ({"kg/m³": "content"} if _CONTENT.search(sentence) else {})
    return _IN_TEXT.sub(lambda found: _restated(found, system, kinds), sentence)


def _restated(found: re.Match[str], system: System, kinds: Mapping[str, Kind]) -> str:
    one, between, other, unit = found.groups()
    kind = kinds[unit]
    low, high = (as_read(float(figure), kind, system) for figure in (one, other or one))
    if not other:
        return str(low)
    # Two figures between which something lies have one unit, the greater one's.
    return f"{low.figure}{between}{high}" if low.unit == high.unit else f"{low}{between}{high}"
