"""Trade units, against the exact definitions of NIST SP 811 (from memory) and BIPM."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pint import UnitRegistry

from keeve.core.errors import InputError
from keeve.core.quantities import read_quantity
from keeve.core.units import (
    AMBIGUOUS,
    DISPLAY_UNITS,
    UNITS,
    Kind,
    System,
    as_read,
    factor,
    to_kept,
    to_shown,
    units_of_kind,
)

PINT_NAMES = {
    "m": "meter", "cm": "centimeter", "mm": "millimeter", "ft": "international_foot", "in": "international_inch",
    "yd": "international_yard", "m²": "meter ** 2", "ft²": "international_foot ** 2",
    "ft³": "international_foot ** 3", "in³": "international_inch ** 3", "m³": "meter ** 3", "yd³": "yard ** 3",
    "L": "liter", "mL": "milliliter", "US gal": "gallon", "US qt": "quart", "US pt": "pint",
    "US fl oz": "fluid_ounce", "imp gal": "imperial_gallon", "imp qt": "imperial_quart", "imp pt": "imperial_pint",
    "imp fl oz": "imperial_fluid_ounce", "kg": "kilogram", "g": "gram", "t": "metric_ton", "lb": "pound",
    "oz": "ounce", "US cwt": "hundredweight", "imp cwt": "long_hundredweight", "kg/m³": "kilogram / meter ** 3",
    "lb/ft³": "pound / international_foot ** 3", "lb/yd³": "pound / yard ** 3", "kg/L": "kilogram / liter",
    "lb/US gal": "pound / gallon", "MPa": "megapascal",
    "N/mm²": "newton / millimeter ** 2", "psi": "pound_force_per_square_inch", "kN": "kilonewton", "N": "newton",
    "lbf": "pound_force", "°C": "degree_Celsius", "°F": "degree_Fahrenheit", "US ton": "short_ton",
    "imp ton": "long_ton",
}  # fmt: skip
REGISTRY: UnitRegistry[float] = UnitRegistry()
# Exact by definition: the US gallon is 231 in3, the imperial gallon 4.54609 L, the pound 0.45359237 kg.
DEFINITIONS = [
    ("US gal", "L", 231 * 0.254**3),
    ("US qt", "L", 231 * 0.254**3 / 4),
    ("US fl oz", "mL", 231 * 25.4**3 / 1000 / 128),
    ("imp gal", "L", 4.54609),
    ("imp pt", "mL", 4546.09 / 8),
    ("imp fl oz", "mL", 4546.09 / 160),
    ("lb", "kg", 0.45359237),
    ("lbf", "N", 0.45359237 * 9.80665),
    ("US cwt", "kg", 45.359237),
    ("imp cwt", "kg", 112 * 0.45359237),
    ("US ton", "kg", 2000 * 0.45359237),
    ("imp ton", "kg", 2240 * 0.45359237),
    ("ft", "m", 0.3048),
    ("in", "mm", 25.4),
    ("yd³", "m³", 0.9144**3),
]


@pytest.mark.parametrize(("unit", "into", "wanted"), DEFINITIONS)
def test_definitions(unit: str, into: str, wanted: float) -> None:
    assert factor(unit, into) == pytest.approx(wanted, rel=1e-12)


def test_every_factor_is_what_a_general_library_says() -> None:
    assert set(UNITS) == set(PINT_NAMES)
    for unit in UNITS:
        for into in UNITS:
            one, other = REGISTRY.Unit(PINT_NAMES[unit]), REGISTRY.Unit(PINT_NAMES[into])
            if not one.is_compatible_with(other):
                with pytest.raises(InputError):
                    factor(unit, into)
                continue
            degrees = [REGISTRY.Quantity(value, one).to(other).magnitude for value in (0, 1)]
            assert factor(unit, into) == pytest.approx(degrees[1] - degrees[0], rel=1e-12), (unit, into)


@pytest.mark.parametrize("unit", AMBIGUOUS)
def test_a_bare_unit_is_refused(unit: str) -> None:
    with pytest.raises(InputError, match="Type"):
        factor(unit, "L")


@given(st.floats(-1e6, 1e6), st.sampled_from(["length", "volume", "mixed_volume", "mass", "water"]))
def test_there_and_back(value: float, kind: Kind) -> None:
    systems: tuple[System, ...] = ("metric", "us")
    for system in systems:
        assert to_kept(to_shown(value, kind, system), kind, system) == pytest.approx(value, abs=1e-9)


def test_no_measure_is_a_bare_unit() -> None:
    assert not {measure.unit for system in DISPLAY_UNITS.values() for measure in system.values()} & set(
        AMBIGUOUS
    )


def test_temperatures_have_an_offset() -> None:
    """By definition 0 °C is 32 °F and 100 °C is 212 °F; one degree of the one is 1.8 of the other."""
    shown = [to_shown(celsius, "temperature", "us") for celsius in (0, 100, -40)]
    assert shown == pytest.approx([32, 212, -40])
    assert to_kept(40, "temperature", "us") == pytest.approx(4.444, abs=1e-3)
    assert factor("°C", "°F") == pytest.approx(1.8)


@pytest.mark.parametrize(
    ("value", "kind", "system", "read"),
    [
        # By hand: 1 US qt is 0.946353 L, 1 ft3 28.3168 L, 1 in3 0.0163871 L, 1 lb 0.45359237 kg, 1 in 25.4 mm.
        (0.31, "water", "metric", "310 mL"),
        (1.1, "mixed_volume", "metric", "1.1 L"),
        (0.011, "mass", "metric", "11 g"),
        (0.9999, "mass", "metric", "1.0 kg"),
        (12.345, "water", "metric", "12.3 L"),
        (99.96, "mixed_volume", "metric", "100 L"),
        (1254.0, "mixed_volume", "metric", "1254 L"),
        (0.05, "volume", "metric", "50 L"),
        (0, "water", "metric", "0 L"),
        (0.272, "mass", "us", "0.6 lb"),
        (0.0354, "mass", "us", "35.4 g"),
        (0.001, "volume", "us", "61 in³"),
        (0.284, "water", "us", "9.6 US fl oz"),
        (9.46353, "water", "us", "10.0 US qt"),
        (37.8541, "water", "us", "10 US gal"),
        (89.0, "mixed_volume", "us", "3.14 ft³"),
        (0.5, "mixed_volume", "us", "30.5 in³"),
        (18.927, "vessel", "us", "5.0 US gal"),
        (0.25, "volume", "us", "8.83 ft³"),
        (1.0, "volume", "us", "1.31 yd³"),
        (88.9, "size", "us", "3 1/2 in"),
        (9.525, "size", "us", "3/8 in"),
        (101.6, "size", "us", "4 in"),
        (40.0, "size", "us", "1.57 in"),
        (42.64, "bag", "us", "94.0 lb"),
        (3.048, "length", "us", "10 ft"),
        (3.2004, "length", "us", "10 ft 6 in"),
        (3.0, "length", "us", "9 ft 10 1/8 in"),
        (0.2032, "length", "us", "8 in"),
    ],
)
def test_a_quantity_is_read_in_the_unit_of_its_size(
    value: float, kind: Kind, system: System, read: str
) -> None:
    assert str(as_read(value, kind, system)) == read


@given(st.floats(1e-4, 1e5), st.sampled_from(["mixed_volume", "water", "mass", "volume"]))
def test_what_is_read_is_what_it_is_to_three_figures(value: float, kind: Kind) -> None:
    """Read back by the reader of quantities, which knows nothing of how it was written."""
    for system in ("metric", "us"):
        read = as_read(value, kind, system)
        assert read_quantity(str(read), kind, system) == pytest.approx(value, rel=0.006)


@pytest.mark.parametrize("kind", ["water", "mass", "mixed_volume", "bag"])
def test_the_units_of_a_kind_are_all_that_measure_it(kind: Kind) -> None:
    kept = REGISTRY.Unit(PINT_NAMES[DISPLAY_UNITS["metric"][kind].stored_in])
    alike = {unit for unit, name in PINT_NAMES.items() if REGISTRY.Unit(name).is_compatible_with(kept)}
    assert set(units_of_kind(kind)) == alike
