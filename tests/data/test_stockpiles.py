"""What happens to a crew's stockpile: written down once, undone, and carried to the loads that wait."""

from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError

from keeve.core.errors import InputError
from keeve.core.loads.expected_water import as_expected, in_words
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.loads.running_load import RunningLoad
from keeve.data import loads, plans, stockpiles
from keeve.data.accounts import Visitor
from keeve.demo.mixing import Mixing
from keeve.store.database import crew_session

SAND = "building-sand"
PAN = {"wet_kg": 1.16, "dry_kg": 1.1, "pan_kg": 0.1}


@pytest.fixture
def waiting(engine: Engine, visitor: Visitor) -> UUID:
    """A load that was begun after a pan of its stockpile was dried, and waits for its water."""
    stockpiles.record_stockpile_event(engine, visitor, SAND, raw_event("pan", **PAN), NOON)
    plan_id = plans.save_plan(engine, visitor, job())
    load_id = loads.begin_load(engine, visitor, plan_id, 1, NOON)
    assert load_id is not None
    return load_id


def load(engine: Engine, visitor: Visitor, load_id: UUID) -> RunningLoad:
    found = loads.running_load(engine, visitor, load_id)
    assert found is not None
    return found


def test_a_dried_pan_moves_the_water_of_the_next_load(
    engine: Engine, visitor: Visitor, waiting: UUID
) -> None:
    """60 g of water in 1 kg of dry sand: 6 %, so 2 % of the sand's mass less from the tap than planned at 4 %."""
    running = load(engine, visitor, waiting)
    planned, now = running.load, running.situation(NOON)
    less_l = planned.charge("sand").dry_kg * 0.02
    assert now.window.target_l == pytest.approx(planned.water.target_l - less_l, abs=0.1)
    assert now.window.ceiling_l == pytest.approx(planned.water.ceiling_l - less_l, abs=0.1)
    assert running.state.expected is not None
    assert running.state.expected.weighed


def test_rain_is_written_once_reaches_the_waiting_load_and_is_undone(
    engine: Engine, visitor: Visitor, waiting: UUID
) -> None:
    before = load(engine, visitor, waiting).situation(NOON).window
    at = NOON + timedelta(minutes=5)
    rain = raw_event("rain", at)
    for _ in range(2):
        stockpiles.record_stockpile_event(engine, visitor, SAND, rain, at)
    rained = load(engine, visitor, waiting)
    assert rained.situation(NOON).window.start_l < before.start_l - 1
    assert [event.kind for event in rained.events] == ["begun", "expected", "expected"]
    assert rained.state.undoable is None
    stockpile = stockpiles.stockpiles_of(engine, visitor, at)[0]
    assert [event.kind for event in stockpile.events] == ["pan", "rain"]
    stockpiles.record_stockpile_event(engine, visitor, SAND, raw_event("undone", at, cancels=rain["id"]), at)
    assert load(engine, visitor, waiting).situation(NOON).window.start_l == pytest.approx(before.start_l)
    with pytest.raises(InputError, match="Nothing to undo"):
        stockpiles.record_stockpile_event(
            engine, visitor, SAND, raw_event("undone", at, cancels=rain["id"]), at
        )


def test_what_cannot_be_is_refused_and_another_crew_sees_nothing(
    engine: Engine, visitor: Visitor, waiting: UUID
) -> None:
    for wrong in (
        raw_event("pan", wet_kg=1.0, dry_kg=1.1, pan_kg=0.1),
        raw_event("flood"),
        raw_event("rain", NOON + timedelta(hours=1)),
    ):
        with pytest.raises(InputError):
            stockpiles.record_stockpile_event(engine, visitor, SAND, wrong, NOON)
    assert not stockpiles.record_stockpile_event(engine, visitor, "cement", raw_event("rain"), NOON)
    stranger, _ = new_visitor(engine)
    assert stockpiles.stockpiles_of(engine, stranger, NOON) == []
    changing = crew_session(engine, visitor.crew_id)
    with pytest.raises(DBAPIError, match="never changed or removed"), changing as session:
        session.execute(text("delete from stockpile_event"))


def test_what_was_last_found_of_a_stockpile_begins_the_next_job(engine: Engine, visitor: Visitor) -> None:
    """By hand: 150 mm as it lies over 125 mm flooded is 20 % of bulking; rain makes the moisture unknown again."""
    at = NOON
    for kind, what in (
        ("felt", {"feel": "wet"}),
        ("bulking", {"damp_height_mm": 150, "flooded_height_mm": 125}),
    ):
        at += timedelta(minutes=1)
        stockpiles.record_stockpile_event(engine, visitor, SAND, raw_event(kind, at, **what), at)
    assert stockpiles.last_measured_of(engine, visitor, at) == {
        SAND: {"moisture_fraction": 0.07, "bulking_fraction": pytest.approx(0.2)}
    }
    stockpiles.record_stockpile_event(engine, visitor, SAND, raw_event("rain", at + timedelta(minutes=1)), at)
    assert stockpiles.last_measured_of(engine, visitor, at) == {SAND: {}}


