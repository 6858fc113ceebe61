"""What sets the size of a load, and what other ways to cut the order would change. Worked by hand."""

from typing import Any

import pytest
from helpers import a_job_of, plan

from keeve.core.errors import InputError

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


def test_a_colour_pack_sets_the_size() -> None:
    job = a_job_of("overlay-stampable", "paddle")
    assert plan(**job).limit == "pack"
    with pytest.raises(InputError, match="whole bags"):
        plan(**job, trial_l=5)
