"""A load that was started, for the tests of what happens after."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from helpers import NOON, job, raw_event
from sqlalchemy import Engine

from keeve.data import loads, plans
from keeve.data.accounts import Visitor


def a_started_load(
    engine: Engine,
    visitor: Visitor,
    plan_id: UUID | None = None,
    number: int = 1,
    at: datetime = NOON,
    *,
    job_of: Mapping[str, Any] | None = None,
) -> UUID:
    """A load with its checks made, where it has any: of a plan, else of a new one of the example.

    Args:
        engine: the database.
        visitor: who mixes.
        plan_id: the plan; None for a new one.
        number: which of its loads.
        at: when it is started.
        job_of: what the new plan's job has otherwise than the example.
    """
    plan_id = plan_id or plans.save_plan(engine, visitor, job(**(job_of or {})))
    load_id = loads.begin_load(engine, visitor, plan_id, number, at)
    assert load_id is not None
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    if running.state.to_check:
        loads.record_event(engine, visitor, load_id, raw_event("accepted", at, device_seq=0), at)
    return load_id
