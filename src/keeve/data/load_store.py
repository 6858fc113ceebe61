"""Loads that were begun: read with their plans and events, and added to."""

import json
import logging
from collections.abc import Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, Select, Text, bindparam, cast, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import LoadEvent, event_json, in_order
from keeve.core.loads.fold import fold_ordered
from keeve.core.loads.running_load import RunningLoad
from keeve.data.accounts import Visitor
from keeve.data.plans import plans_by_id
from keeve.store import models
from keeve.store.queries import has_event

_log = logging.getLogger(__name__)


_EVENTS = (
    select(func.json_agg(cast(models.Event.content, Text)))
    .where(models.Event.load_id == models.StoredLoad.id)
    .correlate(models.StoredLoad)
    .scalar_subquery()
    .label("contents")
)


_LOADS = (
    select(
        models.StoredLoad.id,
        models.StoredLoad.plan_id,
        models.StoredLoad.number,
        models.StoredLoad.begun_at,
        _EVENTS,
    )
    .select_from(models.StoredLoad)
    .join(models.StoredPlan, models.StoredPlan.id == models.StoredLoad.plan_id)
)
_ONE = _LOADS.where(models.StoredLoad.id == bindparam("load_id"))


def loads_where(*conditions: ColumnElement[bool]) -> Select[Any]:
    """Begun loads, joined with their plans; one that was taken back is as if it had not been."""
    return _LOADS.where(~has_event("taken_back"), *conditions)


def read_event(content: str) -> LoadEvent | None:
    """An event as it is kept; None where it cannot be read."""
    try:
        return parse_event(json.loads(content))
    except (InputError, ValueError) as fault:
        _log.warning("an event is set aside: %s", fault)
        return None


def read_load(session: Session, load_id: UUID) -> RunningLoad | None:
    """A begun load, also one that was taken back since; None where the session's crew has none of that id."""
    return next(iter(read_loads(session, _ONE, load_id=load_id)), None)


def read_loads(session: Session, query: Select[Any], **values: Any) -> list[RunningLoad]:
    """The loads that a query of ``loads_where`` finds, with their plans."""
    rows = session.execute(query, values).all()
    plans = plans_by_id(session, {row.plan_id for row in rows})
    found = []
    for row in rows:
        plan = plans[row.plan_id]
        load = plan.load(row.number)
        if load is None:
            raise LookupError(f"load {row.id} has number {row.number}, which its plan has not")
        read = [read_event(content) for content in row.contents or ()]
        events = in_order(event for event in read if event is not None)
        state = fold_ordered(load, events)
        aside = read.count(None)
        found.append(RunningLoad(row.id, row.plan_id, plan, load, row.begun_at, events, state, aside))
    return found


_THESE = loads_where(models.StoredLoad.id.in_(bindparam("load_ids", expanding=True)))


def read_loads_by_id(session: Session, load_ids: Sequence[UUID]) -> list[RunningLoad]:
    """Those of these loads that the session's crew has and that were not taken back, in no order."""
    if not load_ids:
        return []
    return read_loads(session, _THESE, load_ids=list(load_ids))


def add_event(session: Session, visitor: Visitor, load_id: UUID, event: LoadEvent, now: datetime) -> None:
    """Append an event to a load.

    Raises:
        InputError: another load has an event of that id.
    """
    row = {
        "id": event.id,
        "load_id": load_id,
        "account_id": visitor.account_id,
        "received_at": now,
        "content": event_json(event),
    }
    added = session.execute(insert(models.Event).on_conflict_do_nothing().returning(models.Event.id), row)
    if added.first() is None:
        raise InputError("id_taken", "id belongs to another event. Use a new one.", ["id"])
