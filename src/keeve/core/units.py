"""Trade units at the edges: SI inside, metric or US outside, imperial kept apart from both.

Every factor is exact by definition (the yard and pound of 1959, the US gallon of 231 cubic inches, the imperial one of
4.54609 L, standard gravity); the tests hold them against Pint.
"""

import math
from collections.abc import Mapping, Sequence
from fractions import Fraction
from functools import cache, lru_cache
from typing import Literal, NamedTuple

from keeve.core.errors import InputError

System = Literal["metric", "us"]
Kind = Literal[
    "length",
    "thickness",
    "area",
    "size",
    "volume",
    "mixed_volume",
    "vessel",
    "water",
    "mass",
    "bag",
    "admixture",
    "density",
    "liquid_density",
    "content",
    "strength",
    "force",
    "temperature",
]

# Each of these is one country's or another's; a person has to say which.
AMBIGUOUS: Mapping[str, str] = {
    "gallon": "US gallon or imperial gallon",
    "gal": "US gal or imp gal",
    "quart": "US quart or imperial quart",
    "qt": "US qt or imp qt",
    "pint": "US pint or imperial pint",
    "pt": "US pt or imp pt",
    "fluid ounce": "US fluid ounce or imperial fluid ounce",
    "fl oz": "US fl oz or imp fl oz",
    "hundredweight": "US hundredweight or imperial hundredweight",
    "cwt": "US cwt or imp cwt",
    "ton": "US ton, imperial ton or tonne",
}

_INCH_M, _POUND_KG, _GRAVITY = Fraction("0.0254"), Fraction("0.45359237"), Fraction("9.80665")
_FOOT_M, _YARD_M = 12 * _INCH_M, 36 * _INCH_M
_US_GALLON_M3, _IMPERIAL_GALLON_M3 = 231 * _INCH_M**3, Fraction("0.00454609")
_THOUSANDTH = Fraction(1, 1000)
# What one of each unit is in the units of the SI, by the unit's name as it is printed; units of a line are alike.
_ALIKE: Sequence[Mapping[str, Fraction]] = (
    {"m": Fraction(1), "cm": Fraction(1, 100), "mm": _THOUSANDTH, "ft": _FOOT_M, "in": _INCH_M, "yd": _YARD_M},
    {"m²": Fraction(1), "ft²": _FOOT_M**2},
    # The commonest first, as they are offered.
    {
        "L": _THOUSANDTH, "mL": _THOUSANDTH**2, "m³": Fraction(1),
        "US gal": _US_GALLON_M3, "US qt": _US_GALLON_M3 / 4, "US pt": _US_GALLON_M3 / 8,
        "US fl oz": _US_GALLON_M3 / 128,
        "imp gal": _IMPERIAL_GALLON_M3, "imp qt": _IMPERIAL_GALLON_M3 / 4, "imp pt": _IMPERIAL_GALLON_M3 / 8,
        "imp fl oz": _IMPERIAL_GALLON_M3 / 160,
        "ft³": _FOOT_M**3, "in³": _INCH_M**3, "yd³": _YARD_M**3,
    },
    {
        "kg": Fraction(1), "g": _THOUSANDTH, "t": Fraction(1000), "lb": _POUND_KG, "oz": _POUND_KG / 16,
        "US cwt": 100 * _POUND_KG, "imp cwt": 112 * _POUND_KG, "US ton": 2000 * _POUND_KG,
        "imp ton": 2240 * _POUND_KG,
    },
    {"kg/m³": Fraction(1), "lb/ft³": _POUND_KG / _FOOT_M**3, "lb/yd³": _POUND_KG / _YARD_M**3,
     "kg/L": Fraction(1000), "lb/US gal": _POUND_KG / _US_GALLON_M3},
    {"MPa": Fraction(10**6), "N/mm²": Fraction(10**6), "psi": _POUND_KG * _GRAVITY / _INCH_M**2},
    {"kN": Fraction(1000), "N": Fraction(1), "lbf": _POUND_KG * _GRAVITY},
    {"°C": Fraction(1), "°F": Fraction(5, 9)},
)  # fmt: skip
UNITS = tuple(unit for alike in _ALIKE for unit in alike)


