"""A correction reaches its target, by an account made here from scratch."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.correction import correct_wet
from keeve.core.errors import InputError


@given(st.floats(5, 100), st.floats(1, 8), st.floats(0.4, 1.0), st.floats(1.01, 1.6), st.floats(0, 0.05))
def test_reaches_its_target(
    cement: float, parts: float, target: float, wetness: float, moisture: float
) -> None:
    sand = parts * cement
    water = target * cement * wetness
    if target * cement <= sand * moisture * 1.01:
        return
    found = correct_wet(
        charged_kg={"cement": cement, "sand": sand},
        water_kg=water,
        binder=["cement"],
        target_ratio=target,
        moisture_fraction={"sand": moisture},
    )
    added_dry_sand = found.add_kg["sand"] / (1 + moisture)
    all_water = water + found.add_kg["sand"] - added_dry_sand
    assert all_water / (cement + found.add_kg["cement"]) == pytest.approx(target)
    assert added_dry_sand / found.add_kg["cement"] == pytest.approx(parts)
    assert found.new_ratio == pytest.approx(target)


def test_not_too_wet_adds_nothing() -> None:
    found = correct_wet(charged_kg={"cement": 20}, water_kg=10, binder=["cement"], target_ratio=0.6)
    assert found.add_kg == {"cement": 0}
    assert found.warnings[0].code == "not_too_wet"


@pytest.mark.parametrize(
    ("change", "field"),
    [({"moisture_fraction": {"sand": 0.2}}, "moisture_fraction"), ({"binder": ["lime"]}, "binder")],
)
def test_corrections_that_cannot_be(change: dict[str, object], field: str) -> None:
    charge = {
        "charged_kg": {"cement": 20, "sand": 80},
        "water_kg": 17,
        "binder": ["cement"],
        "target_ratio": 0.75,
    }
    with pytest.raises(InputError) as refused:
        correct_wet(**{**charge, **change})  # type: ignore[arg-type]
    assert refused.value.fields == [field]
