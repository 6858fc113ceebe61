"""The crew's stockpiles: what loads showed of them, what happened to them, the forecast for the next load.

A crew has one stockpile of each sand and stone: where it lies on two sites, it works as two crews.
"""

import json
import logging
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import takewhile
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import Engine, Text, bindparam, cast, exists, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session, aliased

from keeve.core.errors import InputError
from keeve.core.loads.event import Undone, event_json, without_undone
from keeve.core.loads.expected_water import carried_over, followed
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.loads.recording import check_not_in_future, expecting, received
from keeve.core.loads.running_load import RunningLoad
from keeve.core.mixes import materials
from keeve.core.planning.plan import Load, Plan, PlanMaterial
from keeve.core.stockpile.events import (
    LabReported,
    PileTold,
    StockpileEvent,
    last_measured,
    parse_stockpile_event,
)
from keeve.core.stockpile.forecast import (
    Observation,
    Told,
    asked_of_the_pile,
    expected_water,
    forecast,
    history_up_to,
    is_only_told,
    observed_in,
    told_moisture,
)
from keeve.core.stockpile.stockpile import Stockpile
from keeve.core.stockpile.weathering import Weathered, moisture_change
from keeve.core.zones import zones
from keeve.data.accounts import Visitor
from keeve.data.load_store import add_event, loads_where, read_loads
from keeve.data.plans import newest_plan_ids, plans_by_id
from keeve.devices.weather import Weather
from keeve.store import models
from keeve.store.database import crew_reading, crew_session
from keeve.store.queries import of_job

_log = logging.getLogger(__name__)
# How far back a stockpile is followed: longer ago it was another stockpile. A judgement made here.
_FOLLOWED_FOR = timedelta(days=7)
_MOST_LOADS = 60


def stockpiles_of(
    engine: Engine, visitor: Visitor, now: datetime, weather: Weather | None = None
) -> list[Stockpile]:
    """The stockpiles that the crew's newest plans are drawn from, or that something happened to.

    Here and below, ``weather`` is who knows it; without, a night only makes a stockpile uncertain.
    """
    with crew_reading(engine, visitor.crew_id) as session:
        ids = newest_plan_ids(session)
        plans = plans_by_id(session, set(ids))
        drawn = [material.stockpile for plan_id in ids if (material := followed(plans[plan_id]))]
        lately = select(models.StockpileEvent.stockpile).where(
            models.StockpileEvent.received_at > now - _FOLLOWED_FOR
        )
        reports = _reports(session)
        known = dict.fromkeys([*drawn, *session.scalars(lately), *reports])
        weathered = _weathered(visitor, weather)
        return [
            replace(_stockpile(session, stockpile_id, now, weathered), report=reports.get(stockpile_id))
            for stockpile_id in known
        ]


def _weathered(visitor: Visitor, weather: Weather | None) -> Weathered | None:
    """The weather's effect on a stockpile where the crew is; None where nobody knows it."""
    if weather is None:
        return None
    place = zones()[visitor.zone.key]

    def between(begin: datetime, end: datetime) -> float:
        hours = round((end - begin) / timedelta(hours=1))
        return moisture_change([hour.air for hour in weather.hours(place, begin, hours)])

    return between


_CONTENT = select(models.StockpileEvent.stockpile, cast(models.StockpileEvent.content, Text))
_HAPPENED = _CONTENT.where(models.StockpileEvent.received_at > bindparam("since"))
_HAPPENED_TO = _HAPPENED.where(models.StockpileEvent.stockpile == bindparam("stockpile"))


_taking_back = aliased(models.StockpileEvent)
# The newest report on each stockpile that was not taken back: it holds for the pit, however old it is.
_REPORTS = (
    _CONTENT.where(
        models.StockpileEvent.content["kind"].astext == "report",
        ~exists().where(
            _taking_back.stockpile == models.StockpileEvent.stockpile,
            _taking_back.content["cancels"].astext == cast(models.StockpileEvent.id, Text),
        ),
    )
    .ext(distinct_on(models.StockpileEvent.stockpile))
    .order_by(models.StockpileEvent.stockpile, models.StockpileEvent.received_at.desc())
)


