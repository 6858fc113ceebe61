"""Trade units at the edges: SI inside, metric or US outside, imperial kept apart from both.

Conversions come from Pint. Its registry takes half a second to build, so it is built on first use and
each factor is kept.
"""

from collections.abc import Mapping
from functools import cache
from typing import TYPE_CHECKING, Literal, NamedTuple

from keeve.core.errors import InputError

if TYPE_CHECKING:
    from pint import UnitRegistry

System = Literal["metric", "us"]
Kind = Literal[
    "length",
    "thickness",
    "area",
    "size",
    "volume",
    "mixed_volume",
    "water",
    "mass",
    "bag",
    "admixture",
    "density",
    "strength",
    "temperature",
]

# Pint would take each of these silently for one country's; a person has to say which.
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

# The unit's name as printed, and Pint's name for it.
_PINT_NAMES: Mapping[str, str] = {
    "m": "meter",
    "cm": "centimeter",
    "mm": "millimeter",
    "ft": "international_foot",
    "in": "international_inch",
    "yd": "international_yard",
    "m²": "meter ** 2",
    "ft²": "international_foot ** 2",
    "ft³": "international_foot ** 3",
    "m³": "meter ** 3",
    "yd³": "yard ** 3",
    "L": "liter",
    "mL": "milliliter",
    "US gal": "gallon",
    "US qt": "quart",
    "US pt": "pint",
    "US fl oz": "fluid_ounce",
    "imp gal": "imperial_gallon",
    "imp qt": "imperial_quart",
    "imp pt": "imperial_pint",
    "imp fl oz": "imperial_fluid_ounce",
    "kg": "kilogram",
    "g": "gram",
    "t": "metric_ton",
    "lb": "pound",
    "oz": "ounce",
    "US cwt": "hundredweight",
    "imp cwt": "long_hundredweight",
    "kg/m³": "kilogram / meter ** 3",
    "lb/ft³": "pound / international_foot ** 3",
    "MPa": "megapascal",
    "psi": "pound_force_per_square_inch",
    "°C": "degree_Celsius",
    "°F": "degree_Fahrenheit",
    "US ton": "short_ton",
    "imp ton": "long_ton",
}


class DisplayUnit(NamedTuple):
    """How one kind of quantity is shown: unit, decimals, and the SI unit it is kept in."""

    unit: str
    decimals: int
    kept_in: str


DISPLAY_UNITS: Mapping[System, Mapping[Kind, DisplayUnit]] = {
    "metric": {
        "length": DisplayUnit("m", 2, "m"),
        "thickness": DisplayUnit("mm", 0, "m"),
        "area": DisplayUnit("m²", 2, "m²"),
        "volume": DisplayUnit("m³", 3, "m³"),
        "mixed_volume": DisplayUnit("L", 1, "L"),
        "water": DisplayUnit("L", 1, "L"),
        "mass": DisplayUnit("kg", 1, "kg"),
        "bag": DisplayUnit("kg", 1, "kg"),
        "admixture": DisplayUnit("mL", 0, "mL"),
        "size": DisplayUnit("mm", 0, "mm"),
        "density": DisplayUnit("kg/m³", 0, "kg/m³"),
        "strength": DisplayUnit("MPa", 1, "MPa"),
        "temperature": DisplayUnit("°C", 0, "°C"),
    },
    "us": {
        "length": DisplayUnit("ft", 2, "m"),
        "thickness": DisplayUnit("in", 2, "m"),
        "area": DisplayUnit("ft²", 1, "m²"),
        "volume": DisplayUnit("yd³", 3, "m³"),
        "mixed_volume": DisplayUnit("US gal", 1, "L"),
        "water": DisplayUnit("US qt", 1, "L"),
        "mass": DisplayUnit("lb", 1, "kg"),
        "bag": DisplayUnit("lb", 1, "kg"),
        "admixture": DisplayUnit("US fl oz", 1, "mL"),
        "size": DisplayUnit("in", 2, "mm"),
        "density": DisplayUnit("lb/ft³", 1, "kg/m³"),
        "strength": DisplayUnit("psi", 0, "MPa"),
        "temperature": DisplayUnit("°F", 0, "°C"),
    },
}


@cache
def _registry() -> "UnitRegistry[float]":
    from pint import UnitRegistry

    return UnitRegistry()


@cache
def _offset(unit: str, into: str) -> float:
    """What nothing in ``unit`` is in ``into``: 0 but for temperatures."""
    return float(_registry().Quantity(0, _pint_name(unit)).to(_pint_name(into)).magnitude)


@cache
def factor(unit: str, into: str) -> float:
    """How many ``into`` one ``unit`` is (of temperatures, one degree).

    Args:
        unit: a printed unit name, such as ``US gal``.
        into: another of the same dimension.

    Raises:
        InputError: the name is unknown, or means different amounts in different countries.
    """
    one = float(_registry().Quantity(1, _pint_name(unit)).to(_pint_name(into)).magnitude)
    return one - _offset(unit, into)


def _pint_name(unit: str) -> str:
    if unit in AMBIGUOUS:
        raise InputError("ambiguous_unit", f"{unit} is not one size: say {AMBIGUOUS[unit]}.", ["unit"])
    if unit not in _PINT_NAMES:
        raise InputError(
            "unknown_unit", f"{unit} is no unit known here: use one of {', '.join(_PINT_NAMES)}.", ["unit"]
        )
    return _PINT_NAMES[unit]


def to_shown(value: float, kind: Kind, system: System) -> float:
    """A kept figure in the unit the user reads."""
    shown_in = DISPLAY_UNITS[system][kind]
    return value if shown_in.unit == shown_in.kept_in else _converted(value, shown_in.kept_in, shown_in.unit)


def to_kept(value: float, kind: Kind, system: System) -> float:
    """A figure the user typed in the unit it is kept in."""
    shown_in = DISPLAY_UNITS[system][kind]
    return value if shown_in.unit == shown_in.kept_in else _converted(value, shown_in.unit, shown_in.kept_in)


def _converted(value: float, unit: str, into: str) -> float:
    return value * factor(unit, into) + _offset(unit, into)
