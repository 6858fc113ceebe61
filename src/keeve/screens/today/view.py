"""Today as it is shown: the loads in work with their working time, the plans with loads left, the finished ones."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID

from keeve.core.curing.pours import PourLine
from keeve.core.day_plan.day import Start
from keeve.core.loads.drying import Drying
from keeve.core.loads.next_step import Situation
from keeve.core.loads.running_load import InWork, OpenLoads, RunningLoad
from keeve.core.log.specimens import DueSpecimens
from keeve.core.planning.job_versions import JobLine
from keeve.screens.today.due import DueLine, due

# The next jobs are looked for among so many of the newest, and so many of them are shown.
LOOKED_AT, _SHOWN = 24, 8
_DUE = 10
# So long before its working time is over the device tells it.
_WARNED_BEFORE = timedelta(minutes=15)


class LoadInWork(NamedTuple):
    """A load in work: the used share of its working time, what is left of it, when to tell that it runs out; None
    before first water.
    """

    load: InWork
    used_fraction: float | None
    left: timedelta | None
    warn_at: datetime | None = None


@dataclass(frozen=True)
class CastLine:
    """A cast on Today: its load, where it is, and how it dries; None while it is in its mould."""

    running: RunningLoad
    now: Situation
    drying: Drying | None

    @property
    def id(self) -> UUID:
        """The id of its load."""
        return self.running.id


@dataclass(frozen=True)
class Today:
    """Loads in work, casts in moulds or drying, what is due of pours, specimens to test, the jobs planned for today,
    the next jobs with loads left, whether there are others, and whether pours are followed.
    """

    in_work: Sequence[LoadInWork]
    casts: Sequence[CastLine]
    due: Sequence[DueLine]
    specimens: Sequence[DueSpecimens]
    is_curing: bool
    starts: Sequence[Start]
    planned: Sequence[JobLine]
    has_finished: bool


def today(
    active: Sequence[JobLine],
    loads: OpenLoads,
    pours: Sequence[PourLine],
    specimens: Sequence[DueSpecimens],
    starts: Sequence[Start],
    now: datetime,
) -> Today:
    """The crew's day.

    Args:
        active: its newest jobs.
        loads: the loads with which something is still to be done.
        pours: the pours that are followed.
        specimens: those that are due.
        starts: the jobs planned for today.
        now: the moment.
    """
    planned = [line for line in active if not line.is_finished]
    return Today(
        in_work=[_line(load, now) for load in loads.in_work],
        casts=[CastLine(running, situation, running.drying(situation)) for running, situation in loads.casts],
        due=due(pours, now)[:_DUE],
        specimens=specimens,
        is_curing=bool(pours),
        starts=starts,
        planned=planned[:_SHOWN],
        has_finished=len(planned) < len(active),
    )


def _line(load: InWork, now: datetime) -> LoadInWork:
    life = load.situation.life
    if life.began_at is None or life.dead_at is None:
        return LoadInWork(load, None, None)
    return LoadInWork(
        load,
        (now - life.began_at) / (life.dead_at - life.began_at),
        life.dead_at - now,
        life.dead_at - _WARNED_BEFORE,
    )