class DisplayUnit(NamedTuple):
    """How one kind of quantity is shown: unit, decimals, and the SI unit it is kept in."""

    unit: str
    decimals: int
    stored_in: str


DISPLAY_UNITS: Mapping[System, Mapping[Kind, DisplayUnit]] = {
    "metric": {
        "length": DisplayUnit("m", 2, "m"),
        "thickness": DisplayUnit("mm", 0, "m"),
        "area": DisplayUnit("m²", 2, "m²"),
        "volume": DisplayUnit("m³", 3, "m³"),
        "mixed_volume": DisplayUnit("L", 1, "L"),
        "vessel": DisplayUnit("L", 1, "L"),
        "water": DisplayUnit("L", 1, "L"),
        "mass": DisplayUnit("kg", 1, "kg"),
        "bag": DisplayUnit("kg", 1, "kg"),
        "admixture": DisplayUnit("mL", 0, "mL"),
        "size": DisplayUnit("mm", 0, "mm"),
        "density": DisplayUnit("kg/m³", 0, "kg/m³"),
        "liquid_density": DisplayUnit("kg/L", 2, "kg/L"),
        "content": DisplayUnit("kg/m³", 0, "kg/m³"),
        "strength": DisplayUnit("MPa", 1, "MPa"),
        "force": DisplayUnit("kN", 1, "kN"),
        "temperature": DisplayUnit("°C", 0, "°C"),
    },
    "us": {
        "length": DisplayUnit("ft", 2, "m"),
        "thickness": DisplayUnit("in", 2, "m"),
        "area": DisplayUnit("ft²", 1, "m²"),
        "volume": DisplayUnit("yd³", 3, "m³"),
        "mixed_volume": DisplayUnit("ft³", 2, "L"),
        "vessel": DisplayUnit("US gal", 1, "L"),
        "water": DisplayUnit("US qt", 1, "L"),
        "mass": DisplayUnit("lb", 1, "kg"),
        "bag": DisplayUnit("lb", 1, "kg"),
        "admixture": DisplayUnit("US fl oz", 1, "mL"),
        "size": DisplayUnit("in", 2, "mm"),
        "density": DisplayUnit("lb/ft³", 1, "kg/m³"),
        "liquid_density": DisplayUnit("lb/US gal", 2, "kg/L"),
        "content": DisplayUnit("lb/yd³", 0, "kg/m³"),
        "strength": DisplayUnit("psi", 0, "MPa"),
        "force": DisplayUnit("lbf", 0, "kN"),
        "temperature": DisplayUnit("°F", 0, "°C"),
    },
}


# Kinds of which a small amount is told in a smaller unit: from so much of the kept unit on, in which.
_BY_SIZE: Mapping[System, Mapping[Kind, Sequence[tuple[float, str]]]] = {
    "metric": {
        "volume": ((0.0, "mL"), (0.0009995, "L"), (0.0995, "m³")),
        "mixed_volume": ((0.0, "mL"), (0.9995, "L")),
        "vessel": ((0.0, "mL"), (0.9995, "L")),
        "water": ((0.0, "mL"), (0.9995, "L")),
        "mass": ((0.0, "g"), (0.9995, "kg")),
    },
    "us": {
        # In ft³ up to a cubic yard; under a twentieth of a cubic foot in cubic inches.
        "volume": ((0.0, "in³"), (0.001415, "ft³"), (0.7642, "yd³")),
        "mixed_volume": ((0.0, "in³"), (1.415, "ft³")),
        "vessel": ((0.0, "US qt"), (3.784, "US gal")),
        "mass": ((0.0, "g"), (0.04535, "lb")),
        # Water is measured in quarts up to five gallons.
        "water": ((0.0, "US fl oz"), (0.946, "US qt"), (18.92, "US gal")),
    },
}
# So many figures of a quantity are shown: more are not measured on a site, fewer are not enough to measure by.
_FIGURES = 3
# Kinds shown with so many figures; of the others the decimals of the unit are enough.
_IN_FIGURES: frozenset[Kind] = frozenset(
    {"area", "volume", "mixed_volume", "vessel", "water", "mass", "bag", "admixture"}
)
# Inches are read off a tape in sixteenths, where that says what is meant; else in decimals.
_PER_INCH, _ON_THE_TAPE = 16, 0.006


