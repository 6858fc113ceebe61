"""Parts of queries that several services ask with."""

from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, exists, func, literal_column, select

from keeve.store import models


def has_event(*kinds: str, load: Any = models.StoredLoad) -> ColumnElement[bool]:
    """Whether a load has an event of one of these kinds."""
    # Written out, so that one plan of the database serves every time it is asked.
    named: list[ColumnElement[str]] = [literal_column(f"'{kind}'") for kind in kinds]
    of_kind = models.Event.kind == named[0] if len(named) == 1 else models.Event.kind.in_(named)
    return exists().where(models.Event.load_id == load.id, of_kind).correlate(load)


def of_job(plan: Any = models.StoredPlan) -> ColumnElement[UUID]:
    """The job that a plan is a version of; it goes by the id of its first plan."""
    return func.coalesce(plan.version_of, plan.id)


def job_state() -> ColumnElement[str]:
    """The state of the job of a plan: active, archived or deleted."""
    return func.coalesce(latest_entry("state"), "active")


def latest_entry(kind: str) -> ColumnElement[str | None]:
    """The newest entry of a kind on the job of a plan; null where there is none."""
    return (
        select(models.JobEntry.text)
        .where(
            models.JobEntry.job_id == of_job(),
            models.JobEntry.kind == literal_column(f"'{kind}'"),
        )
        .order_by(models.JobEntry.made_at.desc())
        .limit(1)
        .correlate(models.StoredPlan)
        .scalar_subquery()
    )
