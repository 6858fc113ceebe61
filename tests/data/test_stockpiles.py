"""What happens to a crew's stockpile: written down once, undone, and carried to the loads that wait."""

from datetime import timedelta
from uuid import UUID

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from sqlalchemy import Engine, text
from sqlalchemy.exc import DBAPIError

from keeve.core.errors import InputError
from keeve.core.loads.running_load import RunningLoad
from keeve.data import loads, plans, stockpiles
from keeve.data.accounts import Visitor
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