class Shown(NamedTuple):
    """A quantity as it is read: its figure as text, and its unit."""

    figure: str
    unit: str

    def __str__(self) -> str:
        return f"{self.figure} {self.unit}"


def as_read(value: float, kind: Kind, system: System, decimals: int | None = None) -> Shown:
    """A kept figure as its reader reads it: in the unit of its size, to three figures at least.

    Args:
        value: in the unit it is kept in.
        kind: what it measures.
        system: the reader's units.
        decimals: so many of the kind's own unit instead; a small amount is told in its smaller unit even so.
    """
    shown_in = DISPLAY_UNITS[system][kind]
    unit = shown_in.unit
    for least, smaller in _BY_SIZE[system].get(kind, ()):
        if value and abs(value) >= least:
            unit = smaller
    shown = _converted(value, shown_in.stored_in, unit) if unit != shown_in.stored_in else value
    if decimals is not None and unit == shown_in.unit:
        return Shown(fixed(shown, decimals), unit)
    if unit == "ft":
        return _in_feet(shown)
    if unit == "in":
        return Shown(_in_inches(shown, shown_in.decimals), unit)
    if kind not in _IN_FIGURES:
        return Shown(fixed(shown, shown_in.decimals), unit)
    return Shown(in_figures(shown, shown_in.decimals if unit == shown_in.unit else 0), unit)


def in_figures(value: float, usual_decimals: int = 0) -> str:
    """A number to three figures, at least; without the noughts at its end past the usual decimals."""
    decimals = _decimals_of(value)
    text = fixed(value, decimals)
    for _ in range(decimals - usual_decimals):
        text = text.removesuffix("0")
    return text.removesuffix(".")


def _decimals_of(value: float) -> int:
    """The decimals that give a number three figures, at least."""
    if value == 0:
        return 0
    # What rounds up to the next power of ten has one figure more before the point.
    rounded = float(f"{abs(value):.{_FIGURES}g}")
    return max(_FIGURES - 1 - math.floor(math.log10(rounded)), 0)


def fixed(value: float, decimals: int = 1) -> str:
    """A figure with so many decimals; never a minus before nothing."""
    text = f"{value:.{decimals}f}"
    return text.lstrip("-") if float(text) == 0 else text


def with_minus(figure: str) -> str:
    """A figure as it is read, with a minus sign before it where it had a hyphen."""
    return figure.replace("-", "\u2212")


def _in_feet(feet: float) -> Shown:
    """Feet and inches, such as 10 ft 6 in."""
    marks = round(abs(feet) * 12 * _PER_INCH)
    whole, rest = divmod(marks, 12 * _PER_INCH)
    sign = "-" if feet < 0 and marks else ""
    inches = _in_inches(rest / _PER_INCH, 0)
    if not whole:
        return Shown(f"{sign}{inches}", "in")
    return Shown(f"{sign}{whole} ft {inches}", "in") if rest else Shown(f"{sign}{whole}", "ft")


