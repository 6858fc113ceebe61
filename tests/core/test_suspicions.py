"""Layers and weather a mix is not for: each with a value that is warned of and one that stays silent."""

from typing import Any

import pytest
from helpers import a_job_of, plan

from keeve.core.mixes import library
from keeve.core.mixes.find import fits

OVERLAY = {**a_job_of("overlay-stampable", "paddle")}


@pytest.mark.parametrize(
    ("changes", "code"),
    [
        ({"need": {"area_m2": 4, "depth_mm": 5.9}}, "thickness_outside"),
        ({"need": {"area_m2": 4, "depth_mm": 6}}, None),
        ({"need": {"area_m2": 4, "depth_mm": 20}}, None),
        (
            {"need": {"shape": "slab-volume", "length_m": 2, "width_m": 2, "thickness_m": 0.021}},
            "thickness_outside",
        ),
        ({"need": {"shape": "coat-volume", "area_m2": 4, "coats_mm": [8, 25]}}, "thickness_outside"),
        ({"need": {"shape": "coat-volume", "area_m2": 4, "coats_mm": [8, 10]}}, None),
        ({"need": {"volume_m3": 0.1}, "conditions": {"air_c": 4.4}}, "air_too_cold"),
        ({"need": {"volume_m3": 0.1}, "conditions": {"air_c": 5}}, None),
        ({"need": {"volume_m3": 0.1}, "conditions": {"air_c": 33}}, "air_too_warm"),
    ],
)
def test_the_stampable_overlay_is_6_to_20_mm_and_5_to_32_degrees(
    changes: dict[str, Any], code: str | None
) -> None:
    codes = [warning.code for warning in plan(**{**OVERLAY, **changes}).warnings]
    assert codes == ([code] if code else [])


def test_a_mix_is_found_by_use_thickness_and_yard() -> None:
    every = library().values()
    found = {fit.mix.id: fit.against for fit in fits(every, "bed", 10, ["lime", "sand"])}
    assert found["lime-hydraulic-3.5"] == []
    assert found["mortar-bricklaying"] == [("needs cement", None)]
    assert found["hemp-lime"] == [("not made to bed", None), ("not under", 100), ("needs hemp", None)]
    assert found["overlay-stampable"] == [("not made to bed", None), ("needs bags and pails", None)]
    assert len(found) == len(library())
    fitting = [fit for fit in fits(every, "lay floor", 75) if not fit.against]
    assert {"screed-1-4-fibre", "concrete-nominal"} <= {fit.mix.id for fit in fitting}
