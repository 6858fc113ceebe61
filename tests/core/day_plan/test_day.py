"""A day of several jobs: what breaks, and what makes it hold."""

from random import Random

import pytest
from helpers import a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.day_plan.day import (
    MINUTES,
    DayJob,
    DayPlan,
    SoFar,
    StartedLoad,
    Work,
    play,
    suits,
)
from keeve.core.day_plan.day_changes import changes, nearest
from keeve.core.day_plan.weather_limits import hour_for
from keeve.core.planning.pace import CLEAN_MIN, load_times
from keeve.core.rules.temperature import mix_temperature, working_life
from keeve.core.weather import Air

PLAN_ID = "00000000-0000-4000-8000-000000000001"
MILD = [Air(17.0, 0.7, 8.0, 0.1, 0.0)] * 96
WORKS = [
    Work(plan(**a_job_of(mix, mixer)), temperature_c, uses)
    for mix, mixer, temperature_c, uses in (
        ("mortar-bricklaying", "tilting-drum", (5.0, 30.0), ("bed",)),
        ("concrete-nominal", "tilting-drum", (5.0, 32.0), ("lay floor",)),
        ("screed-1-4-fibre", "forced-action", (5.0, 30.0), ("lay floor",)),
        ("overlay-stampable", "paddle", (5.0, 32.0), ("top",)),
    )
]


def a_day_job(work: Work, **changed: object) -> DayJob:
    given = {"plan_id": PLAN_ID, "first_load": 1, "loads": len(work.plan.loads), "begins_min": 480,
             "mixers": [1], "placing_m3_h": 0.5}  # fmt: skip
    return DayJob.model_validate(given | changed)


def some_air(chance: Random) -> list[Air]:
    warm, wet = chance.uniform(-6, 36), chance.random() < 0.4
    return [
        Air(warm + chance.uniform(-4, 4), chance.uniform(0.2, 1), chance.uniform(0, 40), chance.random(),
            chance.uniform(0, 4) if wet and chance.random() < 0.3 else 0.0)
        for _ in range(96)
    ]  # fmt: skip


def some_day(chance: Random) -> tuple[DayPlan, list[Work]]:
    works = [chance.choice(WORKS) for _ in range(chance.randint(1, 3))]
    jobs = [
        a_day_job(
            work,
            begins_min=chance.randrange(360, 900),
            mixers=chance.choice([[1], [2], [1, 2]]),
            placing_m3_h=chance.uniform(0.04, 0.6),
            held_back=chance.random() < 0.3,
        )
        for work in works
    ]
    return DayPlan(jobs=jobs, hands=chance.randint(2, 5)), works


@pytest.mark.parametrize("seed", range(40))
def test_every_change_that_is_offered_breaks_less_and_the_nearest_day_holds(seed: int) -> None:
    chance = Random(seed)
    day, works = some_day(chance)
    outcome = play(day, works, suits(day, works, some_air(chance)))
    weight = sum(len(each.loads) for each in outcome.breaks)
    found = changes(day, works, outcome)
    assert [change.left for change in found] == sorted(change.left for change in found)
    for change in (change for change in found if change.kind != "smaller"):
        again = play(change.day, works, outcome.hours)
        assert sum(len(each.loads) for each in again.breaks) == change.left < weight
    steps = nearest(found, works, outcome)
    if steps:
        assert play(steps[-1].day, works, outcome.hours).breaks == []


@pytest.mark.parametrize("seed", range(40))
def test_every_load_of_the_day_is_there_once_whatever_was_begun(seed: int) -> None:
    chance = Random(seed)
    day, works = some_day(chance)
    begun = []
    for job in day.jobs:
        numbers = range(1, chance.randint(0, job.loads) + 1)
        begun.append({number: StartedLoad(400.0 + number, 430.0 + number, 500.0) for number in numbers})
    outcome = play(day, works, suits(day, works, MILD), SoFar(begun, 600.0))
    for job, known, loads in zip(day.jobs, begun, outcome.jobs, strict=True):
        assert [load.number for load in loads] == list(range(1, job.loads + 1))
        for load in loads:
            assert load.is_begun == (load.number in known)
            if not load.is_begun:
                assert load.pieces[0].from_min >= max(600.0, job.begins_min)
                assert load.is_dead == (load.placed_min > load.dead_min)
    assert outcome.idle_min >= 0


