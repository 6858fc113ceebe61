"""Corrections on a running load, each against an account made here from the kilograms that went in."""

import pytest
from helpers import MOISTURE, Run, a_job_of, account_of_mortar, plan

from keeve.core.errors import InputError
from keeve.core.loads.contents import contents
from keeve.core.loads.corrections import cooler_next_time
from keeve.core.rules.temperature import mix_temperature
from keeve.core.rules.workings import Workings

PLAN = plan()


def take_up(run: Run) -> None:
    """The correction that is shown, chosen and put in, one after the other, then mixed."""
    shown = run.now.correction
    assert shown is not None
    run.do("correcting", cause=shown.cause, add_kg=shown.add_kg, water_l=shown.water_l)
    while run.now.act == "top_up":
        owed = run.state.owed
        assert owed is not None
        if owed.add_kg:
            name, kg = next(iter(owed.add_kg.items()))
            run.do("corrected", add_kg={name: kg})
        else:
            run.do("water_added", water_l=owed.water_l)
    assert run.now.act == "mix"
    run.do("mixed", minutes=2)
    assert run.now.act == "judge"


@pytest.fixture
def run() -> Run:
    return Run(PLAN).to_judgement()


def test_too_wet_comes_back_to_its_target_step_by_step(run: Run) -> None:
    run.judge("too-dry")
    run.do("water_added", water_l=run.now.water.remaining_l)
    run.do("mixed", minutes=2)
    run.judge("too-wet")
    take_up(run)
    cement, sand, water = account_of_mortar(run)
    assert water / cement == pytest.approx(0.75)
    before = PLAN.loads[0]
    assert sand / cement == pytest.approx(before.charge("sand").dry_kg / before.charge("cement").dry_kg)


def test_between_the_drawings_it_is_corrected_less(run: Run) -> None:
    cement, sand, water = account_of_mortar(run)
    assert water / cement < 0.75
    for wetness in (0.7, 0.85, 1.0):
        run.do("judged", reading="too-wet", wetness=wetness)
        shown = run.now.correction
        assert shown is not None
        # Its figures are in range, so the ratio comes down by up to a twentieth, as far as it looks from right.
        wanted = water / cement * (1 - 0.05 * (2 * wetness - 1))
        assert shown.ratio == pytest.approx(wanted)
        times = 1 + shown.add_kg["cement"] / cement
        assert (water + sand * MOISTURE * (times - 1)) / (cement * times) == pytest.approx(wanted)
        run.do("undone", cancels=str(run.events[-1].id))


def test_the_sheet_of_a_correction_is_the_computation_on_the_screen(run: Run) -> None:
    run.judge("too-wet")
    shown = run.now.correction
    assert shown is not None
    outputs = next(item.outputs for item in run.now.workings if item.rule == "correct-wet")
    assert (shown.add_kg, shown.ratio, shown.loose_l, shown.fits) == (
        outputs["add_kg"],
        outputs["new_ratio"],
        outputs["volume_l"],
        outputs["fits"],
    )


def test_a_look_is_the_reading_that_is_given(run: Run) -> None:
    with pytest.raises(InputError) as refused:
        run.do("judged", reading="right", wetness=0.2)
    assert refused.value.fields == ["wetness"]


def test_three_sands_for_four_are_topped_up(run: Run) -> None:
    planned = PLAN.loads[0].charge("sand").mass_kg
    run.do("recounted", charged_kg={"sand": planned * 3 / 4})
    shown = run.now.correction
    assert run.now.act == "correct"
    assert shown is not None
    assert shown.cause == "miscounted"
    assert shown.add_kg == pytest.approx({"sand": planned / 4})
    # The binder stays as it was, so no water goes with it; the damp sand brings its own.
    assert shown.water_l == 0
    take_up(run)
    assert run.now.remaining_l == pytest.approx(PLAN.loads[0].yield_l)
    assert run.now.window.target_l == pytest.approx(PLAN.loads[0].water.target_l)


