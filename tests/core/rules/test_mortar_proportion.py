"""Cement-lime mortars, against the proportions of ASTM C270 and the UK annex to EN 1996-1-1 (both from memory)."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.mortar_proportion import mortar_proportion

USUAL = [
    ({"type": "M"}, 0.25, 3.5), ({"type": "S"}, 0.5, 4.5), ({"type": "N"}, 1, 6), ({"type": "O"}, 2, 9),
    ({"designation": "M12"}, 0.25, 3), ({"designation": "M6"}, 0.5, 4.25), ({"designation": "M4"}, 1, 5.5),
    ({"designation": "M2"}, 2, 8.5),
]  # fmt: skip


@pytest.mark.parametrize(("named", "lime", "sand"), USUAL)
def test_the_usual_parts(named: dict[str, Any], lime: float, sand: float) -> None:
    volumes = mortar_proportion(binder_volume_l=10 * (1 + lime), **named).volumes_l
    assert volumes == pytest.approx({"cement": 10, "lime": 10 * lime, "sand": 10 * sand})


@given(st.floats(0.5, 1.25), st.floats(2.25, 3), st.floats(1, 200))
def test_sand_is_a_multiple_of_all_binder(lime: float, multiple: float, binder_l: float) -> None:
    found = mortar_proportion(
        type="N", binder_volume_l=binder_l, lime_parts=lime, sand_parts=multiple * (1 + lime)
    )
    volumes = found.volumes_l
    assert volumes["cement"] + volumes["lime"] == pytest.approx(binder_l)
    assert volumes["sand"] == pytest.approx(multiple * binder_l)
    # A loose cubic foot: 94 lb of cement, 40 of lime, 80 of dry sand (ASTM C270, from memory).
    for name, pounds in (("cement", 94), ("lime", 40), ("sand", 80)):
        assert found.dry_kg[name] == pytest.approx(
            volumes[name] / 28.316846592 * pounds * 0.45359237, rel=1e-3
        )


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({}, "type"),
        ({"type": "N", "designation": "M4"}, "designation"),
        ({"type": "S", "lime_parts": 1.0}, "lime_parts"),
        ({"type": "N", "sand_parts": 7.0}, "sand_parts"),
        ({"designation": "M6", "sand_parts": 3.0}, "sand_parts"),
        ({"type": "K"}, "type"),
    ],
)
def test_outside_the_standard_is_refused(given: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as refused:
        mortar_proportion(binder_volume_l=10, **given)
    assert field in refused.value.fields
