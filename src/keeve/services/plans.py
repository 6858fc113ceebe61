"""Planning a job and keeping the plan."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from keeve.core.errors import validated
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan
from keeve.formats.job_file import read_job
from keeve.services.accounts import Visitor
from keeve.store import models
from keeve.store.database import crew_reading, crew_session, session_crew
from keeve.store.queries import has_event

_NEWEST = 20


@dataclass(frozen=True)
class SavedPlan:
    """A plan as it was kept, with the job it came from."""

    id: UUID
    job: Job
    plan: Plan


@dataclass(frozen=True)
class PlanLine:
    """A plan in a list: how many of its loads were begun."""

    id: UUID
    title: str
    made_at: datetime
    loads: int
    begun: int

    @property
    def next_number(self) -> int:
        """The number of the next load; of the last where all were begun."""
        return min(self.begun + 1, self.loads)


def save_plan(engine: Engine, visitor: Visitor, job: Job) -> UUID:
    """Compute the plan of a job and keep both, for good.

    Raises:
        InputError: the job cannot be planned.
    """
    plan = make_plan(job)
    # What is kept for good is read once before: nothing is written that cannot be read.
    kept_job, result = job.model_dump(mode="json", exclude_none=True), plan.model_dump(mode="json")
    read_job(kept_job)
    validated(Plan, result)
    plan_id = uuid4()
    with crew_session(engine, visitor.crew_id) as session:
        session.add(
            models.Plan(
                id=plan_id,
                title=plan.title,
                job=kept_job,
                result=result,
                rules_version=plan.rules_version,
                made_by=visitor.account_id,
            )
        )
    return plan_id


def saved_plan(engine: Engine, visitor: Visitor, plan_id: UUID) -> SavedPlan | None:
    """A plan of the visitor's crew."""
    with crew_reading(engine, visitor.crew_id) as session:
        row = session.scalars(select(models.Plan).where(models.Plan.id == plan_id)).first()
        if row is None:
            return None
        return SavedPlan(id=row.id, job=read_job(row.job), plan=Plan.model_validate(row.result))


def newest_plans(engine: Engine, visitor: Visitor) -> list[PlanLine]:
    """The crew's newest plans."""
    begun = (
        select(func.count())
        .where(models.Load.crew_id == models.Plan.crew_id, models.Load.plan_id == models.Plan.id)
        .where(~has_event("taken_back"))
        .correlate(models.Plan)
        .scalar_subquery()
    )
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(
            select(
                models.Plan.id,
                models.Plan.title,
                models.Plan.made_at,
                models.Plan.loads,
                begun,
            )
            .order_by(models.Plan.made_at.desc())
            .limit(_NEWEST)
        )
        return [PlanLine(*row) for row in rows]


def mixes_used_last(engine: Engine, visitor: Visitor, most: int) -> list[str]:
    """The ids of the mixes the crew planned with last, the newest first."""
    with crew_reading(engine, visitor.crew_id) as session:
        newest = select(models.Plan.job).order_by(models.Plan.made_at.desc()).limit(_NEWEST)
        used = [job["mix"] for job in session.scalars(newest)]
    ids = dict.fromkeys(mix if isinstance(mix, str) else mix["id"] for mix in used)
    return list(ids)[:most]


def newest_plan_ids(session: Session) -> list[UUID]:
    """The ids of the newest plans of the session's crew."""
    newest = select(models.Plan.id).order_by(models.Plan.made_at.desc()).limit(_NEWEST)
    return list(session.scalars(newest))


# Plans never change, so each process keeps the ones it has read, by crew and id, the oldest leaving first.
_kept: dict[tuple[UUID, UUID], Plan] = {}
_MOST_KEPT = 256


def plans_by_id(session: Session, plan_ids: Collection[UUID]) -> dict[UUID, Plan]:
    """Plans of the session's crew, by id; what the crew does not have is left out."""
    crew_id = session_crew(session)
    found = {plan_id: _kept[crew_id, plan_id] for plan_id in plan_ids if (crew_id, plan_id) in _kept}
    missing = set(plan_ids) - set(found)
    if missing:
        query = select(models.Plan.id, models.Plan.result).where(models.Plan.id.in_(missing))
        for plan_id, result in session.execute(query):
            found[plan_id] = _kept[crew_id, plan_id] = Plan.model_validate(result)
        for key in list(_kept)[: max(len(_kept) - _MOST_KEPT, 0)]:
            _kept.pop(key, None)
    return found
