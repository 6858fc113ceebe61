"""A load worked in another order, in parts, from the hose, into the store: what stands is what happened."""

from datetime import timedelta

import pytest
from helpers import Run, a_job_of, plan

from keeve.core.errors import InputError

PLAN = plan()


def test_a_part_of_a_charge_leaves_the_rest_of_the_step() -> None:
    run = Run(PLAN)
    run.step()
    step = run.now.step
    assert step is not None
    assert step.mass_kg is not None
    charged = {"step": 2, "material": "sand"}
    for _ in range(3):
        run.do("charged", **charged, mass_kg=step.mass_kg / 4, part=True)
    left = run.now.step
    assert left is not None
    assert (left.plan.step, left.mass_kg) == (2, pytest.approx(step.mass_kg / 4))
    run.do("charged", **charged, mass_kg=step.mass_kg / 4, part=True)
    assert run.now.position == 3
    assert run.state.went_in_kg["sand"] == pytest.approx(step.mass_kg)


def test_water_in_measures_ends_its_step_and_counts() -> None:
    run = Run(PLAN)
    start_l = run.now.step.water_l if run.now.step else None
    assert start_l is not None
    run.do("water_added", water_l=0.4, source="drum")
    run.do("water_added", step=1, water_l=start_l / 2, part=True)
    left = run.now.step
    assert left is not None
    # What the rinse left is taken off what is offered.
    to_come_l = sum(step.water_l or 0.0 for step in [left, *run.now.open_steps])
    assert 0.4 + start_l / 2 + to_come_l == pytest.approx(run.now.window.start_l)
    assert left.water_l is not None
    assert left.water_l < start_l / 2
    run.do("water_added", step=1, water_l=left.water_l)
    assert run.now.position == 2
    # What was left in the drum is first water too.
    assert run.state.first_water_at == run.events[0].occurred_at


def test_steps_in_another_order_stand_as_they_happened() -> None:
    run = Run(PLAN)
    cement = run.load.charge("cement")
    run.do("charged", step=3, material="cement", mass_kg=cement.mass_kg)
    assert run.now.position == 1
    assert 3 not in [step.plan.step for step in run.now.open_steps]
    run.to_judgement()
    assert [event.kind for event in run.events][:2] == ["charged", "water_added"]
    assert run.now.act == "judge"


def test_life_turns_amber_red_and_dead() -> None:
    run = Run(PLAN).to_right()
    began = run.state.first_water_at
    assert began is not None
    seen = []
    for minutes in (0, 89, 90, 107, 108, 119, 120):
        run.at = began + timedelta(minutes=minutes)
        seen.append(run.now.stage)
    assert seen == ["green", "green", "amber", "amber", "red", "red", "dead"]


def test_a_pail_is_stored_and_used_up_and_what_keeps_not_is_not_stored() -> None:
    run = Run(plan(**a_job_of("finish-tinted-pail", "paddle"))).to_right()
    made_l = run.now.remaining_l
    run.do("placed", volume_l=made_l * 0.5)
    run.do("given", volume_l=made_l * 0.1, use="a trial board")
    run.do("stored", volume_l=run.now.remaining_l)
    run.do("cleaned")
    assert run.now.act == "stored"
    assert run.state.in_store_l == pytest.approx(made_l * 0.4)
    # Sealed it keeps: no clock runs on it.
    run.do("placed", minutes=60 * 30, volume_l=made_l * 0.3, from_store=True)
    with pytest.raises(InputError, match=r"Only 1\.2 L left"):
        run.do("placed", volume_l=made_l * 0.3, from_store=True)
    run.do("discarded", reason="Dried out")
    assert run.now.act == "done"
    assert run.state.placed_l == pytest.approx(made_l * 0.8)
    with pytest.raises(InputError, match="doesn't keep"):
        Run(PLAN).to_right().do("stored", volume_l=1.0)
