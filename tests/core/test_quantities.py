"""Quantities as they are typed on a site. Pint converts them by itself for the check."""

import pytest
from pint import UnitRegistry

from keeve.core.errors import InputError
from keeve.core.quantities import in_reader_units, read_quantity
from keeve.core.units import Kind, System

UNITS: UnitRegistry[float] = UnitRegistry()


@pytest.mark.parametrize(
    ("typed", "kind", "system", "as_pint_has_it"),
    [
        ("3,5", "length", "metric", "3.5 m"),
        ("3.5", "length", "us", "3.5 ft"),
        ("3 1/2 in", "thickness", "metric", "3.5 inch"),
        ("3-1/2", "thickness", "us", "3.5 inch"),
        ("½", "thickness", "us", "0.5 inch"),
        ("2½ in", "thickness", "us", "2.5 inch"),
        ("10' 6\"", "length", "metric", "10.5 ft"),
        ("10' 6", "length", "us", "10.5 ft"),
        ("12 ft 3 1/2 in", "length", "metric", "147.5 inch"),
        ("1 m 20 cm", "length", "us", "1.2 m"),
        ("25 mm", "length", "metric", "0.025 m"),
        ("2 ft3", "volume", "metric", "2 ft ** 3"),
        ("40 m²", "area", "us", "40 m ** 2"),
        ("5 US gal", "water", "metric", "5 gallon"),
        ("5 imp gal", "water", "metric", "5 imperial_gallon"),
        ("94 lb", "bag", "metric", "94 lb"),
    ],
)
def test_a_quantity_is_read_as_it_is_written(
    typed: str, kind: Kind, system: System, as_pint_has_it: str
) -> None:
    kept_in = {
        "length": "m",
        "thickness": "m",
        "volume": "m ** 3",
        "area": "m ** 2",
        "water": "liter",
        "bag": "kg",
    }
    wanted = UNITS.Quantity(as_pint_has_it).to(kept_in[kind]).magnitude
    assert read_quantity(typed, kind, system) == pytest.approx(wanted, rel=1e-9)


@pytest.mark.parametrize(("typed", "wanted"), [("-3", -3), ("−3", -3), ("40 °F", 4.444), ("12 C", 12)])
def test_a_temperature_may_be_below_nought(typed: str, wanted: float) -> None:
    assert read_quantity(typed, "temperature", "metric") == pytest.approx(wanted, abs=1e-3)


@pytest.mark.parametrize(
    ("typed", "kind", "words"),
    [
        ("", "length", "must be a number"),
        ("three", "length", "must be a number"),
        ("1/0", "length", "divided by 0"),
        ("3 6", "length", "each unit once"),
        ("1 m 20", "length", "say the unit of 20"),
        ("5 gal", "water", "US gal or imp gal"),
        ("3 kg", "length", "cannot be in kg"),
        ("3 spans", "length", "cannot be in spans"),
        ("1,234.5", "length", "each unit once"),
        ("3 m", None, "without a unit"),
    ],
)
def test_what_is_no_quantity_is_refused(typed: str, kind: Kind | None, words: str) -> None:
    with pytest.raises(InputError, match=words):
        read_quantity(typed, kind, "metric")


@pytest.mark.parametrize(
    ("metric", "us"),
    [
        (
            "400 mm is thicker than it allows (5 to 40 mm).",
            "15.75 in is thicker than it allows (0.20 to 1.57 in).",
        ),
        ("Not below 5 °C.", "Not below 41 °F."),
        ("30 kg is an unusual bag; 1200 kg/m³ loose.", "66.1 lb is an unusual bag; 74.9 lb/ft³ loose."),
        ("Past the max: this load may take 4.2 L more.", "Past the max: this load may take 4.4 US qt more."),
        ("Only 28.3 L are left.", "Only 7.5 US gal are left."),
        ("Mortar M12, 1 : 4 by volume, 28 days, 10 %.", "Mortar M12, 1 : 4 by volume, 28 days, 10 %."),
    ],
)
def test_a_sentence_is_in_the_reader_s_units(metric: str, us: str) -> None:
    """Conversions by hand: 25.4 mm, 0.45359237 kg, 16.0185 kg/m3 per lb/ft3, 0.946353 L, 3.785412 L."""
    assert in_reader_units(metric, "us") == us
    assert in_reader_units(metric, "metric") == metric