def test_a_bag_too_many_makes_a_larger_load_of_the_same_ratio(run: Run) -> None:
    load = PLAN.loads[0]
    _, sand, water = account_of_mortar(run)
    cement = 1.5 * load.charge("cement").mass_kg
    run.do("recounted", charged_kg={"cement": cement})
    ratio = water / cement
    assert run.now.ratio == pytest.approx(ratio)
    take_up(run)
    added = next(event.add_kg["sand"] for event in run.events if event.kind == "corrected")
    added_dry = added / (1 + MOISTURE)
    assert (sand + added_dry) / cement == pytest.approx(sand / load.charge("cement").mass_kg)
    # 1.5 times the binder from now on: the water that was in already serves it, damp sand brings some more.
    assert run.now.ratio == pytest.approx((water + added_dry * MOISTURE) / cement)
    assert run.now.window.target_l == pytest.approx(1.5 * load.water.target_l, rel=1e-6)


def test_a_wrong_count_may_be_left_as_it_is(run: Run) -> None:
    run.do("recounted", charged_kg={"sand": 1.0})
    run.do("correcting", cause="miscounted", add_kg={})
    assert run.now.act == "judge"
    with pytest.raises(InputError, match="Nothing to correct"):
        run.do("correcting", cause="miscounted", add_kg={})


def test_a_double_dose_asks_for_a_load_of_twice_the_size() -> None:
    dose = {
        "name": "plasticiser", "dose": 150, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2
    }  # fmt: skip
    run = Run(plan(admixtures=[dose], mixer={"kind": "tilting-drum", "working_l": 200})).to_judgement()
    water = run.state.water_l
    run.do("recounted", doses={"plasticiser": 2.0})
    shown = run.now.correction
    assert shown is not None
    assert shown.cause == "overdosed"
    assert shown.add_kg == pytest.approx({item.material: item.mass_kg for item in run.load.charges})
    brought = run.load.water.in_aggregate_l
    # Twice the binder at the same ratio: as much free water again, less what the damp sand brings of it.
    free = water + brought + 2 * run.load.water.in_admixture_l
    assert shown.water_l == pytest.approx(free - brought)


def test_sandy_gets_binder_and_rich_gets_sand(run: Run) -> None:
    load, (cement, sand, water) = PLAN.loads[0], account_of_mortar(run)
    run.do("judged", reading="right", cohesion="sandy")
    shown = run.now.correction
    assert shown is not None
    # An eighth less sand to the cement: 4 : 3.5, so a seventh more cement.
    assert shown.add_kg == pytest.approx({"cement": cement / 7})
    assert shown.water_l == pytest.approx(water / 7)
    run.do("undone", cancels=str(run.events[-1].id))
    run.do("judged", reading="too-wet", cohesion="rich")
    shown = run.now.correction
    assert shown is not None
    assert shown.add_kg == pytest.approx({"sand": load.charge("sand").mass_kg / 8})
    assert shown.ratio == pytest.approx((water + sand / 8 * MOISTURE) / cement)
    bagged = Run(plan(**a_job_of("concrete-bagged", "barrow"))).to_judgement()
    with pytest.raises(InputError) as refused:
        bagged.do("judged", reading="right", cohesion="sandy")
    assert refused.value.fields == ["cohesion"]


def test_the_room_in_the_drum_is_told() -> None:
    tight = Run(plan(mixer={"kind": "tilting-drum", "working_l": 69})).to_judgement()
    tight.judge("too-wet")
    assert tight.now.correction is not None
    assert not tight.now.correction.fits
    roomy = Run(plan(mixer={"kind": "tilting-drum", "working_l": 120})).to_judgement()
    roomy.judge("too-wet")
    assert roomy.now.correction is not None
    assert roomy.now.correction.fits


