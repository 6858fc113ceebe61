"""What sets the size of a load, and what other ways to cut the order would change. Worked by hand."""

from typing import Any

import pytest
from helpers import CAST, Run, a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix

# 0.275 m3 to make: 4 loads of 68.75 L in a drum of 90 L.
ORDER_L = 275.0


def sizes(**changes: Any) -> tuple[str, list[float]]:
    found = plan(**changes)
    return found.limit, [load.yield_l for load in found.loads]


def test_the_mixer_sets_the_size_and_a_larger_one_would_make_fewer() -> None:
    limit, loads = sizes()
    assert (limit, loads) == ("mixer", pytest.approx([ORDER_L / 4] * 4))
    larger = next(item for item in plan().alternatives if item.what == "larger-mixer")
    assert (larger.mixer_l, larger.loads, larger.yield_l) == (120, 3, pytest.approx(ORDER_L / 3))


def test_whole_bags_and_all_alike_stand_against_each_other() -> None:
    """A bag of 25 kg makes 25 / 314 of a m3, near 80 L: one a load, and part of one in the last."""
    other = next(item for item in plan().alternatives if item.what == "whole-bags")
    limit, loads = sizes(whole_bags=True)
    assert limit == "bag"
    assert (other.loads, other.bags) == (len(loads), 1)
    assert other.yield_l == pytest.approx(loads[0])
    assert other.rest_l == pytest.approx(loads[-1])
    assert sum(loads) == pytest.approx(ORDER_L)
    back = next(item for item in plan(whole_bags=True).alternatives if item.what == "equal")
    assert (back.loads, back.yield_l, back.rest_l) == (4, pytest.approx(ORDER_L / 4), None)


def test_the_crew_and_the_life_may_set_it() -> None:
    """0.06 m3 an hour for the 120 min of life less 10 is 110 L, more than the drum; in 10 min it is 10 L."""
    pace = {"placing_m3_h": 0.06, "cycle_min": 10}
    assert sizes(pace=pace)[0] == "mixer"
    limit, loads = sizes(pace={**pace, "keep_pace": True})
    assert (limit, len(loads)) == ("crew", 28)
    limit, loads = sizes(pace={"placing_m3_h": 0.02, "cycle_min": 10})
    assert (limit, loads) == ("life", pytest.approx([ORDER_L / 8] * 8))
    with pytest.raises(InputError) as caught:
        plan(pace={"keep_pace": True})
    assert caught.value.fields == ["pace.placing_m3_h", "pace.cycle_min"]


def test_a_trial_comes_first_and_the_rest_makes_the_order_whole() -> None:
    limit, loads = sizes(trial_l=15)
    assert loads == pytest.approx([15, *[(ORDER_L - 15) / 3] * 3])
    found = plan(trial_l=15)
    trial, second = found.loads[:2]
    # Its water scales to the loads as its sand does.
    assert trial.water.target_l / trial.charge("sand").dry_kg == pytest.approx(
        second.water.target_l / second.charge("sand").dry_kg
    )
    assert [load.number for load in found.loads] == [1, 2, 3, 4]
    for wrong in (120, 300):
        with pytest.raises(InputError, match="trial_l must be less"):
            plan(trial_l=wrong)
    assert limit == "mixer"


@pytest.mark.parametrize(
    ("mix", "bag_kg", "others", "litres"),
    [
        # 25 kg of cement of M2, 1 : 2 : 8½ of 1200 and 600 kg/m3, bring 25 kg of lime; by hand 162 L.
        ("mortar-designation-m2", 25, {"lime": 25.0}, 162.0),
        # 42.6 kg of type N, 1 : 1 of 1506 and 641: 18.13 kg of lime.
        ("mortar-type-n", 42.6, {"lime": 18.13}, None),
        # Fine high-strength, nine parts of cement to one of silica fume.
        ("concrete-fine-high-strength", 25, {"silica fume": 25 / 9}, None),
    ],
)
def test_a_bag_is_a_bag_of_cement_whatever_else_binds(
    mix: str, bag_kg: float, others: dict[str, float], litres: float | None
) -> None:
    mixer = {"kind": get_mix(mix).procedures[0].mixer, "working_l": 200}
    for way in ({"need": {"bags": 1}, "waste_fraction": 0}, {"whole_bags": True}):
        load = plan(**{**a_job_of(mix, ""), "mixer": mixer, "need": {"volume_m3": 1}, **way}).loads[0]
        bags = load.charge("cement").dry_kg / bag_kg
        assert bags == pytest.approx(round(bags))
        for name, kilograms in others.items():
            assert load.charge(name).dry_kg / bags == pytest.approx(kilograms, rel=1e-3)
        if litres:
            assert load.yield_l / bags == pytest.approx(litres, abs=0.1)


