"""Jobs: the list of them, and the page of one with its loads, plans, notes and papers."""

from datetime import datetime
from typing import Any
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import Response

from keeve.core.errors import InputError
from keeve.core.planning.job_versions import JobPage
from keeve.data import jobs, loads, plans, sharing
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.plans import SavedPlan
from keeve.drawing.composition import composition
from keeve.drawing.shape_pictures import shape_picture
from keeve.screens.charts.screen import NOTHING_HELD, STANDARDS, Held
from keeve.screens.jobs.view import differences, job_view
from keeve.screens.plan.shapes import shape_of
from keeve.web.pages import address_of_site, page
from keeve.web.responses import go_on
from keeve.web.security import Database, MayMix, Now, SignedIn, screen_router

router = screen_router()


@router.get("/jobs")
def show_all(
    request: Request, database: Database, visitor: SignedIn, q: str = "", archived: bool = False
) -> Response:
    """The crew's jobs, what is next first; those with the words looked for; those put away."""
    found = jobs.jobs(database, visitor, q, "archived" if archived else "active")
    return page(request, "jobs/jobs.html", found=found, asked=q, archived=archived)


@router.get("/jobs/{job_id}")
def show(request: Request, database: Database, visitor: SignedIn, now: Now, job_id: UUID) -> Response:
    """One job."""
    return job_page(request, database, visitor, now, job_id)


# Jobs to hold one against.
_OTHERS = 24


@router.get("/jobs/{job_id}/beside")
def show_beside(
    request: Request, database: Database, visitor: SignedIn, job_id: UUID, other: UUID | None = None
) -> Response:
    """The plan of a job beside that of another, by what differs."""
    others = [line for line in jobs.jobs(database, visitor, "", "active") if line.id != job_id][:_OTHERS]
    asked = other or (others[0].id if others else None)
    both = [_planned(database, visitor, found)[1] for found in (job_id, *([asked] if asked else []))]
    lines = differences(both[0].plan, both[1].plan) if len(both) > 1 else []
    return page(
        request, "jobs/beside.html", both=both, ids=[job_id, asked], others=others, lines=lines, asked=asked
    )


def _planned(database: Engine, visitor: Visitor, job_id: UUID) -> tuple[JobPage, SavedPlan]:
    job = jobs.job_page(database, visitor, job_id)
    saved = plans.saved_plan(database, visitor, job.line.plan_id) if job else None
    if job is None or saved is None:
        raise HTTPException(404)
    return job, saved


@router.post("/jobs/{job_id}/title")
def rename(request: Request, database: Database, visitor: MayMix, now: Now, job_id: UUID) -> Response:
    """Another name for the job."""
    title = request.state.form.get("title", "")
    try:
        return go_on(jobs.rename(database, visitor, job_id, title, now), f"/jobs/{job_id}")
    except InputError as fault:
        return job_page(request, database, visitor, now, job_id, 422, title=title, refusal=fault)


@router.post("/jobs/{job_id}/notes")
def add_note(request: Request, database: Database, visitor: MayMix, now: Now, job_id: UUID) -> Response:
    """A note on the job."""
    note = request.state.form.get("note", "")
    try:
        return go_on(jobs.add_note(database, visitor, job_id, note, now), f"/jobs/{job_id}")
    except InputError as fault:
        return job_page(request, database, visitor, now, job_id, 422, note=note, refusal=fault)


@router.post("/jobs/{job_id}/archive")
def archive(request: Request, database: Database, visitor: MayMix, now: Now, job_id: UUID) -> Response:
    """Put the job away, or take it back."""
    back = request.state.form.get("back") == "yes"
    found = jobs.archive(database, visitor, job_id, now, back=back)
    return go_on(found, f"/jobs/{job_id}" if back else "/jobs")


@router.post("/jobs/{job_id}/delete")
def delete(request: Request, database: Database, visitor: MayMix, now: Now, job_id: UUID) -> Response:
    """Delete a job that has no loads."""
    try:
        return go_on(jobs.delete(database, visitor, job_id, now), "/jobs")
    except InputError as fault:
        return job_page(request, database, visitor, now, job_id, 422, refusal=fault)


@router.get("/jobs/{job_id}/title")
@router.get("/jobs/{job_id}/notes")
@router.get("/jobs/{job_id}/archive")
@router.get("/jobs/{job_id}/delete")
def after(database: Database, visitor: SignedIn, job_id: UUID) -> Response:
    """The page a reload lands on after something was refused."""
    return go_on(jobs.job_page(database, visitor, job_id) is not None, f"/jobs/{job_id}")


def job_page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    now: datetime,
    job_id: UUID,
    status: int = 200,
    held: Held = NOTHING_HELD,
    **typed: Any,
) -> Response:
    """The page of a job; what was typed stays where it was refused."""
    job, saved = _planned(database, visitor, job_id)
    versions = [version.plan_id for version in job.versions]
    begun = {plan_id: loads.loads_of_plan(database, visitor, plan_id) for plan_id in versions}
    link = sharing.link_of(database, visitor, saved.id)
    shown = job_view(job, saved.job, saved.plan, begun, link, now)
    return page(
        request,
        "jobs/job.html",
        status,
        shown=shown,
        link=f"{address_of_site(request)}/shared/{shown.link}" if shown.link else None,
        shape=shape_picture(shape_of(shown.needs[0])),
        bands=composition(shown.figures.volumes),
        standards=STANDARDS,
        held=held,
        refusal=typed.get("refusal"),
        typed={"title": shown.job.line.title, "note": "", "refusal": None, **typed},
    )
