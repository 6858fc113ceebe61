"""Bench: what to do this minute."""

from collections.abc import Mapping
from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.mixes.model import reading_at
from keeve.core.planning.amounts import water_pours
from keeve.core.rules.workings import Workings
from keeve.core.running.allowed_events import most_past_ceiling_l
from keeve.core.running.cleaning import CLEANING, WASH_OUT
from keeve.core.running.corrections import cooler_next_time, has_body, water_steps
from keeve.core.running.expected_water import followed
from keeve.core.running.next_step import BEFORE_A_READING, OVER, shares_in
from keeve.core.running.pre_use_checks import checks_by_id
from keeve.services import loads, stockpiles
from keeve.services.load_store import RunningLoad
from keeve.web.drawings.section import charge_section
from keeve.web.drawings.states import state_at, state_of
from keeve.web.drawings.stockpile_chart import stockpile_charts
from keeve.web.drawings.water_line import Strength, water_lines
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()


@router.get("/bench")
def choose(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Straight to the load in work where there is one, else a choice or what to do first."""
    in_work = loads.loads_in_work(database, visitor, now)
    if len(in_work) == 1:
        return RedirectResponse(f"/bench/{in_work[0].running.id}", status_code=303)
    return page(request, "bench/choose.html", in_work=in_work)


@router.get("/bench/{load_id}")
def show(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """The bench of one load."""
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    return page(request, "bench/bench.html", **_values(running, now))


@router.get("/bench/{load_id}/others")
def show_others(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """Every load in work, what runs out of life first before the others."""
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    in_work = loads.loads_in_work(database, visitor, now)
    return page(request, "bench/others.html", running=running, in_work=in_work)


# So many drawings from too dry to too wet are enough to point between.
_BETWEEN = 9


@router.get("/bench/{load_id}/between")
def show_between(
    request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID
) -> Response:
    """The drawings between too dry and too wet, of the test that is asked for now."""
    running = loads.running_load(database, visitor, load_id)
    situation = running.situation(now) if running else None
    if running is None or situation is None:
        raise HTTPException(404)
    step = situation.step
    test = running.plan.tests[step.plan.test] if step and step.plan.test else None
    stops = [index / (_BETWEEN - 1) for index in range(_BETWEEN)] if test else []
    slides = [(wetness, reading_at(wetness), state_at(test.drawing, wetness)) for wetness in stops if test]
    return page(request, "bench/between.html", slides=slides, test=test, now=situation)


@router.post("/bench/{load_id}/events")
def record(
    request: Request,
    database: Database,
    visitor: MayMix,
    now: Now,
    load_id: UUID,
    event: Annotated[dict[str, Any], Body()],
) -> Response:
    """Record one event and give back the changing part of the bench."""
    running = loads.record_event(database, visitor, load_id, event, now)
    if running is None:
        raise HTTPException(404)
    return page(request, "bench/act.html", **_values(running, now))


@router.post("/bench/{load_id}/stockpile")
def record_of_stockpile(
    request: Request,
    database: Database,
    visitor: MayMix,
    now: Now,
    load_id: UUID,
    event: Annotated[dict[str, Any], Body()],
) -> Response:
    """Record what happened to the stockpile the load is drawn from, and give back the changing part of the bench."""
    running = loads.running_load(database, visitor, load_id)
    material = followed(running.plan) if running else None
    if running is None or material is None:
        raise HTTPException(404)
    stockpiles.record_stockpile_event(database, visitor, material.stockpile, event, now)
    again = loads.running_load(database, visitor, load_id) or running
    return page(request, "bench/act.html", **_values(again, now))


@router.get("/bench/{load_id}/stockpile-chart")
def show_stockpile(
    request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID
) -> Response:
    """The chart of the stockpile that the load is drawn from, once it is asked for: history is long to read."""
    running = loads.running_load(database, visitor, load_id)
    stockpile = stockpiles.stockpile_before(database, visitor, running, now) if running else None
    if stockpile is None:
        raise HTTPException(404)
    water = stockpile.forecast.water if stockpile.forecast else None
    charts = stockpile_charts(stockpile.history, water) if water else []
    return page(request, "bench/stockpile.html", charts=charts, following=water)


# Until all of it is in and mixed, water is not what decides: the strength would only push the line out of sight.
_CHARGING = {"accept"} | BEFORE_A_READING
_PAST_LIFE = "Past its working life"
_REASONS = [
    "Too wet to bring back",
    "Too dry at the ceiling",
    "Something fell in",
    "Not needed",
    "Another reason",
]
_PAST_CEILING = ["The pile is drier than thought", "The bag asks for more", "A trial", "Another reason"]
# Which of the mix's cautions stands beside an act; all of them stand in a fold below.
_CAUTIONS: Mapping[str, set[str]] = {
    "charge": {"dust", "lifting", "silica", "all-in"},
    "scrape": {"machine"},
    "place": {"skin", "structure", "height"},
}


def _values(running: RunningLoad, moment: datetime) -> dict[str, Any]:
    situation = running.situation(moment)
    plan, load, state = running.plan, situation.load, running.state
    material = followed(plan)
    step = situation.step
    is_whole = situation.act not in ("charge", "water") and state.is_mixed
    wanted = _CAUTIONS.get(step.plan.kind if step else situation.act, set())
    more = Workings()
    return {
        "running": running,
        "plan": plan,
        "load": load,
        "state": state,
        "now": situation,
        "moment": moment,
        "section": charge_section(
            plan,
            load,
            shares_in(plan, load, state),
            situation.remaining_l if (is_whole and state.judgements) or situation.act in OVER else None,
        ),
        "lines": water_lines(
            situation.window,
            [item.water_l for item in state.water],
            None if state.water else state.expected,
            None
            if situation.act in _CHARGING or not situation.held.has_binder
            else Strength(plan, situation.held),
        ),
        "stockpile_id": material.stockpile if material else "",
        "checks": checks_by_id(state.to_check),
        "test": plan.tests[step.plan.test] if step and step.plan.test else None,
        "judgements": sum(item.kind == "judge" for item in plan.procedure),
        "looks": [item.looks for item in load.admixtures if item.loosens],
        "has_body": has_body(plan),
        "state_of": state_of,
        "measures": water_pours(plan, situation.water.remaining_l),
        "dry_steps": (
            water_steps(plan, state, situation.held, situation.window.ceiling_l, more).steps
            if situation.act == "add_water" and situation.held.has_binder
            else []
        ),
        "loosening": [
            item for item in load.admixtures if item.loosens and state.doses.get(item.name, 1) <= 1.5
        ],
        "most_past_l": most_past_ceiling_l(situation),
        "cooler": cooler_next_time(plan, load, state, more),
        "more_workings": more.kept,
        "next_number": load.number + 1 if plan.load(load.number + 1) else None,
        "cleaning": CLEANING[plan.mixer.kind],
        "wash_out": WASH_OUT,
        "cautions": [item for item in plan.cautions if item.code in wanted],
        "reasons": _REASONS,
        "past_life": _PAST_LIFE,
        "past_ceiling": _PAST_CEILING,
    }