def _reports(session: Session) -> dict[str, LabReported]:
    """The newest report on each stockpile, by its material."""
    rows = session.execute(_REPORTS).all()
    read = {stockpile_id: _standing([content]) for stockpile_id, content in rows}
    return {name: event for name, found in read.items() for event in found if isinstance(event, LabReported)}


def last_measured_of(engine: Engine, visitor: Visitor, now: datetime) -> dict[str, dict[str, float]]:
    """The last measurements of each stockpile since rain or a delivery, with what was reported of it, by name."""
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(_HAPPENED, {"since": now - _FOLLOWED_FOR}).all()
        reports = _reports(session)
    found = {name: report.figures for name, report in reports.items()}
    for stockpile_id in dict.fromkeys(name for name, _ in rows):
        measured = last_measured(_standing(text for name, text in rows if name == stockpile_id))
        found[stockpile_id] = found.get(stockpile_id, {}) | measured
    return found


def stockpile_before(
    engine: Engine, visitor: Visitor, running: RunningLoad, now: datetime, weather: Weather | None = None
) -> Stockpile | None:
    """The stockpile of a load as it is known before its water; None where all of it comes in bags."""
    material = followed(running.plan)
    if material is None:
        return None
    with crew_reading(engine, visitor.crew_id) as session:
        seen = _seen(session, material.stockpile, now)
        word = _word_on(session, running.plan_id, running.plan, material)
    loads, events = seen
    history = _history_of(word, loads, events, running.id, now, _weathered(visitor, weather))
    return Stockpile(material.stockpile, history, events, forecast(running.plan, running.load, history))


def _stockpile(session: Session, stockpile_id: str, now: datetime, weathered: Weathered | None) -> Stockpile:
    loads, events = _seen(session, stockpile_id, now)
    history = history_up_to(_observed(loads), events, now, weathered)
    last = loads[-1] if loads else None
    following = forecast(last.plan, last.load, history) if last else None
    return Stockpile(stockpile_id, history, events, following)


_LATELY = (
    loads_where(models.StoredLoad.begun_at > bindparam("since"))
    .order_by(models.StoredLoad.begun_at.desc())
    .limit(_MOST_LOADS)
)


def _seen(
    session: Session, stockpile_id: str, now: datetime
) -> tuple[list[RunningLoad], list[StockpileEvent]]:
    """The loads drawn from a stockpile lately, and what happened to it, each in order."""
    since = now - _FOLLOWED_FOR
    lately = read_loads(session, _LATELY, since=since)
    loads = [item for item in lately if _draws_on(item.plan, stockpile_id)]
    happened = session.execute(_HAPPENED_TO, {"since": since, "stockpile": stockpile_id}).all()
    return loads[::-1], _standing(content for _, content in happened)


def _standing(contents: Iterable[str]) -> list[StockpileEvent]:
    """The events that count; what cannot be read is set aside."""
    found = []
    for content in contents:
        try:
            found.append(parse_stockpile_event(json.loads(content)))
        except (InputError, ValueError) as fault:
            _log.warning("an event of a stockpile is set aside: %s", fault)
    return without_undone(found)


def _draws_on(plan: Plan, stockpile_id: str) -> bool:
    material = followed(plan)
    return material is not None and material.stockpile == stockpile_id


def _observed(loads: Iterable[RunningLoad]) -> list[Observation]:
    observed = (observed_in(item.plan, item.load, item.state, item.begun_at) for item in loads)
    return [item for item in observed if item is not None]


