"""The stockpile: moisture by drying, the jar; bulking is beside the water tests' curve."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.aggregate_moisture import aggregate_moisture, pan_dry_moisture, silt_jar


@given(st.floats(0.2, 5), st.floats(0, 0.3), st.floats(0, 2))
def test_drying_finds_the_moisture_that_damp_weighing_put_in(dry: float, moisture: float, pan: float) -> None:
    damp = aggregate_moisture(dry_mass_kg=dry, total_moisture_fraction=moisture).batch_mass_kg
    found = pan_dry_moisture(wet_kg=damp + pan, dry_kg=dry + pan, pan_kg=pan)
    assert found.moisture_fraction == pytest.approx(moisture, abs=1e-9)


@pytest.mark.parametrize(
    ("figures", "verdict"),
    [
        ({"sand_mm": 100, "silt_mm": 8}, "ok"),
        ({"sand_mm": 100, "silt_mm": 8.1}, "reject_or_test"),
        ({"water_look": "pale", "floating": "little"}, "ok"),
        ({"water_look": "pale", "floating": "much"}, "reject_or_test"),
        ({"water_look": "cloudy", "floating": "little"}, "reject_or_test"),
        ({"water_look": "dark", "floating": "little"}, "reject_or_test"),
    ],
)
def test_the_jar(figures: dict[str, object], verdict: str) -> None:
    """Common practice, no source: to 8 % silt by height passes; pale water with little afloat passes."""
    found = silt_jar(**figures)  # type: ignore[arg-type]
    assert found.verdict == verdict
    assert (found.silt_fraction is None) == ("sand_mm" not in figures)


@pytest.mark.parametrize(
    ("rule", "figures", "fields"),
    [
        (pan_dry_moisture, {"wet_kg": 1.0, "dry_kg": 1.1}, ["wet_kg", "dry_kg"]),
        (pan_dry_moisture, {"wet_kg": 1.0, "dry_kg": 0.5, "pan_kg": 0.5}, ["dry_kg", "pan_kg"]),
        (silt_jar, {"sand_mm": 50}, ["sand_mm", "silt_mm", "water_look", "floating"]),
        (silt_jar, {"sand_mm": 50, "silt_mm": 1, "water_look": "pale"}, None),
    ],
)
def test_what_cannot_be(rule: object, figures: dict[str, object], fields: list[str] | None) -> None:
    with pytest.raises(InputError) as refused:
        rule(**figures)  # type: ignore[operator]
    assert fields is None or refused.value.fields == fields
