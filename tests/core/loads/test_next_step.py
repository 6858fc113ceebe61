"""What the bench asks for next, and what it refuses."""

from datetime import timedelta
from uuid import uuid4

import pytest
from helpers import EVERY_PROCEDURE, Run, a_job_of, plan

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix

PLAN = plan()


def judged(*last_measured: str) -> Run:
    run = Run(PLAN).to_judgement()
    for reading in last_measured:
        run.do("judged", reading=reading)
    return run


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_every_procedure_leads_from_empty_to_done(mix: str, mixer: str) -> None:
    run = Run(plan(**a_job_of(mix, mixer))).to_judgement()
    timed = get_mix(mix).regime_traits.placed_in
    assert run.now.act == ("place" if timed else "judge")
    run.to_right().do("placed", volume_l=run.now.remaining_l)
    assert run.now.act == "clean"
    run.do("cleaned")
    if get_mix(mix).regime_traits.makes_casts:
        assert run.now.act == "strip"
        run.do("stripped")
        run.do("tracking_stopped", reason="used damp")
    assert run.now.act == "done"


def test_how_it_came_out_is_said_when_it_is_used_up_and_the_last_word_counts() -> None:
    run = Run(PLAN).to_judgement().to_right()
    with pytest.raises(InputError, match="once it's used up"):
        run.do("came_out", result="good")
    run.do("placed", volume_l=run.now.remaining_l)
    for result in ("poor", "usable"):
        run.do("came_out", result=result)
        assert run.state.result == result
    run.do("cleaned")
    assert run.now.act == "done"
    run.do("came_out", result="good")
    assert (run.state.result, run.now.act) == ("good", "done")


def test_nothing_counts_before_its_time() -> None:
    run = Run(PLAN)
    while run.now.act != "mix":
        run.step()
    step = run.now.step
    assert step is not None
    with pytest.raises(
        InputError, match=r"Not yet: 2 min 00 s more\. If you did it earlier, enter how long\."
    ):
        run.do("mixed", minutes=1, step=step.plan.step)
    with pytest.raises(InputError, match="Too early to judge"):
        run.do("judged", reading="right")


def test_each_reading_leads_to_its_act() -> None:
    acts = {"too-dry": "add_water", "right": "place", "too-wet": "correct", "not-mixed-yet": "mix"}
    assert {reading: judged(reading).now.act for reading in acts} == acts


def test_dry_then_water_then_mix_then_judge_again() -> None:
    run = judged("too-dry")
    run.do("water_added", water_l=run.now.water.next_step_l)
    assert run.now.act == "mix"
    with pytest.raises(InputError, match="Not yet"):
        run.do("mixed", minutes=0.1)
    run.do("mixed", minutes=1)
    assert run.now.act == "judge"


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_a_crumbling_load_is_at_its_ceiling_in_three_rounds(mix: str, mixer: str) -> None:
    run = Run(plan(**a_job_of(mix, mixer))).to_judgement()
    test = run.plan.tests.get(run.now.step.plan.test or "") if run.now.step else None
    if test is None or "too-dry" not in test.looks:
        pytest.skip("nothing of it is judged too dry")
    rounds = 0
    while run.now.act == "judge":
        run.do("judged", reading="too-dry", step=run.now.position)
        if run.now.act == "add_water":
            run.record({"kind": "water_added", "water_l": run.now.water.next_step_l})
            run.record({"kind": "mixed", "minutes": 1.0})
            rounds += 1
    assert run.now.act == "ceiling"
    assert rounds <= 3


