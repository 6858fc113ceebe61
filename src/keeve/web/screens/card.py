"""Load card: what goes into this mixer, in which order, in the user's vessels."""

import os
from typing import Any, Literal
from uuid import UUID

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from keeve.core.mixes.model import Gauge
from keeve.core.planning.amounts import gauges_of, in_vessels
from keeve.core.planning.plan import Load, Plan, load_steps
from keeve.core.rules.workings import Workings
from keeve.core.running.contents import contents
from keeve.core.running.load_state import LoadState
from keeve.core.running.next_step import Window
from keeve.formats.csv_table import PLAN_COLUMNS, csv_lines, plan_rows
from keeve.formats.job_file import MEDIA_TYPE, write_job
from keeve.services import loads, plans
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.web import paper
from keeve.web.drawings.section import LABEL_X, charge_section
from keeve.web.drawings.water_line import Strength, water_lines
from keeve.web.pages import page, slug
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()


@router.get("/plan/{plan_id}/load/{number}")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    plan_id: UUID,
    number: int,
    gauge: Gauge | None = None,
) -> Response:
    """The card of one load, in the plan's gauge or in another."""
    saved = plans.saved_plan(database, visitor, plan_id)
    load = saved.plan.load(number) if saved else None
    if saved is None or load is None:
        raise HTTPException(404)
    plan = saved.plan.model_copy(update={"gauge": gauge}) if gauge else saved.plan
    begun = loads.loads_of_plan(database, visitor, plan_id)
    return page(
        request,
        "card/card.html",
        saved=saved,
        label_x=LABEL_X,
        begun=begun,
        acts={item: running.situation(now).act for item, running in begun.items()},
        gauges=gauges_of(plan, load),
        in_vessels=in_vessels(plan, load, Workings()) if plan.gauge == "volume" else None,
        **card_values(plan, load),
    )


@router.get("/plan/{plan_id}/print")
def on_paper(request: Request, database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The shopping list and every card, a page each."""
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    plan = saved.plan
    cards = [card_values(plan, load) for load in plan.loads]
    return page(request, "card/print.html", plan=plan, cards=cards, label_x=LABEL_X)


@router.get("/plan/{plan_id}/paper.pdf")
def pdf(
    request: Request,
    database: Database,
    visitor: SignedIn,
    plan_id: UUID,
    size: Literal["a4", "letter"] = "a4",
) -> Response:
    """The shopping list and every card as PDF, a page each."""
    plan = _plan(database, visitor, plan_id)
    values = {
        "plan": plan,
        "plan_id": plan_id,
        "cards": [card_values(plan, load) for load in plan.loads],
        "label_x": LABEL_X,
        "base": os.environ.get("KEEVE_URL", str(request.base_url)).rstrip("/"),
        **paper.values(size),
    }

    def render(type_pt: float, section_mm: int) -> str:
        set_page = page(request, "paper/plan.html", type_pt=type_pt, section_mm=section_mm, **values)
        return bytes(set_page.body).decode()

    return Response(
        paper.on_paper(1 + len(plan.loads), render), media_type="application/pdf", headers=_named(plan, "pdf")
    )


@router.get("/plan/{plan_id}/plan.json")
def plan_file(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The plan as JSON."""
    plan = _plan(database, visitor, plan_id)
    return JSONResponse(plan.model_dump(mode="json"), headers=_named(plan, "json"))


@router.get("/plan/{plan_id}/plan.csv")
def plan_table(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """What goes into each load as CSV."""
    plan = _plan(database, visitor, plan_id)
    return Response(
        "".join(csv_lines(PLAN_COLUMNS, plan_rows(plan))),
        media_type="text/csv; charset=utf-8",
        headers=_named(plan, "csv"),
    )


def _plan(database: Engine, visitor: Visitor, plan_id: UUID) -> Plan:
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    return saved.plan


def _named(plan: Plan, ending: str) -> dict[str, str]:
    """The header that names a file after its plan."""
    return {"Content-Disposition": f'attachment; filename="{slug(plan.title) or "plan"}.{ending}"'}


@router.get("/plan/{plan_id}/load/{number}/bench")
def bench(database: Database, visitor: SignedIn, plan_id: UUID, number: int) -> Response:
    """Where the code on a card leads: the bench of the load, or its card where it is not begun."""
    if _plan(database, visitor, plan_id).load(number) is None:
        raise HTTPException(404)
    begun = loads.loads_of_plan(database, visitor, plan_id).get(number)
    return RedirectResponse(
        f"/bench/{begun.id}" if begun else f"/plan/{plan_id}/load/{number}", status_code=303
    )


@router.post("/plan/{plan_id}/load/{number}/begin")
def begin(database: Database, visitor: MayMix, now: Now, plan_id: UUID, number: int) -> Response:
    """Begin the load, or go to it where it was begun."""
    load_id = loads.begin_load(database, visitor, plan_id, number, now)
    if load_id is None:
        raise HTTPException(404)
    return RedirectResponse(f"/bench/{load_id}", status_code=303)


@router.get("/plan/{plan_id}/job.json")
def job_file(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The job as a job file."""
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    return JSONResponse(
        write_job(saved.job),
        media_type=MEDIA_TYPE,
        headers={"Content-Disposition": 'attachment; filename="job.json"'},
    )


def card_values(plan: Plan, load: Load) -> dict[str, Any]:
    """What the card's templates draw."""
    water = load.water
    window = Window(water.start_l, water.min_l, water.target_l, water.ceiling_l)
    return {
        "plan": plan,
        "load": load,
        "steps": load_steps(plan, load),
        "section": charge_section(plan, load),
        "lines": water_lines(window, [], strength=Strength(plan, contents(plan, load, LoadState()))),
    }
