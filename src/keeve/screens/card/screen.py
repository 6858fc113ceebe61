"""Load card: what goes into this mixer, in which order, in the user's vessels."""

from dataclasses import replace
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from keeve.core.mixes.model import Gauge
from keeve.data import loads, plans, sharing, stockpiles
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.plans import SavedPlan
from keeve.formats.csv_table import PLAN_COLUMNS, csv_lines, plan_rows
from keeve.formats.job_file import MEDIA_TYPE, write_job
from keeve.formats.pdf import Paper, page_as_png, write_paper
from keeve.screens.card.drawn import drawn
from keeve.screens.card.view import BegunLoad, PlanOnPaper, card_page, in_gauge, plan_on_paper
from keeve.screens.paper import printed as paper
from keeve.web.filters import slug
from keeve.web.pages import address_of_site, page
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router
from keeve.web.timeouts import with_timeout
from keeve.web.worker_process import made_once

router = screen_router()


@router.get("/plan/{plan_id}/load/{number}")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    weather: Forecast,
    now: Now,
    plan_id: UUID,
    number: int,
    gauge: Gauge | None = None,
) -> Response:
    """The card of one load, in the plan's gauge or in another."""
    saved = _saved(database, visitor, plan_id)
    gauged = in_gauge(saved.plan, number, gauge)
    if gauged is None:
        raise HTTPException(404)
    mixed = loads.loads_of_plan(database, visitor, plan_id)
    expected = stockpiles.expected_of_loads(
        database, visitor, plan_id, gauged.plan, [gauged.load], mixed, now, weather
    )
    begun = {each: BegunLoad(running.id, running.situation(now).is_over) for each, running in mixed.items()}
    started = mixed.get(number)
    setting = started.state.setting if started else loads.setting_of(database, visitor, saved.plan)
    shown = card_page(plan_id, saved.job_id, gauged, expected, begun, setting)
    return page(request, "card/card.html", shown=shown, plan=shown.plan, moment=now, **drawn(shown.card))


@router.get("/plan/{plan_id}/print")
def on_paper(
    request: Request, database: Database, visitor: SignedIn, weather: Forecast, now: Now, plan_id: UUID
) -> Response:
    """The shopping list and every card, a page each."""
    printed = _sheets(database, visitor, plan_id, now, weather)
    cards = [drawn(card) for card in printed.cards]
    return page(request, "card/print.html", printed=printed, plan=printed.plan, cards=cards)


@router.get("/plan/{plan_id}/paper.pdf")
async def pdf(
    request: Request,
    database: Database,
    visitor: SignedIn,
    weather: Forecast,
    now: Now,
    plan_id: UUID,
    size: Literal["a4", "letter", "a4-two", "letter-two", "58mm", "80mm"] = "a4",
) -> Response:
    """The shopping list and every card as PDF: a page each, two a page, or a strip each for a roll."""
    printed, composed = await with_timeout(
        lambda: _composed(request, database, visitor, weather, now, plan_id, size)
    )
    made = await made_once(request, visitor, write_paper, composed, paper.STATIC)
    return Response(made, media_type="application/pdf", headers=_named(printed.plan.title, "pdf"))


@router.get("/plan/{plan_id}/load/{number}/card.png")
async def picture(
    request: Request,
    database: Database,
    visitor: SignedIn,
    weather: Forecast,
    now: Now,
    plan_id: UUID,
    number: int,
) -> Response:
    """One card as a picture, as it is on paper."""
    printed, composed = await with_timeout(
        lambda: _composed(request, database, visitor, weather, now, plan_id, "a4", number)
    )
    # The first page is the shopping list.
    made = await made_once(request, visitor, page_as_png, composed, paper.STATIC, 1)
    named = _named(f"{printed.plan.title} {number}", "png")
    return Response(made, media_type="image/png", headers=named)


@router.get("/plan/{plan_id}/plan.json")
def plan_file(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The plan as JSON."""
    plan = _saved(database, visitor, plan_id).plan
    return JSONResponse(plan.model_dump(mode="json"), headers=_named(plan.title, "json"))


@router.get("/plan/{plan_id}/plan.csv")
def plan_table(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The contents of each load as CSV."""
    plan = _saved(database, visitor, plan_id).plan
    return Response(
        "".join(csv_lines(PLAN_COLUMNS, plan_rows(plan))),
        media_type="text/csv; charset=utf-8",
        headers=_named(plan.title, "csv"),
    )


@router.get("/plan/{plan_id}/load/{number}/bench")
def bench(database: Database, visitor: SignedIn, plan_id: UUID, number: int) -> Response:
    """The target of the code on a card: the bench of the load, or its card where it is not begun."""
    if _saved(database, visitor, plan_id).plan.load(number) is None:
        raise HTTPException(404)
    begun = loads.loads_of_plan(database, visitor, plan_id).get(number)
    return RedirectResponse(
        f"/bench/{begun.id}" if begun else f"/plan/{plan_id}/load/{number}", status_code=303
    )


@router.post("/plan/{plan_id}/load/{number}/begin")
def begin(
    database: Database, visitor: MayMix, weather: Forecast, now: Now, plan_id: UUID, number: int
) -> Response:
    """Begin the load, or go to it where it was begun."""
    load_id = loads.begin_load(database, visitor, plan_id, number, now, weather)
    if load_id is None:
        raise HTTPException(404)
    return RedirectResponse(f"/bench/{load_id}", status_code=303)


@router.get("/plan/{plan_id}/job.json")
def job_file(database: Database, visitor: SignedIn, plan_id: UUID) -> Response:
    """The job as a job file."""
    return JSONResponse(
        write_job(_saved(database, visitor, plan_id).job),
        media_type=MEDIA_TYPE,
        headers={"Content-Disposition": 'attachment; filename="job.json"'},
    )


def _composed(
    request: Request,
    database: Engine,
    visitor: Visitor,
    weather: Forecast,
    now: datetime,
    plan_id: UUID,
    size: str,
    number: int | None = None,
) -> tuple[PlanOnPaper, Paper]:
    """A plan composed for paper, with all of its cards or one."""
    printed = _sheets(database, visitor, plan_id, now, weather)
    if number is not None:
        printed = replace(printed, cards=[card for card in printed.cards if card.load.number == number])
    if not printed.cards:
        raise HTTPException(404)
    values = {
        "printed": printed,
        "plan": printed.plan,
        "base": address_of_site(request),
        "link": sharing.link_of(database, visitor, plan_id),
        **paper.values(size),
    }

    def set_in(template: str, **how: Any) -> str:
        return bytes(page(request, f"paper/{template}.html", **how, **values).body).decode()

    return printed, paper.composed(printed, size, set_in)


def _saved(database: Engine, visitor: Visitor, plan_id: UUID) -> SavedPlan:
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    return saved


def _sheets(
    database: Engine, visitor: Visitor, plan_id: UUID, now: datetime, weather: Forecast
) -> PlanOnPaper:
    plan = _saved(database, visitor, plan_id).plan
    begun = loads.loads_of_plan(database, visitor, plan_id)
    expected = stockpiles.expected_of_loads(database, visitor, plan_id, plan, plan.loads, begun, now, weather)
    return plan_on_paper(plan_id, plan, expected, now, loads.setting_of(database, visitor, plan))


def _named(title: str, ending: str) -> dict[str, str]:
    """The header that names a file after its plan."""
    return {"Content-Disposition": f'attachment; filename="{slug(title) or "plan"}.{ending}"'}
