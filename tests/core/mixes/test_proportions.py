"""The mixes by a standard and the rule that holds the standard agree on every span."""

import pytest
from helpers import a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.mortar_proportion import mortar_proportion

PARTS = st.floats(0.05, 11).map(lambda parts: round(parts * 80) / 80)


def is_of_the_standard(name: str, lime: float, sand: float) -> bool:
    """Whether the rule takes a proportion."""
    is_type = len(name) == 1
    try:
        mortar_proportion(
            binder_volume_l=1,
            type=name if is_type else None,  # type: ignore[arg-type]
            designation=None if is_type else name,  # type: ignore[arg-type]
            lime_parts=lime,
            sand_parts=sand,
        )
    except InputError:
        return False
    return True


def told(name: str, parts: dict[str, float]) -> set[str]:
    """The parts that a plan says are outside the mix."""
    mix = f"mortar-type-{name.lower()}" if len(name) == 1 else f"mortar-designation-{name.lower()}"
    found = plan(**{**a_job_of(mix, "tilting-drum"), "need": {"volume_m3": 0.03}, "parts": parts})
    return {item.field for item in found.warnings if item.code in ("ratio_outside", "ratio_reversed")}


@given(st.sampled_from(["S", "N", "O", "M12", "M6", "M4", "M2"]), PARTS, PARTS)
def test_mix_and_rule_agree_on_every_span(name: str, lime: float, sand: float) -> None:
    assert (told(name, {"lime": lime, "sand": sand}) == set()) == is_of_the_standard(name, lime, sand)


@pytest.mark.parametrize(
    ("name", "parts", "outside"),
    [
        # ASTM C270, table 1 (from memory): sand 2¼ to 3 times cement and lime together, so 3.375 to 4.5 with lime ½.
        ("N", {"lime": 0.5, "sand": 6.75}, {"parts.sand"}),
        ("N", {"lime": 0.5, "sand": 4.5}, set()),
        ("N", {"lime": 0.5}, {"parts.sand"}),
        ("N", {"sand": 6}, set()),
        ("O", {"lime": 2.5, "sand": 7.875}, set()),
        ("O", {"lime": 2.5, "sand": 5.5}, {"parts.sand"}),
        # UK National Annex to EN 1996-1-1 (from memory): M12 is 1 : 0 to ¼ : 3.
        ("M12", {"lime": 0.1, "sand": 3}, set()),
        ("M12", {"lime": 0.1, "sand": 4}, {"parts.sand"}),
        ("M6", {"lime": 0.25}, {"parts.lime"}),
    ],
)
def test_cases_of_the_standards(name: str, parts: dict[str, float], outside: set[str]) -> None:
    assert told(name, parts) == outside


def test_a_class_12_mortar_may_go_without_lime_and_others_not() -> None:
    """UK National Annex: M12 is 1 : 0 to ¼ : 3. Without lime no step charges it and none is bought."""
    without = plan(
        **{
            **a_job_of("mortar-designation-m12", "tilting-drum"),
            "materials": {"lime": {"bag_kg": 25}},
            "parts": {"lime": 0},
        }
    )
    assert [material.name for material in without.materials] == ["cement", "sand"]
    assert "lime" not in {step.material for step in without.procedure}
    with pytest.raises(InputError, match=r"needs lime: enter 1 or more"):
        plan(**{**a_job_of("mortar-designation-m4", "tilting-drum"), "parts": {"lime": 0}})


@pytest.mark.parametrize(
    ("support", "least_mm", "greatest_mm"),
    # BS 8204-1, from memory.
    [("bonded", 25, 40), ("unbonded", 50, 150), ("floating", 65, 150), ("floating_loaded", 75, 150)],
)
def test_a_screed_is_as_thick_as_its_laying_asks(support: str, least_mm: float, greatest_mm: float) -> None:
    screed = a_job_of("screed-1-4-fibre", "forced-action")

    def is_outside(thickness_mm: float) -> bool:
        found = plan(**screed, support=support, need={"area_m2": 4, "depth_mm": thickness_mm})
        return "thickness_outside" in {item.code for item in found.warnings}

    assert [is_outside(mm) for mm in (least_mm - 1, least_mm, greatest_mm, greatest_mm + 1)] == [
        True, False, False, True,
    ]  # fmt: skip
    with pytest.raises(InputError, match="support"):
        plan(support=support)
