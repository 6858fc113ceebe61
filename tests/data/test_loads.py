"""Plans and loads on a real database: kept once, never changed, seen by their own crew alone."""

from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from sqlalchemy import Engine, delete, insert, select, text, update
from sqlalchemy.exc import DBAPIError
from started import a_started_load

from keeve.core.errors import InputError
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.log_filter import LogFilter
from keeve.core.rules.registry import VERSION
from keeve.data import crews, jobs, loads, plans, sessions
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find
from keeve.demo import begin_afresh, enter, load_demo
from keeve.store import models
from keeve.store.database import connect, crew_reading, crew_session, open_session, session_crew


@pytest.fixture
def plan_id(engine: Engine, visitor: Visitor) -> UUID:
    return plans.save_plan(engine, visitor, job())


@pytest.fixture
def load_id(engine: Engine, visitor: Visitor, plan_id: UUID) -> UUID:
    return a_started_load(engine, visitor, plan_id)


def water(minutes: float = 0, **changes: Any) -> dict[str, Any]:
    return {**raw_event("water_added", NOON + timedelta(minutes=minutes), step=1, water_l=7.5), **changes}


def test_a_plan_comes_back_as_it_was_made(engine: Engine, visitor: Visitor, plan_id: UUID) -> None:
    saved = plans.saved_plan(engine, visitor, plan_id)
    assert saved is not None
    assert saved.job == job()
    assert saved.plan.rules_version == VERSION
    # The order of a mix's readings is the order of its cards.
    assert list(saved.plan.tests["trowel"].looks) == ["too-dry", "right", "too-wet", "not-mixed-yet"]
    line = jobs.jobs(engine, visitor)[0]
    assert (line.title, line.loads, line.begun) == ("Coping bed", 4, 0)


def test_the_same_event_twice_is_kept_once(engine: Engine, visitor: Visitor, load_id: UUID) -> None:
    event = water()
    for _ in range(3):
        running = loads.record_event(engine, visitor, load_id, event, NOON)
        assert running is not None
        assert running.state.water_l == 7.5
        assert [kept.kind for kept in running.events] == ["begun", "accepted", "water_added"]
    assert running.events[-1].recorded_by == visitor.name
    assert running.events[-1].received_at == NOON


def test_a_refused_event_leaves_nothing(engine: Engine, visitor: Visitor, load_id: UUID) -> None:
    for raw in (
        water(water_l=500.0),
        water(minutes=10),
        raw_event("judged", reading="right"),
        {"kind": "water_added"},
        raw_event("begun", checks=[]),
    ):
        with pytest.raises(InputError):
            loads.record_event(engine, visitor, load_id, raw, NOON)
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    assert [kept.kind for kept in running.events] == ["begun", "accepted"]


def test_materials_are_looked_at_before_the_first_load_of_a_day(
    engine: Engine, visitor: Visitor, plan_id: UUID
) -> None:
    def begin(number: int, hours: float) -> UUID:
        found = loads.begin_load(engine, visitor, plan_id, number, NOON + timedelta(hours=hours))
        assert found is not None
        return found

    def send(load_id: UUID, raw: dict[str, Any]) -> RunningLoad:
        running = loads.record_event(engine, visitor, load_id, raw, NOON)
        assert running is not None
        return running

    first = begin(1, 0)
    with pytest.raises(InputError, match="Do the checks first"):
        send(first, water())
    with pytest.raises(InputError, match="isn't on the list"):
        send(first, raw_event("accepted", faults=["stone-clean"]))
    running = send(first, raw_event("accepted", faults=["stockpile-thawed"]))
    assert running.state.faults == ("stockpile-thawed",)
    assert running.situation(NOON).act == "water"
    again = begin(2, 1)
    assert send(again, water()).state.water_l == 7.5
    next_day = loads.running_load(engine, visitor, begin(3, 20))
    assert next_day is not None
    assert {"sand-clean", "stockpile-thawed", "bags-fresh", "admixture-fresh"} <= set(next_day.state.to_check)


