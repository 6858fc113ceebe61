"""The log: what is looked for is found, whatever the order of arrival, and stays so when it is listed anew."""

from collections.abc import Callable
from dataclasses import replace
from datetime import date, timedelta
from random import Random
from typing import Any
from uuid import UUID

import pytest
from helpers import NOON, job, raw_event
from people import new_visitor
from sqlalchemy import Engine

from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.load_row import LoadRow, row_of
from keeve.core.log.log_filter import LogFilter
from keeve.data import jobs, loads, plans
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find, lately, loads_of_plans
from keeve.store.database import crew_reading, crew_session

_WASTE = ("Working time over", "rained in", "gone hard")
_NOTES = ("Sand from the north bay", "rain at noon", "new lad's first")


Season = tuple[Visitor, list[RunningLoad]]
_ALL = LogFilter()


def everything(engine: Engine, visitor: Visitor, sought: LogFilter = _ALL) -> list[LoadRow]:
    return find(engine, visitor, sought, limit=1000)


@pytest.fixture(scope="module")
def season(engine: Engine) -> Season:
    """Sixty loads of three jobs over ten days by two people, some noted, some placed, some thrown away."""
    wren, _ = new_visitor(engine)
    fen = replace(wren, name="Fen O'Dell")
    chance = Random(7)
    kept = [
        plans.save_plan(engine, wren, job(title=title, mix=mix, need={"volume_m3": 2.0}))
        for title, mix in (
            ("Lock wall", "mortar-bricklaying"),
            ("Lock-side coping", "mortar-general"),
            ("Shed", "mortar-general"),
        )
    ]
    made = []
    for number in range(1, 21):
        for plan_id in kept:
            who = chance.choice((wren, fen))
            at = NOON + timedelta(days=chance.randrange(10), minutes=chance.randrange(600))
            load_id = loads.begin_load(engine, who, plan_id, number, at)
            assert load_id is not None
            running = worked(engine, chance.choice((wren, fen)), load_id, chance)
            made.append(running)
    return wren, made


def worked(engine: Engine, who: Visitor, load_id: UUID, chance: Random) -> RunningLoad:
    """Some of what happens to a load, told in any order."""
    running = loads.running_load(engine, who, load_id)
    assert running is not None
    at = running.begun_at

    def tell(kind: str, minutes: float, **what: object) -> None:
        moment = at + timedelta(minutes=minutes)
        found = loads.record_event(engine, who, load_id, raw_event(kind, moment, **what), moment)
        assert found is not None

    if running.state.to_check:
        tell("accepted", 1)
    if chance.random() < 0.7:
        tell("water_added", 3, step=1, water_l=5.0)
    if chance.random() < 0.4:
        tell("note", 2, text=chance.choice(_NOTES))  # arrives after what happened later
    if chance.random() < 0.4:
        tell("discarded", 50, reason=chance.choice(_WASTE))
    again = loads.running_load(engine, who, load_id)
    assert again is not None
    return again


IsThat = Callable[[RunningLoad], bool]


def people(load: RunningLoad) -> set[str]:
    return {event.recorded_by.lower() for event in load.events}


def written(load: RunningLoad) -> str:
    told = [getattr(event, "text", "") + getattr(event, "reason", "") for event in load.events]
    words = " ".join([load.plan.title, load.plan.mix.name, *people(load), *told])
    return f" {words.lower().replace('-', ' ')}"


def asked(visitor: Visitor, made: list[RunningLoad], chance: Random) -> dict[str, tuple[Any, IsThat]]:
    """What may be looked for, and whether a load is that, worked out from its plan and its events."""
    job_ids = {load.plan.title: load.plan_id for load in made}
    title = chance.choice(list(job_ids))
    mix_id = chance.choice(("mortar-general", "mortar-bricklaying"))
    who = chance.choice((visitor.name, "fen o'dell"))
    words = chance.choice(
        ("rain", "lock", "north lock", "wor", "o'dell", "gone hard", "Shed first", "nothing")
    )
    since, until = sorted(date(2026, 5, 4) + timedelta(days=chance.randrange(12)) for _ in range(2))
    is_thrown = chance.random() < 0.5
    return {
        "job_id": (job_ids[title], lambda load: load.plan.title == title),
        "mix_id": (mix_id, lambda load: load.plan.mix.id == mix_id),
        "who": (who, lambda load: who.lower() in people(load)),
        "state": (
            "thrown-away" if is_thrown else "mixing",
            lambda load: (load.state.discarded is not None) == is_thrown,
        ),
        "since": (since, lambda load: load.begun_at.date() >= since),
        "until": (until, lambda load: load.begun_at.date() <= until),
        "words": (words, lambda load: all(f" {word}" in written(load) for word in words.lower().split())),
    }


