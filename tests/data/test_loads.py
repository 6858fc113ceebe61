"""Plans and loads on a real database: kept once, never changed, seen by their own crew alone."""

from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from sqlalchemy import Engine, delete, insert, select, text, update
from sqlalchemy.exc import DBAPIError

from keeve.core.errors import InputError
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.log_filter import LogFilter
from keeve.core.rules.registry import VERSION
from keeve.data import crews, jobs, loads, plans, sessions
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find
from keeve.demo import SIGN_IN_NAME, begin_afresh, load_demo
from keeve.store import models
from keeve.store.database import CrewError, connect, crew_reading, crew_session, open_session, session_crew


@pytest.fixture
def plan_id(engine: Engine, visitor: Visitor) -> UUID:
    return plans.save_plan(engine, visitor, job())


@pytest.fixture
def load_id(engine: Engine, visitor: Visitor, plan_id: UUID) -> UUID:
    found = loads.begin_load(engine, visitor, plan_id, 1, NOON)
    assert found is not None
    loads.record_event(engine, visitor, found, raw_event("accepted", device_seq=0), NOON)
    return found


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


def test_a_session_without_a_crew_reaches_no_work(engine: Engine, visitor: Visitor, load_id: UUID) -> None:
    with pytest.raises(CrewError), open_session(engine) as session:
        session.scalars(select(models.Load)).all()
    with pytest.raises(CrewError), crew_session(engine, visitor.crew_id) as session:
        session.execute(delete(models.Load))
    theirs = models.Load(crew_id=visitor.crew_id, plan_id=uuid4(), number=1, begun_at=NOON)
    with crew_session(engine, uuid4()) as session:
        session.add(theirs)
        with pytest.raises(CrewError):
            session.flush()
        session.expunge_all()


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


def test_a_row_goes_in_under_the_session_s_crew_whatever_it_says(
    engine: Engine, visitor: Visitor, plan_id: UUID
) -> None:
    values = {"id": uuid4(), "crew_id": new_visitor(engine)[0].crew_id, "thing_id": uuid4(), "content": None}
    with crew_session(engine, visitor.crew_id) as session:
        row = insert(models.YardVersion).values(**values, made_by=visitor.account_id, made_at=NOON)
        session.execute(row)
        kept = session.scalars(select(models.YardVersion).where(models.YardVersion.id == values["id"])).one()
        assert kept.crew_id == visitor.crew_id


@pytest.mark.parametrize(
    "statement", [update(models.Plan).values(title="x"), delete(models.Event), delete(models.Load)]
)
def test_the_database_itself_keeps_every_row(
    engine: Engine, visitor: Visitor, load_id: UUID, statement: Any
) -> None:
    loads.record_event(engine, visitor, load_id, water(), NOON)
    with pytest.raises(DBAPIError, match="never changed or removed"), engine.begin() as connection:
        connection.execute(statement)


def test_a_row_cannot_hang_on_another_crews(engine: Engine, visitor: Visitor, plan_id: UUID) -> None:
    stranger, _ = new_visitor(engine)
    row = {"id": uuid4(), "crew_id": stranger.crew_id, "plan_id": plan_id, "number": 1, "begun_at": NOON}
    with pytest.raises(DBAPIError, match="load_plan"), engine.begin() as connection:
        connection.execute(insert(models.Load).values(row))


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
    token = sessions.sign_in(
        engine, sign_in_name=SIGN_IN_NAME, password="boathouse-keel", address="", now=NOON
    )
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