def test_a_load_is_begun_once(engine: Engine, visitor: Visitor, plan_id: UUID, load_id: UUID) -> None:
    assert loads.begin_load(engine, visitor, plan_id, 1, NOON + timedelta(hours=1)) == load_id
    assert loads.begin_load(engine, visitor, plan_id, 99, NOON) is None


def test_another_crew_sees_and_changes_nothing(
    engine: Engine, visitor: Visitor, plan_id: UUID, load_id: UUID
) -> None:
    stranger, _ = new_visitor(engine)
    assert plans.saved_plan(engine, stranger, plan_id) is None
    assert jobs.jobs(engine, stranger) == []
    assert loads.begin_load(engine, stranger, plan_id, 1, NOON) is None
    assert loads.running_load(engine, stranger, load_id) is None
    assert loads.record_event(engine, stranger, load_id, water(), NOON) is None
    assert loads.loads_in_work(engine, stranger, NOON) == []


# A stranger is let in by what they have in hand, or it is of people; what a crew does is not in them.
_OF_PEOPLE = {
    "calendar_feed",
    "demo_crew",
    "invitation",
    "membership",
    "security_entry",
    "share_link",
    "sign_in",
}


def test_every_table_of_a_crew_is_held_to_it_by_the_database(engine: Engine) -> None:
    with engine.connect() as connection:
        held = connection.execute(
            text(
                "select relname, relrowsecurity and relforcerowsecurity from pg_class "
                "join pg_attribute on attrelid = pg_class.oid and attname = 'crew_id' "
                "where relkind = 'r' and relnamespace = 'public'::regnamespace"
            )
        )
        assert {name for name, is_held in held if not is_held} == _OF_PEOPLE
    owned = {mapper.local_table.name for mapper in models.Base.registry.mappers if _is_owned(mapper.class_)}
    every = {table.name for table in models.Base.metadata.tables.values() if "crew_id" in table.c}
    assert every - owned == _OF_PEOPLE


def _is_owned(table: type) -> bool:
    return issubclass(table, models.CrewOwned)


def test_a_query_without_a_crew_returns_nothing_and_writes_nothing(
    engine: Engine, visitor: Visitor, plan_id: UUID, load_id: UUID
) -> None:
    theirs = {"id": uuid4(), "plan_id": plan_id, "number": 2, "begun_at": NOON}
    tables = [mapper.class_ for mapper in models.Base.registry.mappers if _is_owned(mapper.class_)]
    stranger, _ = new_visitor(engine)
    for session_of in (open_session(engine), crew_session(engine, stranger.crew_id)):
        with session_of as session:
            assert all(session.scalars(select(table)).all() == [] for table in tables)
            for table in (models.LogEntry, models.StoredPhoto):
                assert session.execute(delete(table)).rowcount == 0  # type: ignore[attr-defined]
    for refused in (
        (open_session(engine), theirs),
        (open_session(engine), {**theirs, "crew_id": visitor.crew_id}),
        (crew_session(engine, stranger.crew_id), {**theirs, "crew_id": visitor.crew_id}),
        (crew_session(engine, stranger.crew_id), theirs),
    ):
        wrong = "row-level security|null value|load_plan"
        with pytest.raises(DBAPIError, match=wrong), refused[0] as session:
            session.execute(insert(models.StoredLoad).values(refused[1]))
    with crew_session(engine, visitor.crew_id) as session:
        assert session.scalars(select(models.StoredLoad.number)).all() == [1]
        session.execute(insert(models.StoredLoad).values(theirs))
        assert session.scalars(select(models.StoredLoad.crew_id)).all() == [visitor.crew_id] * 2
    # What a transaction worked for ends with it, on the same connection too.
    with engine.connect() as connection:
        assert connection.scalar(text("select count(*) from load")) == 0


def test_a_transaction_that_failed_leaves_no_crew_behind(
    engine: Engine, visitor: Visitor, plan_id: UUID, load_id: UUID
) -> None:
    one = connect(engine.url.render_as_string(hide_password=False))
    for spoil in ("select 1 / 0", "insert into load (id) values (null)", "select nothing"):
        with pytest.raises(DBAPIError), crew_session(one, visitor.crew_id) as session:
            session.execute(text(spoil))
        with open_session(one) as session:
            assert session.scalars(select(models.StoredLoad)).all() == []
            assert session.scalar(text("select asking_crew()")) is None
    one.dispose()