@pytest.mark.parametrize("seed", range(30))
def test_what_is_looked_for_is_found_and_nothing_else(engine: Engine, season: Season, seed: int) -> None:
    visitor, made = season
    chance = Random(seed)
    of_all = asked(visitor, made, chance)
    conditions = {name: of_all[name] for name in chance.sample(list(of_all), chance.choice((1, 1, 2, 3)))}
    found = everything(engine, visitor, LogFilter(**{name: value for name, (value, _) in conditions.items()}))
    wanted = [load for load in made if all(is_that(load) for _, is_that in conditions.values())]
    assert {listed.id for listed in found} == {load.id for load in wanted}


def test_each_row_is_what_its_load_comes_to(engine: Engine, season: Season) -> None:
    visitor, made = season
    known = {load.id: row_of(load) for load in made}
    assert {row.id: row for row in everything(engine, visitor)} == known
    plan_ids = list({load.plan_id for load in made})
    with crew_reading(engine, visitor.crew_id) as session:
        found = loads_of_plans(session, plan_ids)
    # Of a load that was begun anew the last attempt.
    assert all(known[load.id] == load for load in found)
    assert {(load.plan_id, load.number) for load in found} == {
        (load.plan_id, load.load.number) for load in made
    }


def test_a_word_may_be_looked_up_in_the_index_of_words(engine: Engine, season: Season) -> None:
    """Beside row-level security only where the database trusts what compares words; else it reads all of a log."""
    visitor, _ = season
    with crew_session(engine, visitor.crew_id) as session:
        asked = session.connection().exec_driver_sql
        # Without any other way to the rows, for this transaction.
        asked("alter table log_entry drop constraint log_entry_pkey cascade")
        others = asked("select indexname from pg_indexes where tablename = 'log_entry'").scalars().all()
        for name in set(others) - {"log_entry_by_words"}:
            asked(f"drop index {name}")
        asked("set local enable_seqscan = off")
        plan = asked("explain select id from log_entry where search @@ 'lock'::tsquery").scalars().all()
        session.rollback()
    assert any("Index Cond: (search @@" in line for line in plan), plan


def test_the_log_is_newest_first_and_pages_meet(engine: Engine, season: Season) -> None:
    visitor, _ = season
    whole, paged, after = everything(engine, visitor), [], None
    while page := find(engine, visitor, LogFilter(), limit=7, after=after):
        paged += page
        after = (page[-1].begun_at, page[-1].id)
    assert paged == whole
    begun = [listed.begun_at for listed in paged]
    assert begun == sorted(begun, reverse=True)


def test_a_job_is_found_by_its_new_name(engine: Engine, visitor: Visitor) -> None:
    plan_id = plans.save_plan(engine, visitor, job())
    loads.begin_load(engine, visitor, plan_id, 1, NOON)
    jobs.rename(engine, visitor, plan_id, "Weir steps", NOON)
    assert [listed.title for listed in everything(engine, visitor, LogFilter(words="weir"))] == ["Weir steps"]
    assert everything(engine, visitor, LogFilter(words="coping")) == []
    assert lately(engine, visitor).jobs == {str(plan_id): "Weir steps"}


def test_whatever_is_written_is_kept_and_found(engine: Engine, visitor: Visitor) -> None:
    plan_id = plans.save_plan(engine, visitor, job())
    load_id = loads.begin_load(engine, visitor, plan_id, 1, NOON)
    assert load_id is not None
    long_name = replace(visitor, name="\u0130" * 120)
    for note in ("\U00010400" * 1000, "it's 50 % \\ & | ! :* <-> (wet)", "x" * 1000):
        kept = loads.record_event(engine, long_name, load_id, raw_event("note", NOON, text=note), NOON)
        assert kept is not None
        assert everything(engine, visitor, LogFilter(words=note[:100]))
    assert everything(engine, visitor, LogFilter(who=long_name.name))
    assert everything(engine, visitor, LogFilter(words="??? &")) == []


def test_another_crew_finds_nothing(engine: Engine, season: Season) -> None:
    stranger, _ = new_visitor(engine)
    _, made = season
    for sought in (
        LogFilter(),
        LogFilter(words="lock"),
        LogFilter(job_id=made[0].plan_id),
        LogFilter(who="fen o'dell"),
    ):
        assert everything(engine, stranger, sought) == []
    assert lately(engine, stranger) == ({}, {}, [])