def test_nearer_to_right_the_steps_are_smaller_and_a_thumb_can_pour_them() -> None:
    """From 12.2 L a third of the way to 17.1 L is 1.6 L; half as dry 0.8 L; and never less than 0.1 L."""
    steps = []
    for wetness in (None, 0.0, 0.175, 0.3, 0.349):
        run = Run(PLAN).to_judgement()
        run.do("judged", reading="too-dry", wetness=wetness)
        steps.append(run.now.water.next_step_l)
    way_l = run.now.window.ceiling_l - run.now.held.added_l
    assert steps[0] == steps[1] == pytest.approx(-(-way_l / 3 // 0.1) * 0.1)
    assert steps[2] == pytest.approx(-(-way_l / 6 // 0.1) * 0.1)
    assert steps == sorted(steps, reverse=True)
    assert steps[-1] == pytest.approx(0.1)


def test_who_mixed_before_the_phone_was_at_hand_says_how_long() -> None:
    run = Run(PLAN)
    while run.now.act != "mix":
        run.step()
    position = run.now.position
    run.record({"kind": "mixed", "step": position, "minutes": 3.0})
    assert run.now.position > position
    assert [event.minutes for event in run.events if event.kind == "mixed"] == [3.0]


def test_a_bag_mix_too_wet_is_brought_back_with_dry_mix() -> None:
    """6 bags of 25 kg, target 2.125 L a bag; at 15 L the surplus of 2.25 L takes 2.25 / 0.085 kg of dry mix."""
    run = Run(
        plan(
            **a_job_of("concrete-bagged", "tilting-drum")
            | {"mixer": {"kind": "tilting-drum", "working_l": 90}}
        )
    )
    run.to_judgement().do("judged", reading="too-dry")
    run.do("water_added", water_l=run.now.water.remaining_l)
    run.do("mixed", minutes=1)
    run.do("judged", reading="too-wet")
    correction = run.now.correction
    assert correction is not None
    assert correction.add_kg == pytest.approx({"bag": 2.25 / 0.085})


def test_after_right_there_is_no_water_and_no_second_reading() -> None:
    run = judged("right")
    for kind, what in (("water_added", {"water_l": 0.5}), ("judged", {"reading": "too-dry"})):
        with pytest.raises(InputError):
            run.do(kind, **what)
    run.do("undone", cancels=str(run.events[-1].id))
    run.do("judged", reading="too-dry")
    assert run.now.act == "add_water"


def test_life_counts_from_first_water_and_a_dead_load_is_only_discarded() -> None:
    run = judged("right")
    first_water = run.events[0].occurred_at
    run.at = first_water + timedelta(minutes=119)
    assert run.now.act == "place"
    run.at = first_water + timedelta(minutes=120)
    assert run.now.act == "dead"
    for kind, what in (("placed", {"volume_l": 1.0}), ("water_added", {"water_l": 0.1})):
        with pytest.raises(InputError, match="past its working time"):
            run.do(kind, **what)
    run.do("note", text="left in the drum over dinner")
    run.do("discarded", reason="Working time over")
    assert run.now.act == "clean"


@pytest.mark.parametrize(
    ("kind", "what", "field"),
    [
        ("charged", {"step": 99, "material": "sand", "mass_kg": 1.0}, "step"),
        ("charged", {"step": 1, "material": "sand", "mass_kg": 1.0}, "step"),
        ("charged", {"step": 2, "material": "gravel", "mass_kg": 1.0}, "material"),
        ("water_added", {"step": 2, "water_l": 1.0}, "step"),
        ("mixed", {"step": 1}, "step"),
        ("corrected", {"add_kg": {"gravel": 1.0}}, "add_kg.gravel"),
        ("corrected", {"add_kg": {"cement": 1.0}}, "kind"),
        ("placed", {"volume_l": 1.0}, "kind"),
        ("undone", {"cancels": str(uuid4())}, "cancels"),
    ],
)
def test_what_the_plan_does_not_have_is_refused(kind: str, what: dict[str, object], field: str) -> None:
    with pytest.raises(InputError) as refused:
        Run(PLAN).do(kind, **what)
    assert refused.value.fields == [field]


def at_place(mix: str, mixer: str) -> Run:
    return Run(plan(**a_job_of(mix, mixer))).to_right()


@pytest.mark.parametrize(
    ("mix", "mixer"),
    [
        ("mortar-general", "tilting-drum"),
        ("stucco-base", "tilting-drum"),
        ("basecoat-polymer-bagged", "paddle"),
    ],
)
def test_a_mix_that_takes_no_water_later_gets_none(mix: str, mixer: str) -> None:
    run = at_place(mix, mixer)
    assert not run.now.takes_water
    with pytest.raises(InputError, match="No water now"):
        run.do("water_added", water_l=0.1)


@pytest.mark.parametrize(
    ("mix", "mixer"), [("lime-hydraulic-3.5", "tilting-drum"), ("overlay-stampable", "paddle")]
)
def test_a_mix_that_takes_a_little_is_mixed_and_judged_again(mix: str, mixer: str) -> None:
    run = at_place(mix, mixer)
    most = run.now.water.remaining_l
    with pytest.raises(InputError, match="Over the max"):
        run.do("water_added", water_l=most + 0.2)
    run.do("water_added", water_l=0.1)
    assert run.now.act == "mix"
    run.do("mixed", minutes=2)
    assert run.now.act == "judge"
    run.judge("right")
    assert run.now.act == "place"


def test_a_polymer_base_coat_is_judged_thin_then_stiff_then_remixed_without_water() -> None:
    run = Run(plan(**a_job_of("basecoat-polymer-bagged", "paddle"))).to_judgement()
    first = run.now.step
    assert first is not None
    assert first.plan.test == "thin"
    # The only moment for water.
    run.judge("too-dry")
    assert run.now.act == "add_water"
    run.do("water_added", water_l=0.2)
    run.do("mixed", minutes=2)
    run.judge("right")
    assert run.now.act == "rest"
    with pytest.raises(InputError, match="Not yet"):
        run.do("rested", minutes=1, step=run.now.position)
    with pytest.raises(InputError, match="Too early to judge"):
        run.do("judged", reading="right")
    run.to_judgement()
    second = run.now.step
    assert second is not None
    assert second.plan.test == "remixed"
    with pytest.raises(InputError) as refused:
        run.do("judged", reading="right", step=first.plan.step)
    assert refused.value.fields == ["step"]
    # Too stiff now is remixed longer; water would wash the polymer out.
    run.judge("too-dry")
    assert run.now.act == "mix"
    with pytest.raises(InputError, match="No water now"):
        run.do("water_added", water_l=0.1)
    run.do("mixed", minutes=2)
    run.judge("right")
    assert run.now.act == "place"