def test_reading_inside_reading_takes_one_connection_of_one_crew(engine: Engine, visitor: Visitor) -> None:
    stranger, _ = new_visitor(engine)
    elsewhere = connect(engine.url.render_as_string(hide_password=False))
    with crew_reading(engine, visitor.crew_id) as outer:
        with crew_reading(engine, visitor.crew_id) as inner:
            assert inner is outer
        with crew_reading(engine, stranger.crew_id) as other:
            assert session_crew(other) == stranger.crew_id
            with crew_reading(engine, visitor.crew_id) as inmost:
                assert session_crew(inmost) == visitor.crew_id
        with crew_reading(elsewhere, visitor.crew_id) as far:
            assert far is not outer
        with crew_reading(engine, visitor.crew_id) as again:
            assert again is outer
    with crew_reading(engine, visitor.crew_id) as later:
        assert later is not outer
    elsewhere.dispose()


@pytest.mark.parametrize(
    "statement",
    [update(models.StoredPlan).values(title="x"), delete(models.Event), delete(models.StoredLoad)],
)
def test_the_database_itself_keeps_every_row(
    engine: Engine, visitor: Visitor, load_id: UUID, statement: Any
) -> None:
    loads.record_event(engine, visitor, load_id, water(), NOON)
    changing = crew_session(engine, visitor.crew_id)
    with pytest.raises(DBAPIError, match="never changed or removed"), changing as session:
        session.execute(statement)


def test_what_runs_out_first_stands_on_top(engine: Engine, visitor: Visitor, plan_id: UUID) -> None:
    found = {n: loads.begin_load(engine, visitor, plan_id, n, NOON) for n in (1, 2, 3)}
    for number, minutes in ((2, 1), (3, 5)):
        load_id = found[number]
        assert load_id is not None
        now = NOON + timedelta(minutes=minutes)
        loads.record_event(engine, visitor, load_id, water(minutes), now)
    in_work = loads.loads_in_work(engine, visitor, NOON + timedelta(minutes=6))
    assert [item.running.load.number for item in in_work] == [2, 3, 1]


def test_the_demo_is_made_once_and_stands_as_told(engine: Engine) -> None:
    begin_afresh(engine, NOON)
    load_demo(engine, NOON)
    load_demo(engine, NOON)
    with open_session(engine) as session:
        crew = "select count(*) from demo_crew join crew on id = crew_id where name = 'Boathouse crew'"
        assert session.execute(text(crew)).scalar() == 1
    token = enter(engine, NOON)
    wren = sessions.visitor(engine, token, NOON)
    assert wren is not None
    begun = find(engine, wren, LogFilter(), limit=20)
    states = [(listed.title, listed.number, listed.state) for listed in begun]
    assert states[10] == ("Ceiling rose mould", 1, "drying")
    assert states[:5] == [
        ("Coping bed", 3, "mixing"),
        ("Rose copies", 1, "mixing"),
        ("Coping bed", 2, "done"),
        ("Coping bed", 1, "done"),
        ("Lock wall bed", 6, "done"),
    ]
    assert {line.title: (line.begun, line.loads) for line in jobs.jobs(engine, wren)} == {
        "Lock wall bed": (6, 6),
        "Coping bed": (3, 4),
        "Ceiling rose mould": (1, 2),
        "Rose copies": (1, 1),
        "Stern head on an armature": (0, 5),
        "Mooring blocks": (0, 4),
        "Boathouse screed": (0, 9),
        "Landing rail posts": (0, 6),
        "Loft infill": (0, 12),
        "Lock-side pointing": (0, 2),
        "Cottage base coat": (0, 2),
        "Drain apron": (0, 9),
        "Coping copies": (0, 2),
        "Threshold overlay": (0, 2),
    }
    assert [name for _, name in crews.crews_of(engine, wren)] == ["Boathouse crew", "Lock cottage crew"]