def test_a_slow_crew_kills_loads_and_holding_them_back_saves_them() -> None:
    # The smallest load of 12 L takes 36 min to place at 0.02 m3/h, an overlay lives 30 min: dead whatever is done.
    work = WORKS[3]
    day = DayPlan(jobs=[a_day_job(work, placing_m3_h=0.02)])
    outcome = play(day, [work], suits(day, [work], MILD))
    assert outcome.breaks[0].kind == "dead"
    assert "hold-back" not in {change.kind for change in changes(day, [work], outcome)}
    # Mortar of two mixers waits for one who lays it: held back, each load is ready at its turn.
    work = WORKS[0]
    day = DayPlan(jobs=[a_day_job(work, mixers=[1, 2], placing_m3_h=0.032)])
    outcome = play(day, [work], suits(day, [work], MILD))
    assert "dead" in {each.kind for each in outcome.breaks}
    first = changes(day, [work], outcome)[0]
    assert (first.kind, first.left) == ("hold-back", 0)


def test_the_parts_of_a_load_come_to_its_procedure() -> None:
    for work in WORKS:
        times = load_times(work.plan, work.plan.loads[0], 0.5)
        steps = [step for step in work.plan.procedure if step.kind != "place"]
        assert times.ready_after_min == pytest.approx(sum(sum(step.minutes) / 2 for step in steps))
        assert times.place_min == pytest.approx(work.plan.loads[0].yield_l / 500 * 60)
        assert 0 <= times.first_water_min < times.charge_min


def hour(air: Air, work: Work, after: list[Air] | None = None, **more: bool):  # type: ignore[no-untyped-def]
    hours = [air] * 12 + (after or [air] * 84)
    return hour_for(work.plan, work.plan.loads[0], work.temperature_c, work.uses, hours, 11, **more)


def whys(air: Air, work: Work, after: list[Air] | None = None, **more: bool) -> dict[str, str]:
    return {reason.why: reason.verdict for reason in hour(air, work, after, **more).reasons}


def test_each_kind_of_weather_says_what_it_is() -> None:
    mortar, floor = WORKS[0], WORKS[1]
    mild = MILD[0]
    assert hour(mild, mortar).verdict == "go"
    assert whys(mild._replace(air_c=3), mortar)["cold"] == "no"
    assert whys(mild._replace(air_c=33), mortar)["hot"] == "no"
    assert whys(mild._replace(rain_mm=3), mortar) == {"heavy-rain": "no"}
    assert whys(mild._replace(rain_mm=3), mortar, indoors=True) == {}
    assert whys(mild, mortar, [mild, mild._replace(rain_mm=0.5), *[mild] * 82]) == {"rain": "care"}
    assert whys(mild, mortar, [mild._replace(air_c=-3)] * 84) == {"frost": "care"}
    assert whys(mild, mortar, [mild] * 40 + [mild._replace(air_c=-3)] * 44) == {}  # it has hardened by then
    dry = mild._replace(air_c=28, humidity_fraction=0.2, wind_kmh=30, sun_fraction=0.8)
    assert {"drying", "thirsty"} <= set(whys(dry, floor))
    assert "drying" not in whys(dry, mortar)


def test_the_remedies_bring_the_mix_where_it_should_be() -> None:
    """Water as warm or as cool as is said, put into the heat balance of ACI 305R, gives the temperature aimed at."""
    work = WORKS[1]
    load = work.plan.loads[0]
    masses = {
        "aggregate_kg": sum(item.dry_kg for item in load.charges if item.material != "cement"),
        "cement_kg": load.binder_kg,
        "aggregate_water_kg": load.water.in_aggregate_l,
    }
    for air_c, aimed_c in ((5.0, 7.0), (40.0, 32.0)):
        air = Air(air_c, 0.6, 5.0, 1.0 if air_c > 20 else 0.0, 0.0)
        found = next(each for each in hour(air, work).reasons if each.why.startswith("mix"))
        heap_c = air_c + 6.0 * air.sun_fraction
        ice_kg = found.remedy_kg or 0.0
        got = mix_temperature(**masses, water_kg=load.water.target_l - ice_kg, ice_kg=ice_kg,
                              aggregate_c=heap_c, cement_c=air_c, water_c=found.remedy_c)  # fmt: skip
        assert got.mix_c == pytest.approx(aimed_c, abs=0.01)


def test_life_is_that_of_the_hour() -> None:
    found = hour(MILD[0]._replace(air_c=29.0), WORKS[1])
    assert found.life_min == pytest.approx(
        working_life(WORKS[1].plan.mix.life_min, found.mix_c or 0.0).life_min
    )
    assert hour(MILD[0]._replace(air_c=8.0), WORKS[1]).life_min == WORKS[1].plan.mix.life_min
    assert MINUTES == 1440


