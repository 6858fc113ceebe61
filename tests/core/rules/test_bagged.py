"""Mixes by the bag: the label rules."""

import pytest
from helpers import a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.bagged import bagged

LABEL = {"bag_kg": 25.0, "yield_l": 12.0, "water_start_l": 1.5, "water_min_l": 1.75, "water_max_l": 2.5}
MIX = {"mix": "concrete-bagged", "vessels": [], "mixer": {"kind": "tilting-drum", "working_l": 90}}


@given(st.floats(0.001, 5), st.floats(5, 30), st.sampled_from([1.0, 0.5, 0.25]))
def test_bags_make_at_least_what_is_wanted_and_less_than_a_part_more(
    target: float, bag_yield: float, part: float
) -> None:
    found = bagged(
        bag_kg=25, bag_yield_l=bag_yield, water_start_l=1.5, water_min_l=1.75, water_max_l=2.5,
        target_m3=target, part_fraction=part,
    )  # fmt: skip
    assert found.yield_l >= target * 1000 * (1 - 1e-9)
    assert found.yield_l - target * 1000 < part * bag_yield
    assert found.bags % part == 0
    assert found.water_l.max == pytest.approx(2.5 * found.bags)


def test_the_typical_label() -> None:
    """A single recorded label: 27 kg take 1.9 L, never above 3.3 (common practice, no source)."""
    found = bagged(
        bag_kg=27, bag_yield_l=13, water_start_l=1.9, water_min_l=1.9, water_max_l=3.3, target_m3=0.026
    )
    assert (found.bags, found.water_l.start, found.water_l.max) == (2, 3.8, 6.6)


def test_a_plan_by_the_bag_is_whole_bags_with_the_labels_water() -> None:
    """0.25 m3 and a tenth is 275 L: 22.9 bags of 12 L, so 23; seven (84 L) fit a 90 L drum: four loads."""
    found = plan(**MIX, materials={"bag": LABEL})
    assert found.volume.order_m3 == pytest.approx(0.276)
    bags = [load.charge("bag").vessels[0].count for load in found.loads]
    assert bags == pytest.approx([6, 6, 6, 5])
    first = found.loads[0]
    assert first.charge("bag").mass_kg == pytest.approx(150)
    water = first.water
    assert (water.start_l, water.min_l, water.target_l, water.ceiling_l) == pytest.approx(
        (9, 10.5, 12.75, 15)
    )
    assert [(item.material, item.bags) for item in found.shopping] == [("bag", 23)]


def test_needs_in_bags_and_a_label_that_is_missing_or_wrong() -> None:
    assert plan(**MIX, materials={"bag": LABEL}, need={"bags": 6}).shopping[0].bags == 6
    with pytest.raises(InputError, match="See the label") as refused:
        plan(**MIX, materials={"bag": {"bag_kg": 25}})
    assert refused.value.fields == [
        f"materials.bag.{name}" for name in ("yield_l", "water_start_l", "water_min_l", "water_max_l")
    ]
    with pytest.raises(InputError) as refused:
        plan(**MIX, materials={"bag": {**LABEL, "water_min_l": 3.0}})
    assert "water_min_l" in refused.value.fields


@given(st.floats(0.1, 1), st.floats(0.001, 2))
def test_any_part_of_a_bag_that_can_be_weighed(part: float, target_m3: float) -> None:
    label = {"bag_kg": 25, "bag_yield_l": 12, "water_start_l": 1, "water_min_l": 1, "water_max_l": 2}
    found = bagged(**label, target_m3=target_m3, part_fraction=part)
    assert found.bags / part == pytest.approx(round(found.bags / part), rel=0.02)
    assert found.yield_l >= target_m3 * 1000 * (1 - 1e-9)
    assert bagged(**label, target_m3=target_m3, part_fraction=None).yield_l == pytest.approx(target_m3 * 1000)


PADDLE = {"mixer": {"kind": "paddle", "working_l": 40}, "vessels": [], "waste_fraction": 0.0}


