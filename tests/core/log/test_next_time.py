"""What is learnt for the next time: from loads that came right alone, against numpy, and a job that begins with it."""

import random
from copy import copy
from datetime import timedelta
from uuid import uuid4

import numpy as np
import pytest
from core.log.test_quality import PLAN, PLAN_ID, done, mixed
from helpers import NOON, job

from keeve.core.errors import InputError
from keeve.core.log.job_summary import summarise_job
from keeve.core.log.learning import LEAST_LOADS, Learnt, Own, as_learnt, learn
from keeve.core.log.load_row import LoadRow, as_planned
from keeve.core.mixes import library
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan

RATIOS = (0.55, 0.57, 0.58, 0.59, 0.6, 0.62)


def lessons(loads: list[LoadRow], plan: Plan) -> Learnt:
    return learn(loads, plan.mix.id, as_planned(plan, plan.loads[0]))


def from_before(ratio: float) -> LoadRow:
    """A load from before Keeve, of which the ratio is known."""
    known = {"number": 1, "mix_name": "Concrete", "begun_at": NOON, "state": "done"}
    return LoadRow(id=uuid4(), title="Slab", mix_id="concrete-nominal", ratio=ratio, **known)


def test_the_usual_water_is_that_of_loads_that_came_right() -> None:
    some = random.Random(7)
    for _ in range(30):
        loads = [done(some.choice(RATIOS), n) for n in range(some.randrange(LEAST_LOADS, 30))]
        wrong = [done(0.65, n, result="poor") for n in range(some.randrange(20))]
        past = [some.uniform(0.52, 0.64) for _ in range(some.randrange(4))]
        # What is past the window counts for nothing, from here or from before.
        found = lessons([*loads, *wrong, *map(from_before, [*past, 0.8, 0.3])], PLAN).ratio
        values = [*(load.ratio or 0.0 for load in loads), *past]
        assert found is not None
        assert found.usual == pytest.approx(np.median(values))
        assert (found.low, found.high) == pytest.approx(tuple(np.percentile(values, [10, 90])))
        assert found.loads == len(values)
        assert found.planned == pytest.approx(0.6)


def test_too_few_loads_propose_nothing() -> None:
    few = [done(0.59, n) for n in range(LEAST_LOADS - 1)]
    learnt = lessons(few, PLAN)
    assert (learnt.ratio, learnt.start_share, learnt.mixing_min) == (None, None, None)
    assert not lessons([], PLAN).is_something
    assert not Learnt().is_something


def other(**changes: object) -> Plan:
    return PLAN.model_copy(update={"mix": PLAN.mix.model_copy(update=changes)})


@pytest.mark.parametrize(
    "changes",
    [{"id": "mortar-general"}, {"ratio": "1 : 3 : 6 by volume"}, {"usual_ratio": 0.6, "target_ratio": 0.5}],
)
def test_loads_of_another_mix_ratio_or_placing_do_not_count(changes: dict[str, object]) -> None:
    run = mixed(0.57)
    of_other = copy(run)
    of_other.plan = other(**changes)
    assert lessons([run.row(number=n) for n in range(9)], PLAN).ratio is not None
    assert lessons([of_other.row(number=n) for n in range(9)], PLAN).ratio is None


def test_the_water_to_begin_with_is_what_nine_in_ten_took() -> None:
    ratios = [0.57] + [0.6] * 19
    learnt = lessons([done(ratio, n) for n, ratio in enumerate(ratios)], PLAN)
    assert learnt.ratio is not None
    assert learnt.start_share is not None
    # The sand brings some: a drier load takes less from the tap by more than its ratio says.
    assert learnt.start_share.low < 0.57 / 0.6
    assert learnt.start_share.usual == 0.95  # something is always held back
    ratios = [0.55] * 5 + [0.6] * 15
    shares = [
        mixed(ratio).state.went_in_l / (0.6 * PLAN.loads[0].binder_kg - PLAN.loads[0].water.in_aggregate_l)
        for ratio in ratios
    ]
    start = lessons([done(ratio, n) for n, ratio in enumerate(ratios)], PLAN).start_share
    assert start is not None
    assert start.usual == pytest.approx(np.percentile(shares, 10), abs=2e-3)


def test_the_minutes_are_from_first_water_until_right() -> None:
    found = lessons([done(0.59, n) for n in range(6)], PLAN).mixing_min
    state = mixed(0.59).state
    assert found is not None
    assert state.first_water_at is not None
    assert state.last_judgement is not None
    assert found.usual == pytest.approx(
        (state.last_judgement.at - state.first_water_at) / timedelta(minutes=1)
    )
    assert found.loads == 6


