"""Running loads: begin one, record what happens, see where it stands, read the log."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import Engine, Select, func, select, tuple_
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.batch import Batch, fold, in_order
from keeve.core.bench import Situation, refuse, situation
from keeve.core.errors import InputError
from keeve.core.events import Event, event_json, parse_event
from keeve.core.plan import Load, Plan
from keeve.services.accounts import Visitor
from keeve.services.plans import plans_by_id
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# A phone's clock may run a little ahead; further, and the clock of working life would lie.
_CLOCK_AHEAD = timedelta(minutes=2)
# A load that was begun before that and never finished is history, not work.
_IN_WORK_FOR = timedelta(days=2)


@dataclass(frozen=True)
class RunningLoad:
    """A load that was begun: its plan, what was planned for it, its events in order."""

    id: UUID
    plan_id: UUID
    plan: Plan
    load: Load
    begun_at: datetime
    events: list[Event]

    @cached_property
    def batch(self) -> Batch:
        """Its state: the fold of its events."""
        return fold(self.events)

    def situation(self, now: datetime) -> Situation:
        """Where it stands at that moment."""
        return situation(self.plan, self.load, self.batch, now)


def begin_load(engine: Engine, visitor: Visitor, plan_id: UUID, number: int, now: datetime) -> UUID | None:
    """Begin a load of a plan, or find it begun already; None where the plan has no such load."""
    with crew_session(engine, visitor.crew_id) as session:
        plan = plans_by_id(session, {plan_id}).get(plan_id)
        if plan is None or plan.load(number) is None:
            return None
        session.execute(
            insert(models.Load)
            .values(id=uuid4(), crew_id=visitor.crew_id, plan_id=plan_id, number=number, begun_at=now)
            .on_conflict_do_nothing(constraint="load_once")
        )
        return session.scalars(
            select(models.Load.id).where(models.Load.plan_id == plan_id, models.Load.number == number)
        ).one()


def record_event(
    engine: Engine, visitor: Visitor, load_id: UUID, raw: Any, now: datetime
) -> RunningLoad | None:
    """Append one event, once, and give the load as it then stands; None where the crew has no such load.

    Raises:
        InputError: the event is malformed, or does not count at its moment.
    """
    event = parse_event(raw)
    if event.occurred_at > now + _CLOCK_AHEAD:
        minutes = (event.occurred_at - now).total_seconds() / 60
        raise InputError(
            "clock_ahead",
            f"occurred_at is {minutes:.0f} min in the future: set the clock of this device, then tap again.",
            ["occurred_at"],
        )
    event = event.model_copy(update={"recorded_by": visitor.name, "received_at": now})
    with crew_session(engine, visitor.crew_id) as session:
        # The lock makes two benches on one load take turns; what is read after it holds the other's events.
        locked = session.scalars(select(models.Load.id).where(models.Load.id == load_id).with_for_update())
        if locked.first() is None:
            return None
        running = _running(session, select(models.Load).where(models.Load.id == load_id))[0]
        if any(event.id == known.id for known in running.events):
            return running
        refuse(running.plan, running.load, running.batch, event)
        session.execute(
            insert(models.Event).values(
                id=event.id,
                crew_id=visitor.crew_id,
                load_id=load_id,
                account_id=visitor.account_id,
                received_at=now,
                content=event_json(event),
            )
        )
    return replace(running, events=in_order([*running.events, event]))


def running_load(engine: Engine, visitor: Visitor, load_id: UUID) -> RunningLoad | None:
    """A load of the visitor's crew that was begun."""
    with crew_reading(engine, visitor.crew_id) as session:
        return next(iter(_running(session, select(models.Load).where(models.Load.id == load_id))), None)


def loads_of_plan(engine: Engine, visitor: Visitor, plan_id: UUID) -> dict[int, RunningLoad]:
    """The loads of a plan that were begun, by number."""
    with crew_reading(engine, visitor.crew_id) as session:
        found = _running(session, select(models.Load).where(models.Load.plan_id == plan_id))
        return {running.load.number: running for running in found}


def loads_in_work(engine: Engine, visitor: Visitor, now: datetime) -> list[RunningLoad]:
    """Loads begun lately and not done, what runs out first on top."""
    with crew_reading(engine, visitor.crew_id) as session:
        lately = (
            select(models.Load)
            .where(models.Load.begun_at > now - _IN_WORK_FOR)
            .order_by(models.Load.begun_at)
        )
        running = [item for item in _running(session, lately) if item.situation(now).act != "done"]
    late = now + _IN_WORK_FOR
    return sorted(running, key=lambda item: item.batch.dead_at(item.plan.mix.life_min) or late)


def log_page(
    engine: Engine, visitor: Visitor, *, limit: int, before: tuple[datetime, UUID] | None = None
) -> list[RunningLoad]:
    """Loads that were begun, newest first, from after the last one of the page before."""
    query = select(models.Load).order_by(models.Load.begun_at.desc(), models.Load.id.desc()).limit(limit)
    if before is not None:
        query = query.where(tuple_(models.Load.begun_at, models.Load.id) < tuple_(*before))
    with crew_reading(engine, visitor.crew_id) as session:
        return _running(session, query)


_EVENTS = (
    select(func.json_agg(models.Event.content))
    .where(models.Event.crew_id == models.Load.crew_id, models.Event.load_id == models.Load.id)
    .correlate(models.Load)
    .scalar_subquery()
)


def _running(session: Session, loads: Select[models.Load]) -> list[RunningLoad]:
    """Begun loads with their plans and events, read in one query, or two where a plan is not kept yet."""
    rows = session.execute(loads.add_columns(_EVENTS)).all()
    plans = plans_by_id(session, {row.plan_id for row, _ in rows})
    found = []
    for row, contents in rows:
        plan = plans[row.plan_id]
        load = plan.load(row.number)
        if load is None:
            raise LookupError(f"load {row.id} has number {row.number}, which its plan has not")
        events = in_order(parse_event(content) for content in contents or ())
        found.append(RunningLoad(row.id, row.plan_id, plan, load, row.begun_at, events))
    return found