def test_past_the_ceiling_only_with_a_reason_and_a_little(run: Run) -> None:
    run.judge("too-dry")
    with pytest.raises(InputError, match="Add water up to the max first"):
        run.do("water_added", water_l=0.2, past_ceiling="A trial")
    run.do("water_added", water_l=run.now.water.remaining_l)
    run.do("mixed", minutes=2)
    run.judge("too-dry")
    assert run.now.act == "ceiling"
    most_l = 0.05 * run.now.window.ceiling_l
    for what in ({"water_l": 0.2}, {"water_l": most_l + 0.2, "past_ceiling": "A trial"}):
        with pytest.raises(InputError, match="Over the max"):
            run.do("water_added", **what)
    run.do("water_added", water_l=most_l, past_ceiling="The pile is drier than thought")
    assert run.now.water.state == "over"
    assert run.state.water_l == pytest.approx(run.now.window.ceiling_l + most_l)


def test_at_the_ceiling_half_a_dose_loosens_it_and_no_more_than_two() -> None:
    dose = {
        "name": "plasticiser", "dose": 150, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2
    }  # fmt: skip
    run = Run(plan(admixtures=[dose])).to_judgement()
    before = contents(run.plan, run.load, run.state).admixture_l
    run.do("admixed", doses={"plasticiser": 0.5})
    assert contents(run.plan, run.load, run.state).admixture_l == pytest.approx(1.5 * before)
    assert run.now.act == "mix"
    with pytest.raises(InputError) as refused:
        run.do("admixed", doses={"plasticiser": 0.6})
    assert refused.value.fields == ["doses.plasticiser"]
    with pytest.raises(InputError, match="not in this mix"):
        run.do("admixed", doses={"soap": 0.5})


def test_a_warm_mix_lives_shorter_and_the_next_load_is_told_what_cools_it(run: Run) -> None:
    assert run.now.life.life_min == 120
    run.do("temperature", mix_c=30.0, water_c=20.0)
    assert run.now.life.life_min == pytest.approx(120 / 1.574, rel=1e-3)
    plan_, load = run.plan, run.load
    cooler = cooler_next_time(plan_, load, run.state, Workings())
    assert cooler is not None
    # What the dry materials must have had, so that with water at 20 °C they came to 30.
    masses = {
        "aggregate_kg": load.charge("sand").dry_kg,
        "cement_kg": load.charge("cement").dry_kg,
        "aggregate_water_kg": load.water.in_aggregate_l,
    }

    def comes_to(dry_c: float, water_c: float, ice_kg: float) -> float:
        water_kg = load.water.target_l - ice_kg
        return mix_temperature(
            **masses, water_kg=water_kg, ice_kg=ice_kg, aggregate_c=dry_c, cement_c=dry_c, water_c=water_c
        ).mix_c

    dry_c = next(c / 100 for c in range(2000, 8000) if comes_to(c / 100, 20.0, 0.0) >= 30.0)
    assert comes_to(dry_c, cooler.water_c, cooler.ice_kg) == pytest.approx(20.0, abs=0.02)
    run.do("temperature", mix_c=10.0)
    assert run.now.life.life_min == pytest.approx(180)


def test_a_computed_temperature_shortens_a_life_and_never_lengthens_it() -> None:
    hot = Run(plan(conditions={"air_c": 34, "water_c": 24}))
    assert hot.now.life.life_min < 100
    assert Run(plan(conditions={"air_c": 6, "water_c": 5})).now.life.life_min == 120
    frozen = plan(conditions={"air_c": 6, "water_c": 5, "stockpile_c": -2})
    assert Run(frozen).now.life.mix_c is None


def test_a_retarder_lengthens_the_life_its_label_says() -> None:
    label = {
        "dose": 300,
        "basis": "ml_per_100kg",
        "density_kg_l": 1.1,
        "solids_fraction": 0.3,
        "life_min": 200,
    }
    long = plan(mix="mortar-general", admixtures=[{"name": "retarder", **label}])
    assert long.mix.life_min == 200
    assert long.procedure[-1].minutes == (0.0, 200.0)
