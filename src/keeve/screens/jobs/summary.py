"""Close out a job: the plan against what was used and placed, and the waste for the next plan."""

from collections.abc import Mapping
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.data import job_summaries, plans
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.drawing.summary_bars import summary_bars
from keeve.screens.jobs.summary_view import summary_page
from keeve.web.fields import Number
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn, screen_router

router = screen_router()


@router.get("/plan/{plan_id}/summary")
def show(request: Request, database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The job as it is so far, or as it was closed."""
    return _page(request, database, visitor, plan_id, {}, {})


@router.post("/plan/{plan_id}/summary")
def close(request: Request, database: Database, visitor: MayMix, now: Now, plan_id: UUID) -> Response:
    """Close the job, with the bags that were counted; or the page again with what is wrong."""
    typed: dict[str, str] = request.state.form
    used, errors = _counted(typed, visitor.units)
    try:
        if not errors and job_summaries.close_job(database, visitor, plan_id, used, now):
            return RedirectResponse(f"/plan/{plan_id}/summary", status_code=303)
    except InputError as fault:
        errors[""] = fault.message
    return _page(request, database, visitor, plan_id, typed, errors, 422)


def _counted(typed: Mapping[str, str], units: System) -> tuple[dict[str, float], dict[str, str]]:
    """Bags by material as they were typed, and what of it is no number."""
    used, errors = {}, {}
    for name, text in typed.items():
        material = name.removeprefix("used.")
        if material != name and text.strip():
            try:
                used[material] = float(Number("Bags used", ("used", material)).read(text, units))
            except ValueError as fault:
                errors[material] = str(fault)
    return used, errors


def _page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    plan_id: UUID,
    typed: Mapping[str, str],
    errors: Mapping[str, str],
    status: int = 200,
) -> Response:
    saved = plans.saved_plan(database, visitor, plan_id)
    closed = job_summaries.closed_summary(database, visitor, plan_id)
    summary = closed or job_summaries.summary_so_far(database, visitor, plan_id)
    if saved is None or summary is None:
        raise HTTPException(404)
    shown = summary_page(plan_id, saved.plan, summary, is_closed=closed is not None)
    bars = summary_bars(
        [("needed", summary.net_l), ("planned", shown.planned_l), ("placed", summary.placed_l)]
    )
    return page(
        request,
        "jobs/job_summary.html",
        status,
        shown=shown,
        plan=shown.plan,
        bars=bars,
        typed=typed,
        errors=errors,
    )
