"""The demo: as of now whenever it is entered, and made once more on request without touching anything kept."""

from datetime import timedelta

import pytest
from helpers import NOON, raw_event
from sqlalchemy import Engine, select

from keeve.data import crews, jobs, loads, photos, sessions, stockpiles
from keeve.data.accounts import Visitor
from keeve.data.load_store import read_loads_by_id
from keeve.demo import begin_afresh, enter
from keeve.store import models
from keeve.store.database import crew_reading

NEXT_MORNING = NOON + timedelta(hours=20)


def entered(engine: Engine, now: object = NOON) -> Visitor:
    found = sessions.visitor(engine, enter(engine, now), now)  # type: ignore[arg-type]
    assert found is not None
    return found


def test_the_demo_is_as_of_now_and_follows_whoever_is_in_it(engine: Engine) -> None:
    begin_afresh(engine, NOON)
    session = enter(engine, NOON)
    first = sessions.visitor(engine, session, NOON)
    assert first is not None
    assert (first.crew_name, first.in_demo, first.may_lead) == ("Boathouse crew", True, True)
    assert entered(engine, NOON + timedelta(minutes=30)).crew_id == first.crew_id
    later = entered(engine, NEXT_MORNING)
    assert later.crew_id != first.crew_id
    stages = [line.situation.stage for line in loads.loads_in_work(engine, later, NEXT_MORNING)]
    assert "green" in stages
    assert {item.name for item in crews.members(engine, later)} == {"Wren", "Fen", "Moss"}
    # A session of before goes on in the new crew, with all of its morning.
    moved = sessions.visitor(engine, session, NEXT_MORNING)
    assert moved is not None
    assert moved.crew_id == later.crew_id
    assert len(jobs.jobs(engine, moved)) == len(jobs.jobs(engine, first)) > 9
    assert {name for _, name in crews.crews_of(engine, later)} == {"Boathouse crew", "Lock cottage crew"}


def test_what_somebody_did_in_the_demo_goes_only_when_asked(engine: Engine) -> None:
    begin_afresh(engine, NOON)
    visitor = entered(engine)
    at = NOON + timedelta(minutes=10)
    stockpiles.record_stockpile_event(engine, visitor, "building-sand", raw_event("rain", at), at)
    assert entered(engine, NEXT_MORNING).crew_id == visitor.crew_id
    begin_afresh(engine, NEXT_MORNING)
    assert entered(engine, NEXT_MORNING).crew_id != visitor.crew_id


def test_the_third_load_is_judged_beside_what_was_right_this_morning(engine: Engine) -> None:
    wren = entered(engine)
    third = next(
        line.running
        for line in loads.loads_in_work(engine, wren, NOON)
        if line.running.plan.mix.id == "mortar-bricklaying"
    )
    looks = photos.own_look(engine, wren, third.id, third.plan.mix.id)
    assert len(looks) == 2
    assert photos.picture(engine, wren, looks[0].id, small=True)


@pytest.mark.parametrize("hours_later", [0, 1, 5, 20, 47, 200, 3000])
def test_what_is_open_is_what_reading_every_load_finds_open(engine: Engine, hours_later: int) -> None:
    wren, now = entered(engine), NOON + timedelta(hours=hours_later)
    with crew_reading(engine, wren.crew_id) as session:
        found = loads.open_loads(session, now)
        every = read_loads_by_id(session, session.scalars(select(models.StoredLoad.id)).all())
    acts = {load.id: (load.begun_at, load.situation(now).act) for load in every}
    lately, casts_from = now - timedelta(days=2), now - timedelta(days=120)
    in_work = {key for key, (at, act) in acts.items() if at > lately and act not in ("strip", "dry", "done")}
    casts = {key for key, (at, act) in acts.items() if at > casts_from and act in ("strip", "dry")}
    assert {item.running.id for item in found.in_work} == in_work
    assert {item.running.id for item in found.casts} == casts
    if not hours_later:
        assert in_work
        assert casts
