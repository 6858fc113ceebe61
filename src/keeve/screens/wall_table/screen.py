"""A table for the wall, of a mix or of a job: one page to print."""

from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import Response

from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan
from keeve.core.planning.sample_plans import cubic_metre
from keeve.data import mixes, plans
from keeve.drawing.scanned import scanned
from keeve.formats.packed_job import unpack_job
from keeve.screens.wall_table.view import wall_table
from keeve.web.pages import address_of_site, page
from keeve.web.security import Anyone, Database, SignedIn, screen_router, units_of

router = screen_router()


@router.get("/mixes/{mix_id}/table")
def of_mix(request: Request, database: Database, visitor: Anyone, mix_id: str, by: str = "") -> Response:
    """The table of a mix with the usual figures of its materials; its label or its design are not known here."""
    mix = mixes.find_mix(database, visitor, mix_id, None)
    if mix is None or mix.basis_traits.asks_for is not None:
        raise HTTPException(404)
    return _table(request, cubic_metre(mix), by, f"/mixes/{mix_id}/table")


@router.get("/plan/quick/table")
def of_quick_job(request: Request, job: str = "", by: str = "") -> Response:
    """The table of a job that its address carries."""
    return _table(request, make_plan(unpack_job(job)), by, "/plan/quick/table", job)


@router.get("/plan/{plan_id}/table")
def of_plan(request: Request, database: Database, visitor: SignedIn, plan_id: UUID, by: str = "") -> Response:
    """The table of a job: its own sand, bags and buckets."""
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    return _table(request, saved.plan, by, f"/plan/{plan_id}/table")


def _table(request: Request, plan: Plan, by: str, path: str, job: str = "") -> Response:
    table = wall_table(plan, by, units_of(request))
    if table is None:
        raise HTTPException(404)
    # A whole job in a code would be too fine to be read off a wall.
    code = None if job else scanned(f"{address_of_site(request)}{path}?by={table.by}")
    return page(request, "wall_table/table.html", table=table, plan=plan, path=path, job=job, code=code)
