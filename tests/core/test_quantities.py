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
        # A US reader's measures are US measures, and an ounce of water is a fluid ounce.
        ("3 gal", "water", "us", "3 gallon"),
        ("4 pt", "water", "us", "4 pint"),
        ("2 quarts", "water", "us", "2 quart"),
        ("8 oz", "water", "us", "8 fluid_ounce"),
        ("8 fl oz", "admixture", "us", "8 fluid_ounce"),
        ("8 oz", "mass", "us", "8 ounce"),
        ("5 US gallons", "water", "metric", "5 gallon"),
        ("2 imperial gallons", "water", "us", "2 imperial_gallon"),
        ("54 cu ft", "volume", "us", "54 ft ** 3"),
        ("54 cu. ft.", "volume", "us", "54 ft ** 3"),
        ("3 CF", "mixed_volume", "us", "3 ft ** 3"),
        ("1 yd", "volume", "us", "1 yard ** 3"),
        ("2 cubic yards", "volume", "metric", "2 yard ** 3"),
        ("200 sq ft", "area", "us", "200 ft ** 2"),
        ("200 sq. ft.", "area", "metric", "200 ft ** 2"),
        # As it is written on a drawing, and by whoever is in a hurry.
        ("10'-6\"", "length", "metric", "10.5 ft"),
        ("5'-6 1/2\"", "length", "us", "66.5 inch"),
        ("6 ft - 3 in", "length", "us", "75 inch"),
        ("4''", "thickness", "us", "4 inch"),
        ("3⁄8", "thickness", "us", "0.375 inch"),
        ("1 3⁄8 in", "thickness", "metric", "1.375 inch"),
        ("25 KG", "bag", "us", "25 kg"),
        ("5 FT", "length", "metric", "5 ft"),
        ("5 in.", "thickness", "metric", "5 inch"),
        ("1 tonne", "mass", "us", "1 metric_ton"),
        ("94 pounds", "bag", "metric", "94 lb"),
        ("2.5 m^3", "volume", "us", "2.5 m ** 3"),
        ("25 N/mm²", "strength", "us", "25 newton / mm ** 2"),
        ("25 N/mm2", "strength", "metric", "25 MPa"),
        ("1600 kg/m³", "density", "us", "1600 kg / m ** 3"),
        ("564 lb/yd3", "density", "us", "564 lb / yard ** 3"),
        ("100 lb/ft³", "density", "metric", "100 lb / ft ** 3"),
        # Commas before three digits.
        ("3,000 psi", "strength", "us", "3000 psi"),
        ("1,000", "bag", "us", "1000 lb"),
        ("1,234.5", "length", "metric", "1234.5 m"),
        ("1,250,000", "volume", "metric", "1250000 m ** 3"),
        ("0,125", "length", "metric", "0.125 m"),
        ("3,5", "length", "us", "3.5 ft"),
    ],
)
def test_a_quantity_is_read_as_it_is_written(
    typed: str, kind: Kind, system: System, as_pint_has_it: str
) -> None:
    stored_in = {
        "length": "m",
        "thickness": "m",
        "volume": "m ** 3",
        "area": "m ** 2",
        "water": "liter",
        "bag": "kg",
        "mass": "kg",
        "admixture": "milliliter",
        "mixed_volume": "liter",
        "strength": "MPa",
        "density": "kg / m ** 3",
    }
    wanted = UNITS.Quantity(as_pint_has_it).to(stored_in[kind]).magnitude
    assert read_quantity(typed, kind, system) == pytest.approx(wanted, rel=1e-9)


def test_a_degree_is_the_reader_s() -> None:
    assert read_quantity("70°", "temperature", "us") == pytest.approx(21.11, abs=0.01)


@pytest.mark.parametrize(
    ("typed", "wanted"), [("-3", -3), ("−3", -3), ("40 °F", 4.444), ("12 C", 12), ("21°", 21)]
)
def test_a_temperature_may_be_below_nought(typed: str, wanted: float) -> None:
    assert read_quantity(typed, "temperature", "metric") == pytest.approx(wanted, abs=1e-3)


@pytest.mark.parametrize(
    ("typed", "kind", "words"),
    [
        ("", "length", "must be a number"),
        ("three", "length", "must be a number"),
        ("1/0", "length", "divided by 0"),
        ("3 6", "length", "each unit once"),
        ("1 m 20", "length", "needs a unit for 20"),
        ("5 gal", "water", "US gal or imp gal"),
        ("3 kg", "length", "can't be in kg"),
        ("3 spans", "length", "can't be in spans"),
        ("1,000", "length", "Type 1000 or 1.000"),
        ("3,000 psi", "strength", "Type 3000 or 3.000"),
        ("8 oz", "water", "US fl oz or imp fl oz"),
        ("1 ton", "mass", "US ton, imperial ton or tonne"),
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
            "15 3/4 in is thicker than it allows (0.20 to 1.57 in).",
        ),
        ("Not below 5 °C.", "Not below 41 °F."),
        ("30 kg is an unusual bag; 1200 kg/m³ loose.", "66.1 lb is an unusual bag; 74.9 lb/ft³ loose."),
        (
            "Past the max: this load may take 4.2 L more water.",
            "Past the max: this load may take 4.44 US qt more water.",
        ),
        (
            "The water is short by 28.3 L. The mixer holds 28.3 L.",
            "The water is short by 7.48 US gal. The mixer holds 0.999 ft³.",
        ),
        ("30 to 40 L fit, 0.4 L do not.", "1.06 to 1.41 ft³ fit, 24.4 in³ do not."),
        ("Mortar M12, 1 : 4 by volume, 28 days, 10 %.", "Mortar M12, 1 : 4 by volume, 28 days, 10 %."),
    ],
)
def test_a_sentence_is_in_the_reader_s_units(metric: str, us: str) -> None:
    """Conversions by hand: 25.4 mm, 0.45359237 kg, 16.0185 kg/m3 per lb/ft3, 0.946353 L, 3.785412 L."""
    assert in_reader_units(metric, "us") == us
    assert in_reader_units(metric, "metric") == metric
