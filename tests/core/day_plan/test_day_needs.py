"""What a day needs: counted again by hand over its loads."""

from math import ceil
from random import Random

import pytest
from core.day_plan.test_day import MILD, WORKS, a_day_job

from keeve.core.day_plan.day import DayPlan, SoFar, StartedLoad, Work, play, suits
from keeve.core.day_plan.day_needs import RINSE_L, Need, needs_of


def needs(works: list[Work], begun: list[dict[int, StartedLoad]] | None = None) -> list[Need]:
    day = DayPlan(jobs=[a_day_job(work, mixers=[place]) for place, work in enumerate(works, start=1)])
    so_far = SoFar(begun, 500.0) if begun else None
    outcome = play(day, works, suits(day, works, MILD), so_far)
    return needs_of(day.jobs, works, outcome)


@pytest.mark.parametrize("seed", range(20))
def test_every_kilogram_of_the_day_is_on_the_list_once(seed: int) -> None:
    chance = Random(seed)
    works = chance.sample(WORKS, chance.randint(1, len(WORKS)))
    begun = [
        {
            number: StartedLoad(400.0, 430.0, 500.0)
            for number in range(1, chance.randint(0, len(work.plan.loads)) + 1)
        }
        for work in works
    ]
    found = needs(works, begun)
    left = [
        load
        for work, known in zip(works, begun, strict=True)
        for load in work.plan.loads
        if load.number not in known
    ]
    charged = sum(charge.mass_kg for load in left for charge in load.charges)
    on_list = [need for need in found if need.group == "materials" and need.hatch]
    assert sum(need.mass_kg or 0.0 for need in on_list) == pytest.approx(charged)
    for need in on_list:
        if need.bag_kg:
            # Nobody opens a bag for its last hundredth.
            assert need.bags == ceil(0.99 * (need.mass_kg or 0.0) / need.bag_kg - 1e-9)
    water = {need.key: need.water_l for need in found if need.group == "water"}
    if left:
        assert water["tub"] == pytest.approx(sum(load.water.ceiling_l for load in left))
        assert water["rinse"] == RINSE_L * len(left)
    else:
        assert found == []
    assert len({need.key for need in found}) == len(found)


def test_one_material_of_two_jobs_is_one_line_and_damp_kits_are_for_the_day() -> None:
    found = needs([WORKS[0], WORKS[1]])
    cement = [need for need in found if need.name == "Cement"]
    assert len(cement) == 1
    kits = [need for need in found if need.name.startswith("Pre-weighed dry batches")]
    assert kits
    assert all(need.fresh for need in kits)
    assert "Slump cone, rod and rule" in {need.name for need in found}
