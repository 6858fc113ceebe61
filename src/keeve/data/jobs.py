"""Jobs: what a crew builds, as the plans of it, version by version, with its name, its state and notes.

A job goes by the id of its first plan. Nothing of it is overwritten: a new name, a new state and a new version are
each added, and the newest counts.
"""

from datetime import datetime
from functools import lru_cache
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import (
    ColumnElement,
    Engine,
    Integer,
    Select,
    bindparam,
    exists,
    func,
    literal_column,
    or_,
    select,
    true,
    union,
)
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, aliased

from keeve.core.errors import InputError
from keeve.core.planning.job_versions import JobLine, JobNote, JobPage, JobState, JobVersion
from keeve.core.texts import why_unfit
from keeve.data import log_entries
from keeve.data.accounts import Visitor
from keeve.store import models
from keeve.store.database import crew_reading, crew_session
from keeve.store.queries import has_event, job_state, latest_entry, of_job

LONGEST_TITLE = 120
LONGEST_NOTE = 2000
_MOST_LISTED = 100


def jobs(engine: Engine, visitor: Visitor, words: str = "", state: JobState = "active") -> list[JobLine]:
    """The crew's jobs in a state, begun ones first, then those to begin, then the finished, each lot by the newest.

    Without words those that were planned or mixed last: what is older is found by its words.

    Args:
        engine: the database.
        visitor: who asks.
        words: only jobs that have each of these words in their name, mix or notes.
        state: active or archived.
    """
    with crew_reading(engine, visitor.crew_id) as session:
        if not words.split():
            return newest_jobs(session, state, _MOST_LISTED)
        newest = models.StoredPlan.id.in_(_newest_plans())
        query = _lines().where(newest, job_state() == state, *map(_mentions, words.split()))
        rows = session.execute(query.order_by(_NEWEST).limit(_MOST_LISTED)).all()
        return sorted(map(JobLine._make, rows), key=_lot)


def newest_jobs(session: Session, state: JobState, most: int) -> list[JobLine]:
    """Those of the jobs that were planned or mixed last, ordered as ``jobs`` does."""
    rows = session.execute(_listed(most)).all()
    # Sorting keeps the order within a lot; of what is begun none is cut off before what is not.
    return sorted([JobLine._make(row) for row in rows if row.state == state], key=_lot)[:most]


def _lot(line: JobLine) -> int:
    return 2 if line.is_finished else 0 if line.begun else 1


def job_page(engine: Engine, visitor: Visitor, job_id: UUID) -> JobPage | None:
    """A job of the visitor's crew; None where it has none, or deleted it."""
    with crew_reading(engine, visitor.crew_id) as session:
        row = next(iter(session.execute(_ONE, {"job_id": job_id}).all()), None)
        if row is None:
            return None
        made = session.execute(
            select(models.StoredPlan, models.Account.name, _begun())
            .join(models.Account, models.Account.id == models.StoredPlan.made_by)
            .where(of_job() == job_id)
            .order_by(models.StoredPlan.made_at)
        )
        versions = [
            JobVersion(number, row[0].id, row[0].made_at, row[1], row[0].loads, row[2])
            for number, row in enumerate(made, start=1)
        ]
        notes = session.execute(
            select(models.JobEntry.text, models.Account.name, models.JobEntry.made_at)
            .join(models.Account, models.Account.id == models.JobEntry.made_by)
            .where(models.JobEntry.job_id == job_id, models.JobEntry.kind == "note")
            .order_by(models.JobEntry.made_at.desc())
        )
        return JobPage(JobLine._make(row), versions[::-1], [JobNote(*note) for note in notes])


def rename(engine: Engine, visitor: Visitor, job_id: UUID, title: str, now: datetime) -> bool:
    """Give a job another name. Whether the crew has the job.

    Raises:
        InputError: the name is empty, too long or no plain text.
    """
    return _say(engine, visitor, job_id, "title", _checked("title", title, LONGEST_TITLE), now)


def add_note(engine: Engine, visitor: Visitor, job_id: UUID, text: str, now: datetime) -> bool:
    """Write a note on a job, of one line or several. Whether the crew has the job.

    Raises:
        InputError: the note is empty, too long or no plain text.
    """
    lines = "\n".join(text.splitlines())  # a form sends its line breaks as two characters
    return _say(
        engine, visitor, job_id, "note", _checked("note", lines, LONGEST_NOTE, is_one_line=False), now
    )


def archive(engine: Engine, visitor: Visitor, job_id: UUID, now: datetime, *, back: bool = False) -> bool:
    """Put a job away, or take it back. Whether the crew has the job."""
    return _say(engine, visitor, job_id, "state", "active" if back else "archived", now)


def delete(engine: Engine, visitor: Visitor, job_id: UUID, now: datetime) -> bool:
    """Delete a job that has no loads. Whether the crew has the job.

    Raises:
        InputError: a load of it was begun.
    """
    page = job_page(engine, visitor, job_id)
    if page is not None and page.mixed:
        message = "Loads of this job are in the log, so it can't be deleted. Archive it instead."
        raise InputError("has_loads", message, ["job"])
    return _say(engine, visitor, job_id, "state", "deleted", now)