def whole(plan: Plan, ratio: float) -> list[LoadRow]:
    """Every load of a plan, done."""
    run = copy(mixed(ratio))
    run.plan = plan
    return [run.row(plan_id=PLAN_ID, number=load.number) for load in plan.loads]


def test_the_waste_is_of_jobs_that_are_done() -> None:
    plan = PLAN.model_copy(update={"loads": [PLAN.loads[0].numbered(n) for n in range(1, 7)]})
    loads = whole(plan, 0.59)
    assert lessons(loads[:-1], plan).waste_fraction is None
    found = lessons(loads, plan).waste_fraction
    assert found is not None
    summary = summarise_job(plan, loads)
    made_l = sum(load.yield_l for load in plan.loads)
    # By hand: what was made, over what was measured.
    assert summary.made_l == pytest.approx(made_l, rel=0.05)
    assert found.usual == pytest.approx(
        min(max(summary.made_l / (plan.volume.net_m3 * 1000) - 1, 0), 1), rel=1e-6
    )
    assert found.loads == 6


def test_casts_say_how_long_they_take_to_dry() -> None:
    def cast(days: float | None) -> LoadRow:
        return done(0.59).model_copy(update={"drying_days": days})

    found = lessons([cast(5.0), cast(7.0), cast(None)], PLAN).drying_days
    assert found is not None
    assert (found.usual, found.loads) == (pytest.approx(6.0), 2)
    assert lessons([cast(5.0)], PLAN).drying_days is None


def own(usual: float) -> Own:
    return Own(usual, usual, usual, 9, None)


def test_a_job_begins_with_it() -> None:
    before = job(mix="concrete-nominal", materials={}, vessels=[])
    assert as_learnt(before, Learnt()) == before
    after = as_learnt(before, Learnt(own(0.57), own(0.9), own(11.0), own(0.04)))
    assert (after.own_water.ratio, after.own_water.start_share) == (0.57, 0.9)
    assert (after.pace.cycle_min, after.waste_fraction) == (11.0, 0.04)
    assert after.need == before.need
    load = make_plan(after).loads[0]
    assert load.water.start_l == pytest.approx(0.9 * load.water.target_l)
    assert load.water.free_l(load.water.target_l) == pytest.approx(0.57 * load.binder_kg)


def test_own_water_is_kept_inside_what_each_mix_may_have() -> None:
    some = random.Random(3)
    for mix in library().values():
        if not mix.has_usual_water or mix.water is None:
            continue
        ratio = some.uniform(mix.water.ratio_low, mix.water.ratio_high)
        share = some.uniform(0.5, 1.0)
        mixer = {"kind": mix.procedures[0].mixer, "working_l": 90}
        raw = {"mix": mix.id, "materials": {}, "vessels": [], "mixer": mixer}
        load = make_plan(job(**raw, own_water={"ratio": ratio, "start_share": share})).loads[0]
        assert load.water.free_l(load.water.target_l) == pytest.approx(ratio * load.binder_kg, rel=1e-9), (
            mix.id
        )
        assert load.water.start_l == pytest.approx(share * load.water.target_l)
        for outside in (mix.water.ratio_low * 0.99, mix.water.ratio_high * 1.01):
            with pytest.raises(InputError) as refused:
                make_plan(job(**raw, own_water={"ratio": outside}))
            assert refused.value.code == "ratio_outside"


@pytest.mark.parametrize("mix", ["plaster-casting", "concrete-designed"])
def test_a_mix_that_is_not_judged_has_no_own_water(mix: str) -> None:
    mixer = {"kind": library()[mix].procedures[0].mixer, "working_l": 20}
    design = {"design": {"strength_mpa": 30}} if mix == "concrete-designed" else {}
    with pytest.raises(InputError, match="Leave it out"):
        make_plan(job(mix=mix, materials={}, vessels=[], mixer=mixer, own_water={"ratio": 0.6}, **design))


@pytest.mark.parametrize("changes", [{"basis": "bag"}, {"basis": "design"}, {"regime": "timed"}])
def test_where_something_else_gives_the_water_none_is_learnt(changes: dict[str, str]) -> None:
    learnt = lessons([done(0.59, n) for n in range(9)], other(**changes))
    assert (learnt.ratio, learnt.start_share) == (None, None)
    assert learnt.mixing_min is not None
