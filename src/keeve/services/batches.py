"""Running loads: begin one, record what happens, see where it stands, read the log."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import Engine, select, tuple_
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.batch import Batch, fold, in_order
from keeve.core.bench import Situation, refuse, situation
from keeve.core.errors import InputError
from keeve.core.events import Event, event_json, parse_event
from keeve.core.plan import Load, Plan
from keeve.services.accounts import Visitor
from keeve.store import models
from keeve.store.database import crew_session

# A phone's clock may run a little ahead; further, and the clock of working life would lie.
_CLOCK_AHEAD = timedelta(minutes=2)
# A load that was begun before that and never finished is history, not work.
_IN_WORK_FOR = timedelta(days=2)


@dataclass(frozen=True)
class RunningLoad:
    """A load that was begun: its plan, what was planned for it, its events in order, its state."""

    id: UUID
    plan_id: UUID
    plan: Plan
    load: Load
    begun_at: datetime
    events: list[Event]
    batch: Batch

    def situation(self, now: datetime) -> Situation:
        """Where it stands at that moment."""
        return situation(self.plan, self.load, self.batch, now)


def begin_load(engine: Engine, visitor: Visitor, plan_id: UUID, number: int, now: datetime) -> UUID | None:
    """Begin a load of a plan, or find it begun already; None where the plan has no such load."""
    with crew_session(engine, visitor.crew_id) as session:
        plan = _plan(session, plan_id)
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
        # The lock makes two benches on one load take turns, so that each is judged on the other's events.
        row = session.scalars(select(models.Load).where(models.Load.id == load_id).with_for_update()).first()
        if row is None:
            return None
        running = _running(session, [row])[0]
        if any(event.id == known.id for known in running.events):
            return running
        refuse(running.plan, running.load, running.batch, event)
        session.add(
            models.Event(
                id=event.id,
                load_id=load_id,
                account_id=visitor.account_id,
                received_at=now,
                content=event_json(event),
            )
        )
        session.flush()
        return _running(session, [row])[0]


def running_load(engine: Engine, visitor: Visitor, load_id: UUID) -> RunningLoad | None:
    """A load of the visitor's crew that was begun."""
    with crew_session(engine, visitor.crew_id) as session:
        rows = session.scalars(select(models.Load).where(models.Load.id == load_id)).all()
        return next(iter(_running(session, rows)), None)


def loads_of_plan(engine: Engine, visitor: Visitor, plan_id: UUID) -> dict[int, RunningLoad]:
    """The loads of a plan that were begun, by number."""
    with crew_session(engine, visitor.crew_id) as session:
        rows = session.scalars(select(models.Load).where(models.Load.plan_id == plan_id)).all()
        return {running.load.number: running for running in _running(session, rows)}


def loads_in_work(engine: Engine, visitor: Visitor, now: datetime) -> list[RunningLoad]:
    """Loads begun lately and not done, what runs out first on top."""
    with crew_session(engine, visitor.crew_id) as session:
        rows = session.scalars(
            select(models.Load)
            .where(models.Load.begun_at > now - _IN_WORK_FOR)
            .order_by(models.Load.begun_at)
        ).all()
        running = [item for item in _running(session, rows) if item.situation(now).act != "done"]
    late = now + _IN_WORK_FOR
    return sorted(running, key=lambda item: item.batch.dead_at(item.plan.mix.life_min) or late)


def log_page(
    engine: Engine, visitor: Visitor, *, limit: int, before: tuple[datetime, UUID] | None = None
) -> list[RunningLoad]:
    """Loads that were begun, newest first, from after the last one of the page before."""
    query = select(models.Load).order_by(models.Load.begun_at.desc(), models.Load.id.desc()).limit(limit)
    if before is not None:
        query = query.where(tuple_(models.Load.begun_at, models.Load.id) < tuple_(*before))
    with crew_session(engine, visitor.crew_id) as session:
        return _running(session, session.scalars(query).all())


def _plan(session: Session, plan_id: UUID) -> Plan | None:
    result = session.scalars(select(models.Plan.result).where(models.Plan.id == plan_id)).first()
    return None if result is None else Plan.model_validate(result)


def _running(session: Session, rows: Iterable[models.Load]) -> list[RunningLoad]:
    """Begun loads with their plans and states, read in two queries however many they are."""
    rows = list(rows)
    plans = {
        plan_id: Plan.model_validate(result)
        for plan_id, result in session.execute(
            select(models.Plan.id, models.Plan.result).where(
                models.Plan.id.in_({row.plan_id for row in rows})
            )
        )
    }
    events: dict[UUID, list[Event]] = {row.id: [] for row in rows}
    for load_id, content in session.execute(
        select(models.Event.load_id, models.Event.content).where(models.Event.load_id.in_(events))
    ):
        events[load_id].append(parse_event(content))
    found = []
    for row in rows:
        plan = plans[row.plan_id]
        load = plan.load(row.number)
        if load is None:
            raise LookupError(f"load {row.id} has number {row.number}, which its plan has not")
        ordered = in_order(events[row.id])
        found.append(RunningLoad(row.id, row.plan_id, plan, load, row.begun_at, ordered, fold(ordered)))
    return found