def _in_inches(inches: float, decimals: int) -> str:
    """Inches with a fraction off the tape, such as 3 1/2, or in decimals where no mark is near."""
    marks = round(inches * _PER_INCH)
    if inches <= 0 or not marks or abs(marks / _PER_INCH - inches) > _ON_THE_TAPE * max(inches, 1):
        return fixed(inches, decimals)
    whole, rest = divmod(marks, _PER_INCH)
    if not rest:
        return str(whole)
    part = Fraction(rest, _PER_INCH)
    return f"{whole} {part}" if whole else str(part)


@cache
def factor(unit: str, into: str) -> float:
    """How many ``into`` one ``unit`` is (of temperatures, one degree).

    Args:
        unit: a printed unit name, such as ``US gal``.
        into: another of the same dimension.

    Raises:
        InputError: the name is unknown, means different amounts in different countries, or measures something else.
    """
    if unit in AMBIGUOUS:
        raise InputError("ambiguous_unit", f"{unit} isn't clear. Type {AMBIGUOUS[unit]}.", ["unit"])
    alike = next((units for units in _ALIKE if unit in units), {})
    if into not in alike:
        known = ", ".join(next((units for units in _ALIKE if into in units), UNITS))
        raise InputError("unknown_unit", f"{unit} isn't a known unit. Use one of {known}.", ["unit"])
    return float(alike[unit] / alike[into])


def _offset(unit: str, into: str) -> float:
    """The offset of ``unit`` in ``into``: 0 but for temperatures."""
    return {("°C", "°F"): 32.0, ("°F", "°C"): -160 / 9}.get((unit, into), 0.0)


def to_shown(value: float, kind: Kind, system: System) -> float:
    """A kept figure in the unit the user reads."""
    shown_in = DISPLAY_UNITS[system][kind]
    return (
        value if shown_in.unit == shown_in.stored_in else _converted(value, shown_in.stored_in, shown_in.unit)
    )


def to_kept(value: float, kind: Kind, system: System) -> float:
    """A figure the user typed in the unit it is kept in."""
    shown_in = DISPLAY_UNITS[system][kind]
    return (
        value if shown_in.unit == shown_in.stored_in else _converted(value, shown_in.unit, shown_in.stored_in)
    )


def _converted(value: float, unit: str, into: str) -> float:
    return value * factor(unit, into) + _offset(unit, into)


# The kind of quantity by the ending of a figure's name, the longer endings first; none where it has a unit of its own.
_KIND_OF_ENDING: Mapping[str, Kind | None] = {
    "_kg_m3": "density", "_kg_l": "liquid_density", "_per_l": None, "_l_m2": None, "w_c": None, "per_m3": None,
    "_m3": "volume", "_m2": "area", "_mm": "size", "_m": "length", "_kg": "mass", "_ml": "admixture",
    "_l": "mixed_volume",
    "_mpa": "strength", "_kn": "force", "_c": "temperature",
}  # fmt: skip
# The same, told by another word of the name.
_KIND_OF_WORD: Mapping[Kind, tuple[tuple[str, Kind], ...]] = {
    "mixed_volume": (("water", "water"), ("vessel", "vessel")),
    "mass": (("bag", "bag"),),
    "length": tuple(
        (word, "thickness") for word in ("thickness", "diameter", "rise", "going", "post", "strip")
    ),
}


def units_of_kind(kind: Kind) -> tuple[str, ...]:
    """The units that a volume or a mass can be in, as they are printed; none of another kind."""
    stored_in = DISPLAY_UNITS["metric"][kind].stored_in
    return next(
        (tuple(units) for units in _ALIKE if stored_in in units and stored_in in ("L", "m³", "kg")), ()
    )


@lru_cache(maxsize=1024)
def kind_of_name(name: str) -> Kind | None:
    """The kind of the figure of that name: ``thickness_m`` is a thickness; None where the name does not say."""
    kind = next((kind for ending, kind in _KIND_OF_ENDING.items() if name.endswith(ending)), None)
    words = name.split("_")
    return (
        next((closer for word, closer in _KIND_OF_WORD.get(kind, ()) if word in words), kind)
        if kind
        else None
    )