def test_a_fixed_batch_is_made_whole_with_its_pack() -> None:
    """100 L at 14 L a bag is 8 bags, four batches of two with a colour pack each; the order rises to 112 L.

    Three bags are two and one, the one with half a pack, weighed. Uncoloured there is no pack.
    """
    overlay = {"mix": "overlay-stampable", "materials": {"bag": {**LABEL, "yield_l": 14.0}}, **PADDLE}
    found = plan(**overlay, need={"volume_m3": 0.1})
    assert [load.charge("bag").vessels[0].count for load in found.loads] == pytest.approx([2, 2, 2, 2])
    assert found.volume.order_m3 == pytest.approx(0.112)
    bought = {item.material: (item.bags, item.unit) for item in found.shopping}
    assert bought == {"bag": (8, "bag"), "colour pack": (4, "pack")}
    three = plan(**overlay, need={"bags": 3})
    assert [load.charge("bag").vessels[0].count for load in three.loads] == pytest.approx([2, 1])
    assert [load.admixtures[0].packs for load in three.loads] == pytest.approx([1, 0.5])
    assert {item.material: item.bags for item in three.shopping} == {"bag": 3, "colour pack": 2}
    plain = plan(**overlay, need={"bags": 3}, packs={"colour pack": False})
    assert [item.material for item in plain.shopping] == ["bag"]
    with pytest.raises(InputError, match="cannot go without"):
        plan(**a_job_of("finish-tinted-pail", "paddle"), packs={"tint": False})
    with pytest.raises(InputError, match=r"too small: Stampable overlay needs at least 50\.0 L") as refused:
        plan(mix="overlay-stampable", materials={"bag": {**LABEL, "yield_l": 25.0}}, **PADDLE)
    assert refused.value.fields == ["mixer.working_l"]


def test_what_goes_with_the_bag_is_weighed_to_it() -> None:
    """An 80 lb bag (36.3 kg) takes 20 / 80 of it in modifier, 9.07 kg. Half a pail takes its own mass in cement,
    of which a sack of 42.6 kg serves three (13.6 kg each, common practice, no source).
    """
    label = {**LABEL, "bag_kg": 36.3, "yield_l": 20.0}
    carving = {"mix": "overlay-carvable", "need": {"bags": 2}, "materials": {"mortar": label}, **PADDLE}
    carved = plan(**carving)
    masses = {charge.material: charge.mass_kg for charge in carved.loads[0].charges}
    assert masses["modifier"] / masses["mortar"] == pytest.approx(0.25)
    assert masses["mortar"] == pytest.approx(72.6)
    assert carved.loads[0].binder_kg == pytest.approx(72.6 * 1.25)
    leaner = plan(**carving, parts={"modifier": 16})
    assert leaner.loads[0].charge("modifier").mass_kg == pytest.approx(72.6 * 0.2)
    pail = {**LABEL, "bag_kg": 13.6, "yield_l": 15.0}
    three = plan(mix="basecoat-polymer-pail", need={"bags": 3}, materials={"acrylic": pail}, **PADDLE)
    assert [(item.material, item.bags, item.unit) for item in three.shopping] == [
        ("acrylic", 3, "half pail"), ("cement", 1, "bag"),
    ]  # fmt: skip
    assert len(three.loads) == 3


def test_half_a_bag_where_the_mix_allows_it() -> None:
    needed = {"need": {"volume_m3": 0.018}, "materials": {"bag": LABEL}, **PADDLE}
    assert plan(mix="basecoat-polymer-bagged", **needed).loads[0].charge("bag").vessels[
        0
    ].count == pytest.approx(1.5)
    assert (
        plan(mix="concrete-bagged", **needed | {"mixer": MIX["mixer"]})
        .loads[0]
        .charge("bag")
        .vessels[0]
        .count
        == 2
    )


def test_what_else_the_label_says_rules() -> None:
    label = {**LABEL, "life_min": 55.0, "rest_min": 20.0, "thickness_min_mm": 3.0, "thickness_max_mm": 4.0}
    needs = {"need": {"area_m2": 8, "depth_mm": 5}, **PADDLE}
    found = plan(mix="basecoat-polymer-bagged", materials={"bag": label}, **needs)
    assert found.mix.life_min == 55
    assert [step.minutes[0] for step in found.procedure if step.kind == "rest"] == [20]
    assert "thickness_outside" in {warning.code for warning in found.warnings}
    as_usual = plan(mix="basecoat-polymer-bagged", materials={"bag": LABEL}, **needs)
    assert "thickness_outside" not in {warning.code for warning in as_usual.warnings}