def test_a_laboratory_report_stays_with_its_sand_until_it_is_taken_back(
    engine: Engine, visitor: Visitor
) -> None:
    """However old, and whatever rain or delivery came since; the newer one counts."""
    for number, absorption in ((1, 0.012), (2, 0.016)):
        at = NOON + timedelta(days=number)
        event = raw_event("report", at, report_number=str(number), absorption_fraction=absorption)
        stockpiles.record_stockpile_event(engine, visitor, SAND, event, at)
    later = NOON + timedelta(days=200)
    stockpiles.record_stockpile_event(engine, visitor, SAND, raw_event("delivery", later), later)
    assert stockpiles.last_measured_of(engine, visitor, later) == {SAND: {"absorption_fraction": 0.016}}
    (pile,) = stockpiles.stockpiles_of(engine, visitor, later)
    assert pile.report is not None
    taken_back = raw_event("undone", later, cancels=str(pile.report.id))
    assert stockpiles.record_stockpile_event(engine, visitor, SAND, taken_back, later)
    assert stockpiles.last_measured_of(engine, visitor, later) == {SAND: {"absorption_fraction": 0.012}}
    stranger, _ = new_visitor(engine)
    assert stockpiles.last_measured_of(engine, stranger, later) == {}


def sand_of(moisture: float | None) -> dict[str, Any]:
    return {"sand": {} if moisture is None else {"moisture_fraction": moisture}, "cement": {"bag_kg": 25}}


def mixed(
    engine: Engine, visitor: Visitor, plan_id: UUID, number: int, at: datetime, moisture: float
) -> None:
    """A load that is right at the water its sand asks for at that moisture."""
    load = Mixing(engine, visitor, plan_id, number, at)
    wanted_l = load.running.load.water.target_l + load.running.load.water.in_aggregate_l
    needs_l = wanted_l - moisture * load.running.load.charge("sand").dry_kg
    load.charge_and_mix(max(load.now.load.water.start_l - needs_l, 0.0))
    load.to_right(min(needs_l, load.now.window.ceiling_l))
    load.place(after_min=5)


@pytest.mark.parametrize("typed", [0.08, 0.075, 0.0])
def test_what_is_typed_for_a_job_stands_until_its_own_loads_say_otherwise(
    engine: Engine, visitor: Visitor, typed: float
) -> None:
    """Another job's loads say 3.2 %. The job goes by what was typed for it, and asks; its own loads then say more."""
    typed = typed or 0.033
    other = plans.save_plan(engine, visitor, job(materials=sand_of(None)))
    for number in (1, 2, 3, 4):
        mixed(engine, visitor, other, number, NOON + timedelta(minutes=30 * number), 0.032)
    at = NOON + timedelta(hours=3)
    plan_id = plans.save_plan(engine, visitor, job(materials=sand_of(typed)))
    saved = plans.saved_plan(engine, visitor, plan_id)
    assert saved is not None
    planned = saved.plan.loads[0]

    def expected() -> ExpectedWater | None:
        return stockpiles.expected_for_next(engine, visitor, plan_id, saved.plan, planned, at)

    def told(*, is_same: bool) -> None:
        raw = raw_event("pile", at, plan_id=str(plan_id), is_same=is_same)
        stockpiles.record_stockpile_event(engine, visitor, SAND, raw, at)

    asked = expected()
    if typed < 0.05:
        # They agree: nothing is asked, and the plan says all there is to say.
        assert asked is None
    else:
        assert asked is not None
        assert as_expected(saved.plan, planned, asked).water == planned.water
        assert "Same pile as before?" in in_words(asked.because)
        told(is_same=True)
        learnt = expected()
        assert learnt is not None
        assert learnt.free_moisture_fraction == pytest.approx(0.032, abs=0.008)
        assert learnt.start_l > planned.water.start_l + 1
        told(is_same=False)
        assert expected() is None
    for number in (1, 2):
        mixed(engine, visitor, plan_id, number, at - timedelta(minutes=90 - 40 * number), 0.06)
    own = expected()
    assert own is not None
    assert own.because.kind != "told"
    low, high = sorted((0.06, typed))
    assert low < own.free_moisture_fraction < high
    assert abs(own.free_moisture_fraction - typed) > 0.005
