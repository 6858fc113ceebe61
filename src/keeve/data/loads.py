"""Running loads: begin one, record what happens, see where it is, read the log."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from itertools import islice
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import ColumnElement, Engine, Select, Text, bindparam, cast, func, select, union
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.loads.actions.measure_flow import FlowMeasured
from keeve.core.loads.actions.place import Placed
from keeve.core.loads.event import event_json
from keeve.core.loads.pre_start import SettingHistory
from keeve.core.loads.recording import (
    WORKING_DAY,
    begun,
    check_told_once,
    is_first_of_the_day,
    is_known,
    read_sent,
    recorded,
)
from keeve.core.loads.running_load import IN_WORK_FOR, OF_A_CAST, InWork, OpenLoads, RunningLoad, opened
from keeve.core.loads.set_clock import learnt, observed_age
from keeve.core.log.load_row import STATES
from keeve.core.log.log_filter import LogFilter
from keeve.core.mixes.regimes import BY_CLOCK
from keeve.core.planning.plan import Plan
from keeve.data import log_entries, pours, stockpiles
from keeve.data.accounts import Visitor
from keeve.data.load_store import (
    add_event,
    loads_where,
    read_event,
    read_load,
    read_loads,
    read_loads_by_id,
)
from keeve.data.plans import plans_by_id
from keeve.devices.weather import Weather
from keeve.store import models
from keeve.store.database import crew_reading, crew_session, lock
from keeve.store.queries import has_event

# A cast that was followed no further for so long is forgotten.
_CAST_FOR = timedelta(days=120)
# So many loads tell how a plaster sets.
_SETTINGS_LEARNT = 20


def begin_load(
    engine: Engine,
    visitor: Visitor,
    plan_id: UUID,
    number: int,
    now: datetime,
    weather: Weather | None = None,
    *,
    as_load: UUID | None = None,
    at: datetime | None = None,
) -> UUID | None:
    """Begin a load of a plan, or find it begun already; None where the plan has no such load.

    Args:
        engine: the database.
        visitor: who begins it.
        plan_id: the plan.
        number: which of its loads.
        now: the moment.
        weather: who knows it.
        as_load: the id it was given on a device that began it without signal.
        at: when that was; before ``now``.
    """
    begun_at = min(at or now, now)
    with crew_session(engine, visitor.crew_id) as session:
        plan = plans_by_id(session, {plan_id}).get(plan_id)
        load = plan.load(number) if plan else None
        if plan is None or load is None:
            return None
        if as_load is not None and read_load(session, as_load) is not None:
            return as_load  # it was told before
        begun_before = session.scalars(
            select(models.StoredLoad.begun_at).where(
                models.StoredLoad.plan_id == plan_id, ~has_event("taken_back")
            )
        ).all()
        load_id = _new_load(session, plan_id, number, begun_at, as_load or uuid4())
        if load_id is None:
            return _newest_attempt(session, plan_id, number)
        is_first = is_first_of_the_day(begun_before, begun_at)
        start = begun(
            plan,
            visitor.name,
            begun_at,
            is_first=is_first,
            flow_l_min=flow_measured(session, begun_at),
            setting=_setting_of(session, plan),
        )
        add_event(session, visitor, load_id, start, now)
        running = read_load(session, load_id)
        if running is not None:
            stockpiles.look_ahead(session, visitor, running, begun_at, weather)
            log_entries.write(session, read_load(session, load_id) or running)
        return load_id


def _of_number(plan_id: UUID, number: int) -> Select[models.StoredLoad]:
    """Every attempt at a load, the newest first."""
    here = (models.StoredLoad.plan_id == plan_id, models.StoredLoad.number == number)
    return select(models.StoredLoad).where(*here).order_by(models.StoredLoad.attempt.desc()).limit(1)


def _of_regime(names: Collection[str]) -> ColumnElement[bool]:
    """Loads run in one of these ways: they are found by an index, however many others there are."""
    return models.StoredPlan.regime.in_(names)


_SEEN_LAST = (
    loads_where(_of_regime(BY_CLOCK), has_event("seen"))
    .order_by(models.StoredLoad.begun_at.desc())
    .limit(_SETTINGS_LEARNT)
)


def _setting_of(session: Session, plan: Plan) -> SettingHistory | None:
    """The setting of a plan's plaster by the crew's newest loads of it; None of a plan without a set clock."""
    if not _has_set_clock(plan):
        return None
    ages = [
        age
        for running in reversed(read_loads(session, _SEEN_LAST))
        if running.plan.materials[0].name == plan.materials[0].name
        and (age := observed_age(running.plan, running.load, running.state, running.met_at)) is not None
    ]
    return learnt(ages)


def setting_of(engine: Engine, visitor: Visitor, plan: Plan) -> SettingHistory | None:
    """The setting of a plan's plaster as a load of it that is begun now would have it; None without a set clock."""
    # Asked at every plan card: most mixes have no set clock, and then nothing need be read.
    if not _has_set_clock(plan):
        return None
    with crew_reading(engine, visitor.crew_id) as session:
        return _setting_of(session, plan)