def test_a_retarder_of_that_life_saves_what_died_and_no_shorter_one_would() -> None:
    work = WORKS[0]
    day = DayPlan(jobs=[a_day_job(work, mixers=[1, 2], placing_m3_h=0.032)])
    outcome = play(day, [work], suits(day, [work], MILD))
    offered = next(change for change in changes(day, [work], outcome) if change.kind == "retarder")
    for life_min, dies in ((offered.to, False), (offered.to - 5, True)):
        other = DayPlan(jobs=[a_day_job(work, mixers=[1, 2], placing_m3_h=0.032, life_min=life_min)])
        again = play(other, [work], outcome.hours)
        assert any(load.is_dead for load in again.jobs[0]) == dies


def test_smaller_loads_are_offered_where_they_save_some() -> None:
    work = WORKS[3]
    day = DayPlan(jobs=[a_day_job(work, placing_m3_h=0.04, held_back=True)])
    outcome = play(day, [work], suits(day, [work], MILD))
    offered = [change for change in changes(day, [work], outcome) if change.kind == "smaller"]
    assert [change.to for change in offered] == [work.plan.loads[0].yield_l / 2]


def test_a_load_in_the_mixer_keeps_the_next_one_waiting() -> None:
    work = WORKS[0]
    day = DayPlan(jobs=[a_day_job(work)])
    by_hour = suits(day, [work], MILD)
    times = load_times(work.plan, work.plan.loads[0], 0.5)
    clean_at = 590 + times.ready_after_min + times.discharge_min + times.clean_min
    mixing = play(day, [work], by_hour, SoFar([{1: StartedLoad(590.0, None, 700.0)}], 595.0))
    placed = play(day, [work], by_hour, SoFar([{1: StartedLoad(560.0, 590.0, 700.0)}], 595.0))
    assert mixing.jobs[0][1].pieces[0].from_min == pytest.approx(clean_at)
    assert placed.jobs[0][1].pieces[0].from_min == pytest.approx(595.0)


@pytest.mark.parametrize("seed", range(60))
def test_half_a_day_later_the_rest_is_foretold_as_it_will_come(seed: int) -> None:
    """The day as it goes, cut at any moment: what is in mixers, busy hands and those who place hold back the rest.

    Nothing is foretold sooner than it comes, but for a mixer that is being cleaned; nor later than by the placing that
    is under way, of which nobody knows how far it is.
    """
    chance = Random(seed)
    day, works = some_day(chance)
    by_hour = suits(day, works, MILD)
    whole = play(day, works, by_hour)
    moments = [piece.from_min for loads in whole.jobs for load in loads for piece in load.pieces]
    now = chance.uniform(min(moments), max(moments))
    begun = [
        {
            load.number: StartedLoad(
                load.pieces[0].from_min, load.placed_min if load.placed_min <= now else None, load.dead_min
            )
            for load in loads
            if load.pieces[0].from_min < now
        }
        for loads in whole.jobs
    ]
    later = play(day, works, by_hour, SoFar(begun, now))
    slack = max(
        times.place_min + times.discharge_min
        for job, work in zip(day.jobs, works, strict=True)
        for times in [load_times(work.plan, work.plan.loads[0], job.placing_m3_h)]
    )
    for went, foretold in zip(whole.jobs, later.jobs, strict=True):
        for true, told in zip(went, foretold, strict=True):
            assert true.number == told.number
            if true.placed_min > now and len(day.jobs) == 1:
                assert true.placed_min - CLEAN_MIN - 1e-6 <= told.placed_min
                assert told.placed_min <= true.placed_min + slack + CLEAN_MIN + 1e-6
            if true.is_dead and true.placed_min > now and len(day.jobs) == 1:
                assert told.is_dead or told.placed_min < true.placed_min


@given(st.integers(1, 40), st.integers(1, 4), st.integers(1, 10), st.integers(0, 3), st.floats(0.001, 50))
def test_a_day_is_told_whatever_people_there_are(
    hands: int, mixing: int, placing: int, in_mixer: int, placing_m3_h: float
) -> None:
    """Too few to place a load or to mix one: that is a fault that is told, not a day that cannot be opened."""
    work = WORKS[0]
    job = a_day_job(work, placing_m3_h=placing_m3_h)
    day = DayPlan(jobs=[job], hands=hands, mixing_hands=mixing, placing_hands=placing)
    begun = {number: StartedLoad(470.0 + number, None, 600.0) for number in range(1, in_mixer + 1)}
    outcome = play(day, [work], suits(day, [work], MILD), SoFar([begun], 480.0))
    told = {each.kind for each in outcome.breaks}
    assert ("no-hands" in told) == (max(mixing, placing) > hands and in_mixer < job.loads)
    changes(day, [work], outcome)