def test_a_load_is_sized_by_its_life_at_the_temperature_of_the_site() -> None:
    """Base coat, 30 min at 20 °C. At 34 °C air and 28 °C water the mix comes to about 32.6 °C, where 30 min are 17:
    after a cycle of ten, 7 min at 0.3 m3/h are about 35 L.
    """
    job = {
        **a_job_of("stucco-base", "tilting-drum"),
        "mixer": {"kind": "tilting-drum", "working_l": 120},
        "need": {"volume_m3": 0.5},
        "pace": {"placing_m3_h": 0.3, "cycle_min": 10},
    }
    cool = plan(**{**job, "conditions": {"air_c": 18, "water_c": 12}})
    hot = plan(**{**job, "conditions": {"air_c": 34, "water_c": 28}})
    assert (cool.limit, hot.limit) == ("life", "life")
    assert cool.loads[0].yield_l == pytest.approx(550 / 6)
    # The bench counts the same life.
    life = Run(hot).now.life.life_min
    assert life == pytest.approx(17.0, abs=0.4)
    # A load is full within a hundredth.
    assert 30 < hot.loads[0].yield_l <= 300 * (life - 10) / 60 / 0.99


def test_a_label_never_starts_above_the_middle_of_its_range() -> None:
    label = {"bag_kg": 25, "yield_l": 12, "water_start_l": 2.4, "water_min_l": 1.75, "water_max_l": 2.5}
    load = plan(mix="concrete-bagged", vessels=[], materials={"bag": label}).loads[0]
    assert load.water.start_l == load.water.target_l


def test_a_colour_pack_sets_the_size() -> None:
    job = a_job_of("overlay-stampable", "paddle")
    assert plan(**job).limit == "pack"
    with pytest.raises(InputError, match="whole bags"):
        plan(**job, trial_l=5)


@given(st.floats(0.02, 0.6), st.sampled_from([30, 60, 90, 150]))
def test_no_load_is_a_crumb_of_a_bag(volume_m3: float, working_l: float) -> None:
    """Under a hundredth is left out; no load is more than the first, and the last is under a fifth only of quarter
    bags.
    """
    found = plan(
        need={"volume_m3": volume_m3}, mixer={"kind": "tilting-drum", "working_l": working_l}, whole_bags=True
    )
    bags = [load.charge("cement").dry_kg / 25 for load in found.loads]
    made_l = sum(load.yield_l for load in found.loads)
    assert 0.99 - 1e-9 <= made_l / (found.volume.order_m3 * 1000) <= 1 + 1e-9
    assert max(bags) <= bags[0] + 1e-9 or len(bags) == 2
    assert len(bags) == 1 or bags[0] <= 0.25 + 1e-9 or bags[-1] >= 0.2
    assert all(round(count * 4, 6) % 1 == 0 for count in bags[:-1])


@given(st.floats(0.05, 1.0), st.one_of(st.none(), st.floats(1, 40)))
def test_the_pouring_window_is_all_for_pouring(placing_m3_h: float, cycle_min: float | None) -> None:
    """However long a batch takes before it may be poured, the window that then opens is as long."""
    pace = {"placing_m3_h": placing_m3_h, **({"cycle_min": cycle_min} if cycle_min else {})}
    mixer = {"kind": "bucket", "working_l": 40}
    changes = {**CAST, "need": {"volume_m3": 0.02}, "mixer": mixer}
    paced, freely = plan(**changes, pace=pace), plan(**changes, pace={"placing_m3_h": placing_m3_h})
    assert [load.yield_l for load in paced.loads] == [load.yield_l for load in freely.loads]


def test_every_piece_counts_its_own_loads() -> None:
    """Two moulds of two pieces, each piece a load: none takes two."""
    mould = {"container": {"by": "displacement", "water_l": 6.0}, "pieces": [1, 1]}
    found = plan(**{**CAST, "need": [{**mould, "count": 2}], "mixer": {"kind": "bucket", "working_l": 9}})
    poured = [load.pours for load in found.loads]
    assert len(set(poured)) == len(poured) == 4
    assert "piece_in_parts" not in {item.code for item in found.warnings}


def test_a_mixer_too_slow_for_the_crew_is_told_on_the_plan() -> None:
    """By hand: a load of 90 L is placed in 5.4 min at 1 m3/h; one a hour leaves a gap of nearly that, past 45 min."""
    slab = {
        "need": {"volume_m3": 0.5},
        "mixer": {"kind": "tilting-drum", "working_l": 90},
        "waste_fraction": 0.0,
    }
    slow = plan(mix="concrete-nominal", **slab, pace={"placing_m3_h": 1.0, "cycle_min": 60})
    (word,) = [item for item in slow.warnings if item.code == "cold_joints"]
    assert "goes cold after 45 min" in word.message
    for pace in ({"placing_m3_h": 1.0, "cycle_min": 12}, {"placing_m3_h": 0.1, "cycle_min": 60}, {}):
        brisk = plan(mix="concrete-nominal", **slab, pace=pace)
        assert "cold_joints" not in {item.code for item in brisk.warnings}
