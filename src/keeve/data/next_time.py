"""Proposals of a crew's own loads of a mix for the next job."""

from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.log.learning import Learnt, as_learnt, learn, learn_from
from keeve.core.log.load_row import as_planned
from keeve.core.log.log_filter import LogFilter
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Plan
from keeve.data import loads, plans
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find_in_order

# So many of the newest loads are learnt from: a season and more.
MOST = 200


class NextTime(NamedTuple):
    """A job to be made again: as it was, and as it is with what was learnt."""

    job: Job
    learnt: Learnt

    @property
    def again(self) -> Job:
        """The job as it begins now."""
        return as_learnt(self.job, self.learnt)


def next_time(engine: Engine, visitor: Visitor, plan_id: UUID) -> NextTime | None:
    """The job of a plan, and what the newest loads of its mix say; None where the crew has no such plan."""
    saved = plans.saved_plan(engine, visitor, plan_id)
    if saved is None:
        return None
    return NextTime(saved.job, learnt_for(engine, visitor, saved.plan))


def next_from(engine: Engine, visitor: Visitor, load_id: UUID) -> NextTime | None:
    """The job of a load, no longer a trial, and what that one load says; None where the crew has no such load."""
    running = loads.running_load(engine, visitor, load_id)
    saved = plans.saved_plan(engine, visitor, running.plan_id) if running else None
    if running is None or saved is None:
        return None
    return NextTime(saved.job.model_copy(update={"trial_l": None}), learn_from(running))


def learnt_for(engine: Engine, visitor: Visitor, plan: Plan) -> Learnt:
    """The lessons of the newest loads of the mix of a plan."""
    loads = find_in_order(engine, visitor, LogFilter(mix_id=plan.mix.id), MOST)
    return learn(loads, plan.mix.id, as_planned(plan, plan.loads[0]))
