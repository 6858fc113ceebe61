"""A load worked in any way the bench allows: every state is valid, quantities add up, arrival order does not matter."""

import contextlib
from datetime import timedelta
from random import Random
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, Run, a_job_of, plan

from keeve.core.errors import InputError
from keeve.core.running.load_state import fold
from keeve.core.running.next_step import OVER

PLAN = plan()
MOST_ACTS = 45


def wanted(run: Run) -> tuple[str, dict[str, Any]] | None:
    """The act that the bench asks for, where that is one event."""
    now, state = run.now, run.state
    step = now.step.plan.step if now.step else None
    if now.act == "charge" and now.step:
        return "charged", {"step": step, "material": now.step.plan.material, "mass_kg": now.step.mass_kg}
    if now.act == "top_up" and state.owed and not state.owed.add_kg:
        return "water_added", {"water_l": state.owed.water_l}
    if now.act == "water" and now.step:
        return "water_added", {"step": step, "water_l": now.step.water_l}
    judging = now.step is not None and now.step.plan.kind == "judge"
    by_act: dict[str, tuple[str, dict[str, Any]]] = {
        "admix": ("admixed", {"step": step}),
        "mix": ("mixed", {} if judging else {"step": step}),
        "rest": ("rested", {"step": step}),
        "judge": ("judged", {"reading": "right", "step": step}),
        "add_water": ("water_added", {"water_l": now.proposal_l}),
        "place": ("placed", {"volume_l": max(now.remaining_l * 0.6, 0.1)}),
        "dead": ("discarded", {"reason": "Working time over"}),
        "clean": ("cleaned", {}),
        "stored": ("placed", {"volume_l": state.kept_l, "from_store": True}),
    }
    return by_act.get(now.act)


def some_acts(run: Run, chance: Random) -> list[tuple[str, dict[str, Any]]]:
    """What somebody might tap in this moment, wise or not."""
    now, state, load = run.now, run.state, run.load
    litres = round(chance.uniform(0.1, 3.0), 1)
    last_measured = ("too-dry", "right", "too-wet", "not-mixed-yet")
    acts: list[tuple[str, dict[str, Any]]] = [
        ("judged", {"reading": chance.choice(last_measured), "step": now.position}),
        ("judged", {"reading": "right", "step": now.position}),
        ("judged", {"reading": "right", "body": chance.choice(["sandy", "rich"])}),
        (
            "water_added",
            {"water_l": litres, "source": chance.choice(["tap", "hose", "drum", "drips", "ice"])},
        ),
        ("water_added", {"water_l": 0.3, "past_ceiling": "A trial"}),
        ("water_lost", {"water_l": litres}),
        ("flow_measured", {"vessel_l": 10.0, "seconds": 30.0}),
        ("temperature", {"mix_c": chance.uniform(5, 35)}),
        ("mixed", {}),
        ("recounted", {"charged_kg": {chance.choice(load.charges).material: chance.uniform(0, 60)}}),
        ("placed", {"volume_l": litres * 8}),
        ("given", {"volume_l": litres, "use": "backfill"}),
        ("stored", {"volume_l": litres}),
        ("placed", {"volume_l": litres, "from_store": True}),
        ("cleaned", {}),
    ]
    for step in [*now.open_steps, *([now.step] if now.step else [])]:
        number, part = step.plan.step, chance.choice([1.0, 0.4])
        if step.plan.kind == "charge" and step.mass_kg:
            charged = {"material": step.plan.material, "mass_kg": step.mass_kg * part, "part": part < 1}
            acts += [("charged", {"step": number, **charged})] * 3
        elif step.plan.kind == "water" and step.water_l:
            acts += [("water_added", {"step": number, "water_l": step.water_l * part, "part": part < 1})] * 3
        elif step.plan.kind == "rest":
            acts.append(("rested", {"step": number}))
        elif step.plan.kind in ("mix", "scrape"):
            acts += [("mixed", {"step": number})] * 3
    if now.correction:
        shown = now.correction
        acts += [("correcting", {"cause": shown.cause, "add_kg": shown.add_kg, "water_l": shown.water_l})] * 4
    if state.owed and state.owed.add_kg:
        acts += [("corrected", {"add_kg": dict([next(iter(state.owed.add_kg.items()))])})] * 4
    if state.undoable:
        acts.append(("undone", {"cancels": str(state.undoable.id)}))
    return acts