def _checked(field: str, text: str, longest: int, *, is_one_line: bool = True) -> str:
    plain = text.strip()
    if not plain:
        raise InputError(f"{field}_missing", f"{field} is empty. Enter it.", [field])
    if why := why_unfit(field, plain, longest, is_one_line=is_one_line):
        raise InputError(f"{field}_unfit", why, [field])
    return plain


def _say(engine: Engine, visitor: Visitor, job_id: UUID, kind: str, text: str, now: datetime) -> bool:
    with crew_session(engine, visitor.crew_id) as session:
        if not _is_there(session, job_id):
            return False
        session.add(
            models.JobEntry(
                id=uuid4(), job_id=job_id, kind=kind, text=text, made_by=visitor.account_id, made_at=now
            )
        )
        if kind == "title":
            log_entries.rename(session, job_id, text)
        return True


def _is_there(session: Session, job_id: UUID) -> bool:
    query = select(models.StoredPlan.id).where(
        models.StoredPlan.id == job_id, models.StoredPlan.version_of.is_(None)
    )
    return session.scalar(query.where(job_state() != "deleted")) is not None


def _lines() -> Select[*tuple[Any, ...]]:
    """Plans, with what the line of their job shows."""
    return select(
        of_job(),
        _title(),
        job_state().label("state"),
        models.StoredPlan.id,
        models.StoredPlan.made_at,
        models.StoredPlan.mix_name,
        models.StoredPlan.loads,
        _begun(),
    )


def _newest_plans() -> Select[UUID]:
    """The id of the newest plan of every job."""
    plan = aliased(models.StoredPlan)
    job_id = of_job(plan)
    return select(plan.id).ext(distinct_on(job_id)).order_by(job_id, plan.made_at.desc(), plan.id.desc())


def _lately(length: int) -> Select[UUID]:
    """The jobs of the crew's newest plans, loads and changes of state: a long history takes no longer to look at."""
    planned, mixed, load = aliased(models.StoredPlan), aliased(models.StoredPlan), aliased(models.StoredLoad)
    # Written out, so that the database knows that it is few.
    entry, most = aliased(models.JobEntry), literal_column(str(length), Integer)
    plans = select(of_job(planned).label("job_id")).order_by(planned.made_at.desc()).limit(most)
    loads = select(load.plan_id).order_by(load.begun_at.desc()).limit(most).subquery()
    states = select(entry.job_id).where(entry.kind == "state").order_by(entry.made_at.desc()).limit(most)
    of_loads = select(of_job(mixed)).where(mixed.id.in_(select(loads.c.plan_id)))
    either = union(select(plans.subquery().c.job_id), of_loads, select(states.subquery().c.job_id))
    return select(either.subquery().c.job_id)


def _lines_of(job_ids: Select[UUID]) -> Select[*tuple[Any, ...]]:
    """The lines of these jobs, the newest first: the newest plan of each is looked up by itself."""
    either, plan = job_ids.subquery(), aliased(models.StoredPlan)
    versions = select(plan.id).where(of_job(plan) == either.c.job_id)
    newest = (
        versions.order_by(plan.made_at.desc(), plan.id.desc()).limit(literal_column("1", Integer)).lateral()
    )
    lines = (
        _lines()
        .select_from(either)
        .join(newest, true())
        .join(models.StoredPlan, models.StoredPlan.id == newest.c.id)
    )
    return lines.order_by(_NEWEST)


def _title() -> ColumnElement[str]:
    return func.coalesce(latest_entry("title"), models.StoredPlan.title)


def _begun() -> ColumnElement[int]:
    """How many loads of the plan were begun."""
    return (
        select(func.count())
        .select_from(models.StoredLoad)
        .where(models.StoredLoad.plan_id == models.StoredPlan.id)
        .where(~has_event("taken_back"))
        .correlate(models.StoredPlan)
        .scalar_subquery()
    )


def _mentions(word: str) -> ColumnElement[bool]:
    """Whether a job has a word in its name, its mix or a note."""
    noted = exists().where(
        models.JobEntry.job_id == of_job(),
        models.JobEntry.kind == "note",
        models.JobEntry.text.icontains(word, autoescape=True),
    )
    return or_(
        _title().icontains(word, autoescape=True),
        models.StoredPlan.mix_name.icontains(word, autoescape=True),
        noted,
    )


_NEWEST = models.StoredPlan.made_at.desc()


@lru_cache(maxsize=8)  # longer to put together than to ask; the pages ask for two lengths
def _listed(most: int) -> Select[Any]:
    return _lines_of(_lately(most))


_ONE = (
    _lines()
    .where(of_job() == bindparam("job_id"), job_state() != "deleted")
    .order_by(_NEWEST, models.StoredPlan.id.desc())
    .limit(1)
)