def _has_set_clock(plan: Plan) -> bool:
    return plan.mix.regime_traits.placed_in is not None


def _newest_attempt(session: Session, plan_id: UUID, number: int) -> UUID:
    return session.scalars(_of_number(plan_id, number)).one().id


def _new_load(session: Session, plan_id: UUID, number: int, now: datetime, load_id: UUID) -> UUID | None:
    """A load of a plan, begun; None where it is begun already, and neither taken back nor all thrown away."""
    newest = session.scalars(_of_number(plan_id, number)).first()
    may_again = has_event("taken_back") | (has_event("discarded") & ~has_event("placed"))
    again = session.scalars(_of_number(plan_id, number).where(may_again)).first()
    if newest is not None and (again is None or again.attempt != newest.attempt):
        return None
    found: UUID | None = session.scalar(
        insert(models.StoredLoad)
        .values(
            id=load_id,
            plan_id=plan_id,
            number=number,
            attempt=newest.attempt + 1 if newest else 0,
            begun_at=now,
        )
        .on_conflict_do_nothing(constraint="load_once")
        .returning(models.StoredLoad.id)
    )
    return found


def flow_measured(session: Session, now: datetime) -> float | None:
    """The flow of the crew's hose as measured last that day, L/min."""
    newest = (
        select(cast(models.Event.content, Text))
        .join(models.StoredLoad, models.StoredLoad.id == models.Event.load_id)
        .where(models.StoredLoad.begun_at > now - WORKING_DAY, models.Event.kind == "flow_measured")
        .order_by(models.Event.received_at.desc())
        .limit(1)
    )
    content = session.scalar(newest)
    event = None if content is None else read_event(content)
    return event.flow_l_min if isinstance(event, FlowMeasured) else None


def record_event(
    engine: Engine, visitor: Visitor, load_id: UUID, raw: Any, now: datetime, *, is_late: bool = False
) -> RunningLoad | None:
    """Append one event, once, and give the load as it is then; None where the crew has no such load.

    Args:
        engine: the database.
        visitor: who tells it.
        load_id: the load.
        raw: the event as plain values.
        now: the moment.
        is_late: whether it waited for signal, so that its device knew of no other meanwhile.

    Raises:
        InputError: the event is malformed, or does not count at its moment.
    """
    event = read_sent(raw, visitor.name, now)
    with crew_session(engine, visitor.crew_id) as session:
        # Two benches on one load take turns; what is read after the lock holds the other's events.
        lock(session, load_id)
        running = read_load(session, load_id)
        if running is None or is_known(running, event):
            return running
        if is_late:
            check_told_once(running, event)
        before, running = running, recorded(running, event)
        add_event(session, visitor, load_id, event, now)
        if isinstance(event, Placed):
            pours.note_placed(session, visitor, before, event)
        log_entries.write(session, running, event)
    return running


def record(
    engine: Engine, visitor: Visitor, load_id: UUID, events: Sequence[Mapping[str, Any]], now: datetime
) -> bool:
    """Record what is told of a load away from its bench, one after another. Whether the crew has the load.

    Raises:
        InputError: one of them is malformed, or does not count; those before it are kept.
    """
    for number, event in enumerate(events):
        told = {
            "id": str(uuid4()),
            "device_id": f"page-{now.timestamp():.6f}",
            "device_seq": number,
            "occurred_at": now.isoformat(),
            "schema": 1,
            **event,
        }
        if record_event(engine, visitor, load_id, told, now) is None:
            return False
    return True


def keep_past(engine: Engine, visitor: Visitor, past: Sequence[RunningLoad]) -> None:
    """Keep loads that were mixed and told before, with all their events; all of them or none."""
    with crew_session(engine, visitor.crew_id) as session:
        for running in past:
            session.add(
                models.StoredLoad(
                    id=running.id,
                    plan_id=running.plan_id,
                    number=running.load.number,
                    begun_at=running.begun_at,
                )
            )
        session.flush()
        for running in past:
            for event in running.events:
                session.add(
                    models.Event(
                        id=event.id,
                        load_id=running.id,
                        account_id=visitor.account_id,
                        received_at=event.occurred_at,
                        content=event_json(event),
                    )
                )
                if isinstance(event, Placed):
                    pours.note_placed(session, visitor, running, event)
            log_entries.write(session, running)