def check(run: Run) -> None:
    """What holds in any state."""
    now, state = run.now, run.state
    assert 0 <= now.remaining_l <= now.yield_l
    if now.act not in OVER:
        gone = state.placed_l - state.from_store_l + state.given_l + state.stored_l
        assert now.remaining_l + gone == pytest.approx(max(now.yield_l, gone))
    assert 0 <= state.kept_l <= state.stored_l
    assert state.water_l >= 0
    assert state.dripped_l >= -0.06
    assert min(now.window.min_l, now.window.ceiling_l) >= 0
    assert now.proposal_l <= now.water.next_step_l + 1e-9
    if now.stage == "dead":
        assert now.act in {"dead", *OVER}


@pytest.mark.parametrize(("seed", "mix", "mixer"), [(seed, *one) for seed, one in enumerate(EVERY_PROCEDURE)])
def test_whatever_is_tapped(seed: int, mix: str, mixer: str) -> None:
    chance = Random(seed)
    run = Run(plan(**a_job_of(mix, mixer)))
    for _ in range(MOST_ACTS):
        asked = wanted(run) if chance.random() < 0.5 else None
        kind, what = asked or chance.choice(some_acts(run, chance))
        with contextlib.suppress(InputError):
            run.do(kind, minutes=chance.choice([0.2, 1.0, 3.0]), **what)
        check(run)
    shuffled = [*run.events, *chance.sample(run.events, len(run.events) // 3)]
    chance.shuffle(shuffled)
    assert fold(shuffled) == fold(run.events)
    for length in range(0, len(run.events), 5):
        part = Run(run.plan, at=run.at)
        part.events = run.events[:length]
        check(part)


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
    assert run.state.charged_kg["sand"] == pytest.approx(step.mass_kg)


def test_water_in_measures_ends_its_step_and_counts() -> None:
    run = Run(PLAN)
    start_l = run.now.step.water_l if run.now.step else None
    assert start_l is not None
    run.do("water_added", water_l=0.4, source="drum")
    run.do("water_added", step=1, water_l=start_l / 2, part=True)
    left = run.now.step
    assert left is not None
    assert left.water_l == pytest.approx(start_l / 2)
    run.do("water_added", step=1, water_l=left.water_l)
    assert run.now.position == 2
    assert run.state.water_l == pytest.approx(start_l + 0.4)
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


def test_the_hose_by_time() -> None:
    run = Run(PLAN)
    run.do("flow_measured", vessel_l=12.0, seconds=40.0)
    assert run.state.flow_l_min == pytest.approx(18.0)


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
    assert run.state.kept_l == pytest.approx(made_l * 0.4)
    # Sealed it keeps: no clock runs on it.
    run.do("placed", minutes=60 * 30, volume_l=made_l * 0.3, from_store=True)
    with pytest.raises(InputError, match="are left"):
        run.do("placed", volume_l=made_l * 0.3, from_store=True)
    run.do("discarded", reason="Dried out")
    assert run.now.act == "done"
    assert run.state.placed_l == pytest.approx(made_l * 0.8)
    with pytest.raises(InputError, match="does not keep"):
        Run(PLAN).to_right().do("stored", volume_l=1.0)


def test_the_mixer_is_cleaned_once_it_is_empty() -> None:
    run = Run(PLAN).to_right()
    with pytest.raises(InputError, match="not empty"):
        run.do("cleaned")
    run.do("placed", volume_l=run.now.remaining_l)
    run.do("cleaned")
    assert run.now.act == "done"


def test_a_load_too_wet_for_its_use_goes_to_another() -> None:
    run = Run(PLAN).to_judgement()
    run.judge("too-wet")
    run.do("given", volume_l=run.now.remaining_l, use="backfill")
    assert run.now.act == "clean"
    assert run.state.placed_l == 0


def test_a_dead_load_has_no_correction() -> None:
    run = Run(PLAN).to_judgement()
    run.judge("too-wet")
    shown = run.now.correction
    assert shown is not None
    run.at += timedelta(hours=3)
    assert run.now.act == "dead"
    assert run.now.correction is None
    for kind, what in (
        ("correcting", {"cause": "too-wet", "add_kg": shown.add_kg}),
        ("given", {"volume_l": 1.0, "use": "backfill"}),
        ("water_added", {"water_l": 0.2, "past_ceiling": "A trial"}),
    ):
        with pytest.raises(InputError, match="working time of this load is over"):
            run.do(kind, **what)
