"""Figures that can hardly be are told at the rule itself and of a job; what is right stays silent.

The density of quartz, 2 650 kg/m3, and of iron oxide, 5 240 kg/m3, are from memory of handbooks.
"""

from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, plan

from keeve.core.rules import all_rules
from keeve.core.rules.registry import IMPOSSIBLE

DOSE = {"binder_kg": 50, "dose": 35, "basis": "percent_binder", "solids_fraction": 0.2, "density_kg_l": 1.05}
MOISTURE = {"dry_mass_kg": 100, "total_moisture_fraction": 0.05, "absorption_fraction": 0.01}
SAND = {
    "name": "sand", "parts": 4, "bulk_density_kg_m3": 1550, "particle_density_kg_m3": 2650, "is_binder": False,
}  # fmt: skip
CEMENT = {
    "name": "cement", "parts": 1, "bulk_density_kg_m3": 1200, "particle_density_kg_m3": 3150, "is_binder": True,
}  # fmt: skip


def parts(ratio: float = 0.6, **sand: Any) -> dict[str, Any]:
    components = [CEMENT, {**SAND, **sand}]
    return {"components": components, "water_binder_ratio": ratio, "air_fraction": 0.1, "target_m3": 0.1}


def told(rule_id: str, given: dict[str, Any]) -> set[str]:
    """The fields of a rule that it says can hardly be."""
    result = all_rules()[rule_id].evaluate(given)
    return {item.field for item in result.warnings if item.code == IMPOSSIBLE}


@pytest.mark.parametrize(
    ("rule_id", "given", "field"),
    [
        ("admixture-dose", DOSE, "dose"),
        ("admixture-dose", {**DOSE, "dose": 1, "density_kg_l": 1050}, "density_kg_l"),
        ("slab-volume", {"length_m": 3000, "width_m": 20, "thickness_m": 0.1}, "length_m"),
        ("slab-volume", {"length_m": 3, "width_m": 2000, "thickness_m": 0.1}, "width_m"),
        ("slab-volume", {"length_m": 3, "width_m": 2, "thickness_m": 100}, "thickness_m"),
        ("volume-parts", parts(particle_density_kg_m3=26.5), "components.1.particle_density_kg_m3"),
        ("volume-parts", parts(bulk_density_kg_m3=2700), "components.1.bulk_density_kg_m3"),
        ("volume-parts", parts(bulking_fraction=4), "components.1.bulking_fraction"),
        ("volume-parts", parts(ratio=6), "water_binder_ratio"),
        ("split-loads", {"order_m3": 0.2, "mixer_working_l": 90_000}, "mixer_working_l"),
        ("order-volume", {"net_m3": 2, "waste_fraction": 0.9}, "waste_fraction"),
    ],
)
def test_what_can_hardly_be_is_told_at_the_rule(rule_id: str, given: dict[str, Any], field: str) -> None:
    assert told(rule_id, given) == {field}


def test_the_examples_of_all_rules_can_be() -> None:
    for rule_id, rule in all_rules().items():
        if not rule.reads_files:
            assert told(rule_id, rule.example.given) == set(), rule_id


@pytest.mark.parametrize(
    "given", [parts(), parts(particle_density_kg_m3=5240), parts(ratio=1.9), parts(bulking_fraction=0.45)]
)
def test_what_is_unusual_and_can_be_stays_silent(given: dict[str, Any]) -> None:
    assert told("volume-parts", given) == set()


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"conditions": {"water_c": 72}}, "conditions.water_c"),
        ({"materials": {"sand": {"particle_density_kg_m3": 2.65}}}, "materials.sand.particle_density_kg_m3"),
        ({"materials": {"sand": {"bulking_fraction": 0.9}}}, "materials.sand.bulking_fraction"),
        ({"waste_fraction": 0.8}, "waste_fraction"),
        ({"mixer": {"kind": "tilting-drum", "working_l": 45_000}}, "mixer.working_l"),
        ({"need": {"shape": "unit-masonry-mortar", "wall_area_m2": 6, "unit_length_mm": 21.5, "unit_height_mm": 65,
                   "unit_width_mm": 102.5, "joint_mm": 10}}, "need.0.unit_length_mm"),
    ],
)  # fmt: skip
def test_what_can_hardly_be_is_told_of_the_job_by_its_own_name(changes: dict[str, Any], field: str) -> None:
    assert {item.field for item in plan(**changes).warnings if item.code == IMPOSSIBLE} == {field}


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_every_mix_of_the_library_can_be(mix: str, mixer: str) -> None:
    assert IMPOSSIBLE not in {item.code for item in plan(**a_job_of(mix, mixer)).warnings}
