"""Reckon up: a job's plan against what became of it, and the waste it proposes for the next."""

from uuid import UUID

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.services import job_summaries, plans
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.web.drawings.summary_bars import summary_bars
from keeve.web.entries import Entry
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()


@router.get("/plan/{plan_id}/summary")
def show(request: Request, database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The job as it was so far, or as it was kept."""
    return _page(request, database, visitor, plan_id, {}, {})


@router.post("/plan/{plan_id}/summary")
def keep(request: Request, database: Database, visitor: MayMix, now: Now, plan_id: UUID) -> Response:
    """Keep it, with the bags that were counted; or the page again with what is wrong."""
    typed: dict[str, str] = request.state.form
    used, errors = _counted(typed, visitor.units)
    try:
        if not errors and job_summaries.close_job(database, visitor, plan_id, used, now):
            return RedirectResponse(f"/plan/{plan_id}/summary", status_code=303)
    except InputError as fault:
        errors[""] = fault.message
    return _page(request, database, visitor, plan_id, typed, errors, 422)


def _counted(typed: dict[str, str], units: System) -> tuple[dict[str, float], dict[str, str]]:
    """Bags by material as they were typed, and what of it is no number."""
    used, errors = {}, {}
    for name, text in typed.items():
        material = name.removeprefix("used.")
        if material != name and text.strip():
            try:
                used[material] = float(Entry("Bags used", ("used", material)).read(text, units))
            except ValueError as fault:
                errors[material] = str(fault)
    return used, errors


def _page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    plan_id: UUID,
    typed: dict[str, str],
    errors: dict[str, str],
    status: int = 200,
) -> Response:
    saved = plans.saved_plan(database, visitor, plan_id)
    kept = job_summaries.closed_summary(database, visitor, plan_id)
    found = kept or job_summaries.summary_so_far(database, visitor, plan_id)
    if saved is None or found is None:
        raise HTTPException(404)
    return page(
        request,
        "card/job_summary.html",
        status,
        saved=saved,
        plan=saved.plan,
        found=found,
        bars=summary_bars(found),
        kept=kept,
        typed=typed,
        errors=errors,
    )