_TOLD = (
    select(func.count())
    .select_from(models.Event)
    .join(models.StoredLoad, models.StoredLoad.id == models.Event.load_id)
    .where(models.StoredLoad.begun_at > bindparam("since"))
)


def told_lately(engine: Engine, visitor: Visitor, now: datetime) -> int:
    """How many events the crew has of loads begun lately: it grows with every one, whoever tells it."""
    with crew_reading(engine, visitor.crew_id) as session:
        return session.execute(_TOLD, {"since": now - IN_WORK_FOR}).scalar_one()


def running_load(engine: Engine, visitor: Visitor, load_id: UUID) -> RunningLoad | None:
    """A load of the visitor's crew that was begun."""
    with crew_reading(engine, visitor.crew_id) as session:
        return read_load(session, load_id)


def loads_in_order(engine: Engine, visitor: Visitor, load_ids: Sequence[UUID]) -> list[RunningLoad]:
    """Loads with everything that was told of them, the first begun first."""
    with crew_reading(engine, visitor.crew_id) as session:
        read = read_loads_by_id(session, load_ids)
    return sorted(read, key=lambda running: (running.begun_at, str(running.id)))


_KEPT = select(models.Event.load_id, models.Event.content).where(
    models.Event.load_id.in_(bindparam("load_ids", expanding=True))
)


def events_of(engine: Engine, visitor: Visitor, load_ids: Sequence[UUID]) -> dict[UUID, list[dict[str, Any]]]:
    """The events of loads as they are kept, in no order, by load."""
    found: dict[UUID, list[dict[str, Any]]] = {}
    with crew_reading(engine, visitor.crew_id) as session:
        for load_id, content in session.execute(_KEPT, {"load_ids": list(load_ids)}).all():
            found.setdefault(load_id, []).append(content)
    return found


# Events of so many loads are read at a time.
_LOADS_AT_A_TIME = 100


def every_event(engine: Engine, visitor: Visitor, sought: LogFilter) -> Iterator[Mapping[str, Any]]:
    """Every event of the loads that are sought, in order load by load, as it is stored; with its load and job."""
    loads = log_entries.every_load(engine, visitor, sought, _LOADS_AT_A_TIME)
    while part := list(islice(loads, _LOADS_AT_A_TIME)):
        events = events_of(engine, visitor, [load.id for load in part])
        for load in part:
            of_load = {"load_id": str(load.id), "job": load.title, "load": load.number}
            for event in sorted(events.get(load.id, ()), key=_in_order):
                yield of_load | event


def _in_order(event: Mapping[str, Any]) -> tuple[str, str, int, str]:
    return event["occurred_at"], event["device_id"], event["device_seq"], event["id"]


_OF_PLAN = loads_where(models.StoredLoad.plan_id == bindparam("plan_id")).order_by(models.StoredLoad.attempt)


def loads_of_plan(engine: Engine, visitor: Visitor, plan_id: UUID) -> dict[int, RunningLoad]:
    """The loads of a plan that were begun, by number."""
    with crew_reading(engine, visitor.crew_id) as session:
        return {running.load.number: running for running in read_loads(session, _OF_PLAN, plan_id=plan_id)}


_ENTRY = models.LogEntry
_IN_WORK = select(_ENTRY.id).where(_ENTRY.begun_at > bindparam("since"), _ENTRY.is_open)
_CASTS = select(_ENTRY.id).where(
    _ENTRY.begun_at > bindparam("casts_since"), _ENTRY.state.in_([STATES[act] for act in OF_A_CAST])
)
# Each by an index of its own: nothing else is looked at, however long the log.
_OPEN = select(union(_IN_WORK, _CASTS).subquery().c.id)


def loads_in_work(engine: Engine, visitor: Visitor, now: datetime) -> list[InWork]:
    """Loads begun lately and not done, the least working time left first."""
    with crew_reading(engine, visitor.crew_id) as session:
        return open_loads(session, now).in_work


def open_loads(session: Session, now: datetime) -> OpenLoads:
    """The loads of the session's crew with which something is still to be done."""
    lately = now - IN_WORK_FOR
    load_ids = [
        load_id
        for (load_id,) in session.execute(_OPEN, {"since": lately, "casts_since": now - _CAST_FOR}).all()
    ]
    return opened(read_loads_by_id(session, load_ids), now)
