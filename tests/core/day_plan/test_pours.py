"""A pour and what follows it."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise
from random import Random

import pytest
from helpers import a_job_of, job

from keeve.core.curing.pours import Cure, Reading, cube_days, cure_of, family_of, hardened, state_of, tasks
from keeve.core.mixes import library
from keeve.core.planning.make_plan import make_plan
from keeve.core.rules.curing import cure_plan
from keeve.core.rules.maturity import Spell, equivalent_age

FIRST = datetime(2026, 5, 4, 9, 0, tzinfo=UTC)
LAST = FIRST + timedelta(hours=3)


def a_cure(**changes: object) -> Cure:
    given = {
        "family": "concrete",
        "uses": ("lay floor",),
        "thickness_mm": 100.0,
        "first_at": FIRST,
        "last_at": LAST,
    }
    return Cure(**given | changes)  # type: ignore[arg-type]


def test_every_mix_of_the_library_has_a_family() -> None:
    families = {mix.id: family_of(mix) for mix in library().values()}
    for mix_id, family in families.items():
        expected = {
            "concrete-pervious": "pervious",
            "concrete-fine-high-strength": "fine cast",
            "basecoat-polymer-bagged": "polymer coat",
            "basecoat-polymer-pail": "polymer coat",
            "finish-tinted-pail": "polymer coat",
        }.get(mix_id, library()[mix_id].trade)
        assert family == expected, mix_id


def test_the_shape_says_what_it_is_used_as() -> None:
    rooms = [{"length_m": 4, "width_m": 3}]
    floor = job(**a_job_of("screed-1-4-fibre", "forced-action")
                | {"need": {"shape": "floor-volume", "rooms": rooms, "thickness_m": 0.065}})  # fmt: skip
    cure = cure_of(floor, FIRST, LAST)
    assert (cure.family, cure.uses, cure.thickness_mm) == ("screed", ("lay floor",), 65.0)
    assert cure_of(job(), FIRST, LAST).uses == ("bed", "point")


def test_what_must_be_done_counts_from_the_first_load_and_what_may_be_from_the_last() -> None:
    found = {task.what: task for task in tasks(a_cure(), [20.0])}
    assert found["saw-joints"].begins == FIRST + timedelta(hours=6)
    assert found["walk-on"].begins == LAST + timedelta(hours=24)


@pytest.mark.parametrize("seed", range(40))
def test_the_pours_own_thermometer_goes_before_the_air(seed: int) -> None:
    chance = Random(seed)
    readings, at = [], LAST
    for _ in range(chance.randint(1, 12)):
        at += timedelta(hours=chance.uniform(0.2, 11))
        readings.append(Reading(at, chance.uniform(2, 45)))
    chance.shuffle(readings)
    by_hand = sorted(readings)
    begins = [LAST, *(reading.at for reading in by_hand[1:]), by_hand[-1].at + timedelta(hours=12)]
    spells = [
        Spell(hours=(end - begin) / timedelta(hours=1), c=reading.c)
        for (begin, end), reading in zip(pairwise(begins), by_hand, strict=True)
    ]
    found = next(task for task in tasks(a_cure(), [12.0], readings) if task.what == "full-load")
    rest_h = (found.begins - begins[-1]) / timedelta(hours=1)
    aged = equivalent_age(temperatures=[*spells, Spell(hours=rest_h, c=12.0)])
    assert aged.hours_at_20c == pytest.approx(672, rel=1e-6)


def test_a_fine_cast_is_stripped_broken_and_sealed_the_next_day_and_sooner_where_it_was_warm() -> None:
    """Not a yard slab's list: no saw, no week under water; its cubes are for 24 hours and 28 days (trade.md)."""
    fine, nominal = (
        make_plan(job(**a_job_of(mix, "forced-action")))
        for mix in ("concrete-fine-high-strength", "concrete-nominal")
    )
    assert (cube_days(fine), cube_days(nominal)) == ([1, 28, 28], [7, 28, 28])
    cure = a_cure(family="fine cast", uses=("cast",))
    cool = {task.what: task for task in tasks(cure, [20.0])}
    assert {"saw-joints", "keep-wet", "strip-props"}.isdisjoint(cool)
    for what in ("strip", "seal", "strength-tests-1"):
        assert timedelta(hours=12) < cool[what].begins - LAST <= timedelta(hours=24)
    night = [Reading(LAST + timedelta(hours=hour), 45.0) for hour in range(2, 20, 4)]
    warm = {task.what: task for task in tasks(cure, [20.0], night)}
    assert warm["strip"].begins < cool["strip"].begins
    assert warm["strength-tests-1"].begins == cool["strength-tests-1"].begins
    next_day = LAST + timedelta(hours=24)
    by_air, by_heat = hardened(cure, [20.0], [], next_day), hardened(cure, [20.0], night, next_day)
    assert by_air is not None
    assert by_heat is not None
    assert by_air.age_at_20c == timedelta(hours=24)
    assert by_heat.age_at_20c > timedelta(hours=48)
    assert by_air.strength_fraction < by_heat.strength_fraction < 1


def test_how_far_it_hardened_is_told_of_concrete_only_and_within_its_first_month() -> None:
    for family, hours, is_told in (
        ("concrete", 30, True),
        ("lime", 30, False),
        ("concrete", 0.2, False),
        ("concrete", 800, False),
    ):
        found = hardened(a_cure(family=family), [15.0], [], LAST + timedelta(hours=hours))
        assert (found is not None) == is_told


def test_readings_of_long_ago_tell_nothing_of_now() -> None:
    late = [Reading(LAST + timedelta(hours=20), 40.0)]
    assert tasks(a_cure(), [12.0], late) == tasks(a_cure(), [12.0])


def test_measured_spells_take_the_place_of_days() -> None:
    poured = "2026-05-04T12:00:00+00:00"
    given = [Spell(hours=30, c=20)]
    warm, cold = (
        cure_plan("concrete", poured, [20, 20, c], measured=given, uses=["cast"]).tasks for c in (20, 5)
    )
    # By hand: two days end 36 h after noon; what waits for 24 h at 20 °C is the same, for 168 h it is not.
    by_what = [{task.what: task.from_ for task in each} for each in (warm, cold)]
    assert by_what[0]["walk-on"] == by_what[1]["walk-on"] == "2026-05-05T12:00:00+00:00"
    assert by_what[0]["light-load"] == "2026-05-11T12:00:00+00:00" < by_what[1]["light-load"]


def test_how_it_stands_with_a_task() -> None:
    saw, walk, wet = (
        next(task for task in tasks(a_cure(), [20.0]) if task.what == what)
        for what in ("saw-joints", "walk-on", "keep-wet")
    )
    assert saw.ends
    assert wet.ends
    moment = timedelta(minutes=1)
    assert [state_of(saw, None, at) for at in (saw.begins - moment, saw.begins, saw.ends)] == [
        "later",
        "now",
        "late",
    ]
    assert [state_of(wet, None, at) for at in (wet.begins - moment, wet.begins, wet.ends)] == [
        "later",
        "now",
        "over",
    ]
    assert state_of(walk, None, walk.begins + timedelta(days=99)) == "now"
    assert state_of(saw, "done", saw.begins - moment) == "done"
    assert state_of(wet, "skipped", wet.begins) == "skipped"
