"""Planning a job and keeping the plan."""

from collections.abc import Collection
from dataclasses import dataclass
from uuid import UUID, uuid4

from sqlalchemy import Engine, bindparam, select
from sqlalchemy.orm import Session

from keeve.core.errors import validated
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan
from keeve.data.accounts import Visitor
from keeve.formats.job_file import read_job
from keeve.store import models
from keeve.store.database import crew_reading, crew_session
from keeve.store.queries import job_state, latest_entry, of_job

_NEWEST = 20
_MOST_USED_LAST = 3


@dataclass(frozen=True)
class SavedPlan:
    """A plan as it was kept, with the job it came from; ``job_id``: the job it is a version of."""

    id: UUID
    job_id: UUID
    job: Job
    plan: Plan


def save_plan(
    engine: Engine,
    visitor: Visitor,
    job: Job,
    version_of: UUID | None = None,
    *,
    as_plan: UUID | None = None,
) -> UUID:
    """Compute the plan of a job and keep both, for good.

    Args:
        engine: the database.
        visitor: who plans.
        job: what is to be made.
        version_of: the job it is the next version of; None for a new one, or where the crew has no such job.
        as_plan: the id it was given on a device without signal; told again, it is the plan that is there.

    Raises:
        InputError: the job cannot be planned.
    """
    plan = make_plan(job)
    # What is kept for good is read once before: nothing is written that cannot be read.
    stored_job, result = job.model_dump(mode="json", exclude_none=True), plan.model_dump(mode="json")
    read_job(stored_job)
    validated(Plan, result)
    plan_id = as_plan or uuid4()
    with crew_session(engine, visitor.crew_id) as session:
        if as_plan and session.scalar(select(models.StoredPlan.id).where(models.StoredPlan.id == as_plan)):
            return as_plan
        first = (
            session.scalar(select(of_job()).where(models.StoredPlan.id == version_of)) if version_of else None
        )
        session.add(
            models.StoredPlan(
                id=plan_id,
                title=plan.title,
                job=stored_job,
                result=result,
                rules_version=plan.rules_version,
                version_of=first,
                made_by=visitor.account_id,
            )
        )
    return plan_id


def saved_plan(engine: Engine, visitor: Visitor, plan_id: UUID) -> SavedPlan | None:
    """A plan of the visitor's crew, under its job's name; None where the job was deleted."""
    return plan_of_crew(engine, visitor.crew_id, plan_id)


def plan_of_crew(engine: Engine, crew_id: UUID, plan_id: UUID) -> SavedPlan | None:
    """A plan of a crew, under its job's name; None where the job was deleted."""
    query = select(models.StoredPlan, of_job(), latest_entry("title"))
    query = query.where(models.StoredPlan.id == plan_id, job_state() != "deleted")
    with crew_reading(engine, crew_id) as session:
        found = session.execute(query).first()
        if found is None:
            return None
        row, job_id, title = found
        job, plan = read_job(row.job), Plan.model_validate(row.result)
        job = job.model_copy(update={"title": title}) if title else job
        return SavedPlan(row.id, job_id, job, named(plan, title))


_NEWEST_PLANS = (
    select(models.StoredPlan.id, models.StoredPlan.mix_id)
    .order_by(models.StoredPlan.made_at.desc())
    .limit(_NEWEST)
)


def mixes_used_last(engine: Engine, visitor: Visitor) -> list[str]:
    """The ids of the few mixes the crew planned with last, the newest first."""
    with crew_reading(engine, visitor.crew_id) as session:
        used = dict.fromkeys(mix_id for _, mix_id in session.execute(_NEWEST_PLANS).all())
    return list(used)[:_MOST_USED_LAST]


def newest_plan_ids(session: Session) -> list[UUID]:
    """The ids of the newest plans of the session's crew."""
    return [plan_id for plan_id, _ in session.execute(_NEWEST_PLANS).all()]


_THESE = select(models.StoredPlan.id, models.StoredPlan.result, latest_entry("title")).where(
    models.StoredPlan.id.in_(bindparam("plan_ids", expanding=True))
)


def plans_by_id(session: Session, plan_ids: Collection[UUID]) -> dict[UUID, Plan]:
    """Plans of the session's crew under their jobs' names, by id; what the crew does not have is left out."""
    rows = session.execute(_THESE, {"plan_ids": list(plan_ids)}) if plan_ids else ()
    return {plan_id: named(Plan.model_validate(result), title) for plan_id, result, title in rows}


def jobs_of_plans(session: Session, plan_ids: Collection[UUID]) -> dict[UUID, UUID]:
    """The jobs of plans of the session's crew, by the plan; those of deleted jobs are left out."""
    query = select(models.StoredPlan.id, of_job()).where(
        models.StoredPlan.id.in_(plan_ids), job_state() != "deleted"
    )
    return {row[0]: row[1] for row in session.execute(query).all()}


def named(plan: Plan, title: str | None) -> Plan:
    """A plan under the name its job was given since, if any."""
    return plan.model_copy(update={"title": title}) if title else plan
