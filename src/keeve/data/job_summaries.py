"""Summaries of jobs: what a closed job used, and the waste it proposes for the next plan."""

from datetime import datetime
from typing import NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import Engine, bindparam, select
from sqlalchemy.dialects.postgresql import insert

from keeve.core.log.job_summary import JobSummary, summarise_job
from keeve.data import plans
from keeve.data.accounts import Visitor
from keeve.data.log_entries import loads_of_plans
from keeve.data.plans import SavedPlan
from keeve.store import models
from keeve.store.database import crew_reading, crew_session


class ClosedWaste(NamedTuple):
    """The waste of a closed job, and its title."""

    title: str
    waste_fraction: float


def summary_so_far(
    engine: Engine, visitor: Visitor, plan_id: UUID, used: dict[str, float] | None = None
) -> JobSummary | None:
    """The summary of a job so far; None where the crew has no such plan.

    Raises:
        InputError: a count that cannot be.
    """
    saved = plans.saved_plan(engine, visitor, plan_id)
    return None if saved is None else _summary(engine, visitor, saved, used)


def _summary(engine: Engine, visitor: Visitor, saved: SavedPlan, used: dict[str, float] | None) -> JobSummary:
    with crew_reading(engine, visitor.crew_id) as session:
        return summarise_job(saved.plan, loads_of_plans(session, [saved.id]), used)


def close_job(engine: Engine, visitor: Visitor, plan_id: UUID, used: dict[str, float], now: datetime) -> bool:
    """Close a job: keep its summary. Whether the crew has the job."""
    saved = plans.saved_plan(engine, visitor, plan_id)
    if saved is None:
        return False
    found = _summary(engine, visitor, saved, used)
    with crew_session(engine, visitor.crew_id) as session:
        session.execute(
            insert(models.StoredJobSummary).values(
                id=uuid4(),
                plan_id=plan_id,
                mix_id=saved.plan.mix.id,
                title=saved.plan.title,
                content=found.model_dump(mode="json"),
                made_by=visitor.account_id,
                made_at=now,
            )
        )
    return True


# So many closed jobs are looked at for one that filled what was measured, but for a tenth: less was not finished, and
# says nothing of waste. A judgement made here.
_LOOKED_AT, _FILLED = 10, 0.9

_SUMMARIES = (
    select(models.StoredJobSummary.title, models.StoredJobSummary.content)
    .order_by(models.StoredJobSummary.made_at.desc())
    .limit(_LOOKED_AT)
)
_NEWEST = _SUMMARIES
_NEWEST_OF_MIX = _SUMMARIES.where(models.StoredJobSummary.mix_id == bindparam("mix_id"))


def last_waste(engine: Engine, visitor: Visitor, mix_id: str = "") -> ClosedWaste | None:
    """The waste of the newest closed job, of a mix or of any; None before one was closed."""
    with crew_reading(engine, visitor.crew_id) as session:
        found = (
            session.execute(_NEWEST_OF_MIX, {"mix_id": mix_id}).all()
            if mix_id
            else session.execute(_NEWEST).all()
        )
    closed = ((title, JobSummary.model_validate(content)) for title, content in found)
    return next(
        (
            ClosedWaste(title, summary.waste_fraction)
            for title, summary in closed
            if summary.placed_l >= _FILLED * summary.net_l
        ),
        None,
    )


def closed_summary(engine: Engine, visitor: Visitor, plan_id: UUID) -> JobSummary | None:
    """The summary of a job as it was closed last."""
    newest = (
        select(models.StoredJobSummary.content)
        .where(models.StoredJobSummary.plan_id == plan_id)
        .order_by(models.StoredJobSummary.made_at.desc())
        .limit(1)
    )
    with crew_reading(engine, visitor.crew_id) as session:
        content = session.scalar(newest)
    return None if content is None else JobSummary.model_validate(content)
