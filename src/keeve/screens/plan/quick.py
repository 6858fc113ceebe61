"""A quick plan: its cards for anybody, carried in the address and kept nowhere until somebody keeps it."""

from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.mixes.model import Gauge
from keeve.data import loads, plans
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.formats.packed_job import unpack_job
from keeve.screens.card.drawn import drawn
from keeve.screens.card.view import quick_card
from keeve.web.pages import page
from keeve.web.security import Database, Forecast, MayMix, Now, screen_router

router = screen_router()


@router.get("/plan/quick")
def show(request: Request, now: Now, job: str = "", load: int = 1, gauge: Gauge | None = None) -> Response:
    """The card of one load of a job that is not kept."""
    shown = quick_card(unpack_job(job), load, gauge)
    if shown is None:
        raise HTTPException(404)
    return page(
        request, "card/card.html", shown=shown, plan=shown.plan, moment=now, job=job, **drawn(shown.card)
    )


@router.post("/plan/quick/keep")
def keep_it(request: Request, database: Database, visitor: MayMix, weather: Forecast, now: Now) -> Response:
    """Keep the job, and begin its load where that was tapped."""
    form = request.state.form
    plan_id = keep(database, visitor, form.get("job", ""))
    number = form.get("begin", "")
    load_id = (
        loads.begin_load(database, visitor, plan_id, int(number), now, weather)
        if number.isdecimal()
        else None
    )
    return RedirectResponse(f"/bench/{load_id}" if load_id else f"/plan/{plan_id}/load/1", status_code=303)


def keep(database: Engine, visitor: Visitor, packed: str) -> UUID:
    """Keep a job that came in an address; its plan's id."""
    return plans.save_plan(database, visitor, unpack_job(packed))