def record_stockpile_event(
    engine: Engine,
    visitor: Visitor,
    stockpile_id: str,
    raw: Any,
    now: datetime,
    weather: Weather | None = None,
) -> bool:
    """Record what happened to a stockpile, once, and look ahead again for loads that wait for their water.

    False where nothing of that name lies in a stockpile.

    Raises:
        InputError: the event is malformed, or there is nothing to undo.
    """
    if stockpile_id not in materials() or not materials()[stockpile_id].is_stockpiled:
        return False
    event = parse_stockpile_event(received(raw, visitor.name, now))
    check_not_in_future(event, now)
    with crew_session(engine, visitor.crew_id) as session:
        loads, events = _seen(session, stockpile_id, now)
        if isinstance(event, Undone) and all(
            event.cancels != known.id for known in (*events, *_reports(session).values())
        ):
            raise InputError("nothing_to_undo", "Already undone. Nothing to undo.", ["cancels"])
        added = session.execute(
            insert(models.StockpileEvent)
            .values(
                id=event.id,
                stockpile=stockpile_id,
                account_id=visitor.account_id,
                received_at=now,
                content=event_json(event),
            )
            .on_conflict_do_nothing()
            .returning(models.StockpileEvent.id)
        )
        if added.first() is None:
            return True
        for waiting in loads:
            if not waiting.state.water and waiting.state.discarded is None:
                look_ahead(session, visitor, waiting, now, weather)
    return True


def record_of_load(
    engine: Engine, visitor: Visitor, plan: Plan, raw: Any, now: datetime, weather: Weather | None = None
) -> bool:
    """Record what happened to the stockpile that a plan's loads are drawn from; False where it has none.

    Raises:
        InputError: the event is malformed, or there is nothing to undo.
    """
    material = followed(plan)
    return material is not None and record_stockpile_event(
        engine, visitor, material.stockpile, raw, now, weather
    )


def look_ahead(
    session: Session, visitor: Visitor, running: RunningLoad, now: datetime, weather: Weather | None = None
) -> None:
    """Record, with the load, the water it is expected to need from the tap."""
    weathered = _weathered(visitor, weather)
    water = _expected(session, running.plan_id, running.plan, running.load, now, running.id, weathered)
    if water is not None:
        event = expecting(water, visitor.name, len(running.events), now)
        add_event(session, visitor, running.id, event, now)


_BEFORE = loads_where(models.StoredLoad.plan_id == bindparam("plan_id")).order_by(
    models.StoredLoad.begun_at.desc()
)


def _expected(
    session: Session,
    plan_id: UUID,
    plan: Plan,
    load: Load,
    now: datetime,
    load_id: UUID | None,
    weathered: Weathered | None,
) -> ExpectedWater | None:
    """The water a load is expected to need: by its stockpile, or by what the last load of its plan took."""
    material = followed(plan)
    if material is None:
        found = (
            carried_over(plan, load, item.load, item.state)
            for item in read_loads(session, _BEFORE, plan_id=plan_id)
            if item.id != load_id
        )
        return next((water for water in found if water), None)
    loads, events = _seen(session, material.stockpile, now)
    word = _word_on(session, plan_id, plan, material)
    history = _history_of(word, loads, events, load_id, now, weathered)
    if word is None or not is_only_told(history):
        return expected_water(plan, load, history)
    if word.was_asked(events):
        return None
    before = history_up_to(_observed(loads), events, now, weathered)
    return asked_of_the_pile(plan, load, before)


class _Word(NamedTuple):
    """The moisture typed of its stockpile for a job, with the plans that say so: its versions since."""

    told: Told
    plan_ids: frozenset[UUID]

    def stands(self, events: Iterable[StockpileEvent]) -> bool:
        """Whether it stands: nobody said that the sand is from the same stockpile as before."""
        answers = self._answers(events)
        return not answers or not answers[-1].is_same

    def was_asked(self, events: Iterable[StockpileEvent]) -> bool:
        """Whether somebody answered whether it is from the same stockpile."""
        return bool(self._answers(events))

    def _answers(self, events: Iterable[StockpileEvent]) -> list[PileTold]:
        return [event for event in events if isinstance(event, PileTold) and event.plan_id in self.plan_ids]


