"""Trade units, against the exact definitions of NIST SP 811 (from memory) and BIPM."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.units import AMBIGUOUS, DISPLAY_UNITS, Kind, System, factor, to_kept, to_shown

# Exact by definition: the US gallon is 231 in3, the imperial gallon 4.54609 L, the pound 0.45359237 kg.
DEFINITIONS = [
    ("US gal", "L", 231 * 0.254**3),
    ("US qt", "L", 231 * 0.254**3 / 4),
    ("US fl oz", "mL", 231 * 25.4**3 / 1000 / 128),
    ("imp gal", "L", 4.54609),
    ("imp pt", "mL", 4546.09 / 8),
    ("imp fl oz", "mL", 4546.09 / 160),
    ("lb", "kg", 0.45359237),
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


@pytest.mark.parametrize("unit", AMBIGUOUS)
def test_a_bare_unit_is_refused(unit: str) -> None:
    with pytest.raises(InputError, match="say"):
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
