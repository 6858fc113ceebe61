"""The crew's heaps: what the loads drawn from one told of it, what happened to it, what it will leave for the tap.

A crew has one heap of each sand and stone: where it lies on two sites, it works as two crews.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.carry_over import Outlook, Told, expected_water, followed, history_of, outlook, told_by
from keeve.core.errors import InputError
from keeve.core.events import Expected, Undone, event_json, standing
from keeve.core.heap_log import HeapEvent, is_covered, parse_heap_event, readings
from keeve.core.mixes import materials
from keeve.core.plan import Plan
from keeve.services.accounts import Visitor
from keeve.services.plans import newest_plan_ids, plans_by_id
from keeve.services.running import RunningLoad, add_event, own_event, read_loads, refuse_future
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# How far back a heap is followed: longer ago it was another heap. A judgement made here.
_FOLLOWED_FOR = timedelta(days=7)
_MOST_LOADS = 60


@dataclass(frozen=True)
class Heap:
    """A heap as it is known: its history, what happened to it, and what the next load would take (in the yard, one
    like the last).
    """

    id: str
    history: list[Told]
    events: list[HeapEvent]
    outlook: Outlook | None

    @property
    def is_covered(self) -> bool:
        """Whether its cover is on."""
        return is_covered(self.events)

    @property
    def name(self) -> str:
        """What lies in it."""
        return materials()[self.id].name


def heaps_of(engine: Engine, visitor: Visitor, now: datetime) -> list[Heap]:
    """The heaps that the crew's newest plans are drawn from, or that something happened to."""
    with crew_reading(engine, visitor.crew_id) as session:
        ids = newest_plan_ids(session)
        plans = plans_by_id(session, set(ids))
        drawn = [material.heap for plan_id in ids if (material := followed(plans[plan_id]))]
        lately = select(models.HeapEvent.heap).where(models.HeapEvent.received_at > now - _FOLLOWED_FOR)
        known = dict.fromkeys([*drawn, *session.scalars(lately)])
        return [_heap(session, heap_id, now) for heap_id in known]


def readings_of(engine: Engine, visitor: Visitor, now: datetime) -> dict[str, dict[str, float]]:
    """What was last found of each heap since it was rained on or tipped: its moisture and bulking, as fractions."""
    since = models.HeapEvent.received_at > now - _FOLLOWED_FOR
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(select(models.HeapEvent.heap, models.HeapEvent.content).where(since)).all()
    return {
        heap_id: readings(standing(parse_heap_event(row.content) for row in rows if row.heap == heap_id))
        for heap_id in dict.fromkeys(row.heap for row in rows)
    }


def heap_before(engine: Engine, visitor: Visitor, running: RunningLoad, now: datetime) -> Heap | None:
    """The heap of a load as it is known before its water; None where all of it comes in bags."""
    material = followed(running.plan)
    if material is None:
        return None
    with crew_reading(engine, visitor.crew_id) as session:
        loads, events = _seen(session, material.heap, now)
    history = history_of(_told([item for item in loads if item.id != running.id]), events, now)
    return Heap(material.heap, history, events, outlook(running.plan, running.load, history))


def _heap(session: Session, heap_id: str, now: datetime) -> Heap:
    loads, events = _seen(session, heap_id, now)
    history = history_of(_told(loads), events, now)
    last = loads[-1] if loads else None
    following = outlook(last.plan, last.load, history) if last else None
    return Heap(heap_id, history, events, following)


def _seen(session: Session, heap_id: str, now: datetime) -> tuple[list[RunningLoad], list[HeapEvent]]:
    """The loads drawn from a heap lately, and what happened to it, each in order."""
    since = now - _FOLLOWED_FOR
    lately = (
        select(models.Load)
        .where(models.Load.begun_at > since)
        .order_by(models.Load.begun_at.desc())
        .limit(_MOST_LOADS)
    )
    loads = [item for item in read_loads(session, lately) if _draws_on(item.plan, heap_id)]
    contents = session.scalars(
        select(models.HeapEvent.content).where(
            models.HeapEvent.heap == heap_id, models.HeapEvent.received_at > since
        )
    )
    return loads[::-1], standing(parse_heap_event(content) for content in contents)


def _draws_on(plan: Plan, heap_id: str) -> bool:
    material = followed(plan)
    return material is not None and material.heap == heap_id


def _told(loads: Iterable[RunningLoad]) -> list[Told]:
    told = (told_by(item.plan, item.load, item.batch, item.begun_at) for item in loads)
    return [item for item in told if item is not None]


def record_heap_event(engine: Engine, visitor: Visitor, heap_id: str, raw: Any, now: datetime) -> bool:
    """Write down what happened to a heap, once, and look ahead again for loads that wait for their water.

    False where nothing of that name lies in a heap.

    Raises:
        InputError: the event is malformed, or there is nothing to undo.
    """
    if heap_id not in materials() or not materials()[heap_id].lies_in_a_heap:
        return False
    event = parse_heap_event(raw).model_copy(update={"recorded_by": visitor.name, "received_at": now})
    refuse_future(event, now)
    with crew_session(engine, visitor.crew_id) as session:
        loads, events = _seen(session, heap_id, now)
        if isinstance(event, Undone) and all(event.cancels != known.id for known in events):
            raise InputError("nothing_to_undo", "That no longer stands: nothing to undo.", ["cancels"])
        added = session.execute(
            insert(models.HeapEvent)
            .values(
                id=event.id,
                crew_id=visitor.crew_id,
                heap=heap_id,
                account_id=visitor.account_id,
                received_at=now,
                content=event_json(event),
            )
            .on_conflict_do_nothing()
            .returning(models.HeapEvent.id)
        )
        if added.first() is None:
            return True
        for waiting in loads:
            if not waiting.batch.water and waiting.batch.discarded is None:
                look_ahead(session, visitor, waiting, now)
    return True


def look_ahead(session: Session, visitor: Visitor, running: RunningLoad, now: datetime) -> None:
    """Write down, with the load, what its heap is expected to leave for the tap."""
    material = followed(running.plan)
    if material is None:
        return
    loads, events = _seen(session, material.heap, now)
    history = history_of(_told(item for item in loads if item.id != running.id), events, now)
    water = expected_water(running.plan, running.load, history)
    if water is not None:
        own = own_event(visitor, len(running.events), now)
        add_event(session, visitor, running.id, Expected(kind="expected", water=water, **own), now)