def _word_on(session: Session, plan_id: UUID | None, plan: Plan, material: PlanMaterial) -> _Word | None:
    """The moisture typed for a plan; that the version before it says the same makes it no newer."""
    moisture = told_moisture(plan)
    if moisture is None or plan_id is None:
        return None
    typed = models.StoredPlan.job["materials"][material.name]["moisture_fraction"].as_float()
    first = select(of_job()).where(models.StoredPlan.id == plan_id).scalar_subquery()
    versions = session.execute(
        select(models.StoredPlan.id, models.StoredPlan.made_at, typed)
        .where(of_job() == first)
        .order_by(models.StoredPlan.made_at.desc())
    ).all()
    at = next(index for index, version in enumerate(versions) if version[0] == plan_id)
    same = [versions[at], *takewhile(lambda version: version[2] == moisture, versions[at + 1 :])]
    return _Word(Told(same[-1][1], moisture), frozenset(version[0] for version in versions))


def _history_of(
    word: _Word | None,
    loads: Sequence[RunningLoad],
    events: Sequence[StockpileEvent],
    load_id: UUID | None,
    now: datetime,
    weathered: Weathered | None,
) -> list[Observation]:
    """The history of a stockpile before a load: from what was typed for its job on, where that stands."""
    others = [item for item in loads if item.id != load_id]
    if word is None or not word.stands(events):
        return history_up_to(_observed(others), events, now, weathered)
    # It was said before the first load of its job was begun.
    begun = [item.begun_at for item in loads if item.plan_id in word.plan_ids]
    told = word.told._replace(at=min([word.told.at, *begun]))
    own = _observed(item for item in others if item.plan_id in word.plan_ids)
    return history_up_to(own, events, now, weathered, told)


def expected_for_next(
    engine: Engine,
    visitor: Visitor,
    plan_id: UUID,
    plan: Plan,
    load: Load,
    now: datetime,
    weather: Weather | None = None,
) -> ExpectedWater | None:
    """The water a load that was not begun would be expected to need now."""
    with crew_reading(engine, visitor.crew_id) as session:
        return _expected(session, plan_id, plan, load, now, None, _weathered(visitor, weather))


def expected_of_new(
    engine: Engine, visitor: Visitor, plan: Plan, now: datetime, weather: Weather | None = None
) -> list[ExpectedWater | None]:
    """The water of each kind of load of a plan that is not kept yet, as its cards will have it; see ``loads_alike``."""
    material = followed(plan)
    if material is None or told_moisture(plan) is not None:
        return [None for _ in plan.loads_alike]
    with crew_reading(engine, visitor.crew_id) as session:
        loads, events = _seen(session, material.stockpile, now)
    history = history_up_to(_observed(loads), events, now, _weathered(visitor, weather))
    return [expected_water(plan, same[0], history) for same in plan.loads_alike]


def expected_of_loads(
    engine: Engine,
    visitor: Visitor,
    plan_id: UUID,
    plan: Plan,
    wanted: Sequence[Load],
    begun: Mapping[int, RunningLoad],
    now: datetime,
    weather: Weather | None = None,
) -> dict[int, ExpectedWater]:
    """The water that loads are expected to need, as the bench has it, by number: what was written down when one was
    begun, else as of now; of a load of which nothing is known none.
    """
    # Loads of one size that were not begun are all expected alike.
    by_size: dict[float, ExpectedWater | None] = {}
    found = {}
    for load in wanted:
        if load.number in begun:
            water = begun[load.number].state.expected
        elif load.yield_l in by_size:
            water = by_size[load.yield_l]
        else:
            water = expected_for_next(engine, visitor, plan_id, plan, load, now, weather)
            by_size[load.yield_l] = water
        if water is not None:
            found[load.number] = water
    return found
