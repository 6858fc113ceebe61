"""What Today shows: the loads in work with their working time, the plans with loads left, the finished ones."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from sqlalchemy import Engine

from keeve.services import jobs, loads
from keeve.services.accounts import Visitor
from keeve.services.jobs import JobLine
from keeve.services.loads import InWork
from keeve.services.views.casts import CastLine, cast_line


class LoadLine(NamedTuple):
    """A load in work: the used share of its working time and what is left of it; None before first water."""

    load: InWork
    used_fraction: float | None
    left: timedelta | None


@dataclass(frozen=True)
class Today:
    """Loads in work, casts in moulds or drying, jobs with loads left, jobs whose loads were all begun."""

    in_work: Sequence[LoadLine]
    casts: Sequence[CastLine]
    planned: Sequence[JobLine]
    finished: Sequence[JobLine]


def today(engine: Engine, visitor: Visitor, now: datetime) -> Today:
    """The crew's day."""
    active = jobs.jobs(engine, visitor)
    return Today(
        in_work=[_line(load, now) for load in loads.loads_in_work(engine, visitor, now)],
        casts=[cast_line(*item) for item in loads.casts(engine, visitor, now)],
        planned=[line for line in active if not line.is_finished],
        finished=[line for line in active if line.is_finished],
    )


def _line(load: InWork, now: datetime) -> LoadLine:
    life = load.situation.life
    if life.began_at is None or life.dead_at is None:
        return LoadLine(load, None, None)
    return LoadLine(load, (now - life.began_at) / (life.dead_at - life.began_at), life.dead_at - now)
