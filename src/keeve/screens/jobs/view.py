"""What the page of a job shows: its loads as far as they are, its plans, its notes."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.planning.plan import Plan
from keeve.core.planning.site_mix import chosen_mix
from keeve.data import jobs, loads, plans, sharing
from keeve.data.accounts import Visitor
from keeve.data.jobs import JobPage
from keeve.figures.amounts import BoughtLine, shopping_list
from keeve.screens.mixes.view import MixFigures, mix_figures


class LoadLine(NamedTuple):
    """A load of a job: its plan's version, its number, its size in L, and where it is: planned, mixing or done."""

    version: int
    plan_id: UUID
    number: int
    yield_l: float
    state: str
    load_id: UUID | None
    begun_at: datetime | None


@dataclass(frozen=True)
class JobView:
    """A job as its page shows it.

    Args:
        job: the job with its versions and notes.
        plan: its newest plan.
        needs: what is to be made, as plain values.
        shopping: what that plan buys.
        figures: its mix.
        loads: every load begun, and those of the newest plan still to begin.
        link: the token of the link to its cards; None where they are not shared.
    """

    job: JobPage
    plan: Plan
    needs: Sequence[dict[str, Any]]
    shopping: Sequence[BoughtLine]
    figures: MixFigures
    loads: Sequence[LoadLine]
    link: str | None


def job_view(engine: Engine, visitor: Visitor, job_id: UUID, now: datetime) -> JobView | None:
    """The page of a job; None where the crew has no such job."""
    job = jobs.job_page(engine, visitor, job_id)
    saved = plans.saved_plan(engine, visitor, job.line.plan_id) if job else None
    if job is None or saved is None:
        return None
    lines = []
    for version in reversed(job.versions):
        begun = loads.loads_of_plan(engine, visitor, version.plan_id)
        is_newest = version.plan_id == saved.id
        for number in sorted({*begun, *(load.number for load in saved.plan.loads if is_newest)}):
            running = begun.get(number)
            load = running.load if running else saved.plan.load(number)
            if load is None:
                continue
            state = ("done" if running.situation(now).is_over else "mixing") if running else "planned"
            lines.append(
                LoadLine(
                    version.number,
                    version.plan_id,
                    number,
                    load.yield_l,
                    state,
                    running.id if running else None,
                    running.begun_at if running else None,
                )
            )
    return JobView(
        job=job,
        plan=saved.plan,
        needs=[need.model_dump(exclude_unset=True) for need in saved.job.need],
        shopping=shopping_list(saved.plan),
        figures=mix_figures(chosen_mix(saved.job)),
        loads=lines,
        link=sharing.link_of(engine, visitor, saved.id),
    )
