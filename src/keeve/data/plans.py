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
from keeve.figures.kept import Kept
from keeve.formats.job_file import read_job
from keeve.store import models
from keeve.store.database import Question, crew_reading, crew_session, session_crew
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


def save_plan(engine: Engine, visitor: Visitor, job: Job, version_of: UUID | None = None) -> UUID:
    """Compute the plan of a job and keep both, for good.

    Args:
        engine: the database.
        visitor: who plans.
        job: what is to be made.
        version_of: the job it is the next version of; None for a new one, or where the crew has no such job.

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
        first = session.scalar(select(of_job()).where(models.Plan.id == version_of)) if version_of else None
        session.add(
            models.Plan(
                id=plan_id,
                title=plan.title,
                job=kept_job,
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
    query = select(models.Plan, of_job(), latest_entry("title"))
    query = query.where(models.Plan.id == plan_id, job_state() != "deleted")
    with crew_reading(engine, crew_id) as session:
        found = session.execute(query).first()
        if found is None:
            return None
        row, job_id, title = found
        job, plan = read_job(row.job), Plan.model_validate(row.result)
        job = job.model_copy(update={"title": title}) if title else job
        return SavedPlan(row.id, job_id, job, named(plan, title))


_NEWEST_PLANS = Question(
    select(models.Plan.id, models.Plan.mix_id).order_by(models.Plan.made_at.desc()).limit(_NEWEST)
)


def mixes_used_last(engine: Engine, visitor: Visitor) -> list[str]:
    """The ids of the few mixes the crew planned with last, the newest first."""
    with crew_reading(engine, visitor.crew_id) as session:
        used = dict.fromkeys(mix_id for _, mix_id in _NEWEST_PLANS.ask(session))
    return list(used)[:_MOST_USED_LAST]


def newest_plan_ids(session: Session) -> list[UUID]:
    """The ids of the newest plans of the session's crew."""
    return [plan_id for plan_id, _ in _NEWEST_PLANS.ask(session)]


# Plans never change: those read last stay in memory, by crew and id.
_kept: Kept[tuple[UUID, UUID], Plan] = Kept(256)

_RESULTS = Question(
    select(models.Plan.id, models.Plan.result).where(
        models.Plan.id.in_(bindparam("plan_ids", expanding=True))
    )
)
_NAMES = Question(
    select(models.Plan.id, latest_entry("title")).where(
        models.Plan.id.in_(bindparam("plan_ids", expanding=True))
    )
)


def plans_by_id(session: Session, plan_ids: Collection[UUID]) -> dict[UUID, Plan]:
    """Plans of the session's crew under their jobs' names, by id; what the crew does not have is left out."""
    plans = kept_plans(session, plan_ids)
    return {
        plan_id: named(plans[plan_id], title) for plan_id, title in _NAMES.ask(session, plan_ids=list(plans))
    }


def plan_by_id(engine: Engine, visitor: Visitor, plan_id: UUID) -> Plan | None:
    """A plan of the visitor's crew, also of a job that was deleted; None where the crew has none of that id."""
    with crew_reading(engine, visitor.crew_id) as session:
        return plans_by_id(session, {plan_id}).get(plan_id)


def named(plan: Plan, title: str | None) -> Plan:
    """A plan under the name its job was given since, if any."""
    return plan.model_copy(update={"title": title}) if title else plan


def kept_plans(session: Session, plan_ids: Collection[UUID]) -> dict[UUID, Plan]:
    """Plans of the session's crew as they were made, by id; what the crew does not have is left out."""
    crew_id = session_crew(session)
    known = {plan_id: _kept.get((crew_id, plan_id)) for plan_id in plan_ids}
    found = {plan_id: plan for plan_id, plan in known.items() if plan is not None}
    if missing := [plan_id for plan_id in known if plan_id not in found]:
        for plan_id, result in _RESULTS.ask(session, plan_ids=missing):
            found[plan_id] = _kept.keep((crew_id, plan_id), Plan.model_validate(result))
    return found
