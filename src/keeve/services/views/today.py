"""What Today shows: the loads in work with their working time, the plans with loads left, the finished ones."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from sqlalchemy import Engine

from keeve.services import loads, plans
from keeve.services.accounts import Visitor
from keeve.services.loads import InWork
from keeve.services.plans import PlanLine
from keeve.services.views.casts import CastLine, cast_line


class LoadLine(NamedTuple):
    """A load in work: the used share of its working time and what is left of it; None before first water."""

    load: InWork
    used_fraction: float | None
    left: timedelta | None


@dataclass(frozen=True)
class Today:
    """Loads in work, casts in moulds or drying, plans with loads left, plans whose loads were all begun."""

    in_work: Sequence[LoadLine]
    casts: Sequence[CastLine]
    planned: Sequence[PlanLine]
    finished: Sequence[PlanLine]


def today(engine: Engine, visitor: Visitor, now: datetime) -> Today:
    """The crew's day."""
    newest = plans.newest_plans(engine, visitor)
    return Today(
        in_work=[_line(load, now) for load in loads.loads_in_work(engine, visitor, now)],
        casts=[cast_line(*item) for item in loads.casts(engine, visitor, now)],
        planned=[line for line in newest if line.begun < line.loads],
        finished=[line for line in newest if line.begun >= line.loads],
    )


def _line(load: InWork, now: datetime) -> LoadLine:
    life = load.situation.life
    if life.began_at is None or life.dead_at is None:
        return LoadLine(load, None, None)
    return LoadLine(load, (now - life.began_at) / (life.dead_at - life.began_at), life.dead_at - now)
