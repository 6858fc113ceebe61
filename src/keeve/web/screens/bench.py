"""Bench: what to do this minute."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.acceptance import checks_by_id
from keeve.core.carry_over import followed
from keeve.services import batches, heaps
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.services.running import RunningLoad
from keeve.web.drawings.heap_chart import heap_charts
from keeve.web.drawings.section import charge_section
from keeve.web.drawings.states import state_of
from keeve.web.drawings.water_line import Strength, water_lines
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()


@router.get("/bench")
def choose(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Straight to the load in work where there is one, else a choice or what to do first."""
    in_work = batches.loads_in_work(database, visitor, now)
    if len(in_work) == 1:
        return RedirectResponse(f"/bench/{in_work[0].id}", status_code=303)
    return page(request, "bench/choose.html", in_work=in_work)


@router.get("/bench/{load_id}")
def show(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """The bench of one load."""
    running = batches.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    return page(request, "bench/bench.html", **_values(database, visitor, running, now))


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
    running = batches.record_event(database, visitor, load_id, event, now)
    if running is None:
        raise HTTPException(404)
    return page(request, "bench/act.html", **_values(database, visitor, running, now))


@router.post("/bench/{load_id}/heap")
def record_of_heap(
    request: Request,
    database: Database,
    visitor: MayMix,
    now: Now,
    load_id: UUID,
    event: Annotated[dict[str, Any], Body()],
) -> Response:
    """Record what happened to the heap the load is drawn from, and give back the changing part of the bench."""
    running = batches.running_load(database, visitor, load_id)
    material = followed(running.plan) if running else None
    if running is None or material is None:
        raise HTTPException(404)
    heaps.record_heap_event(database, visitor, material.heap, event, now)
    again = batches.running_load(database, visitor, load_id) or running
    return page(request, "bench/act.html", **_values(database, visitor, again, now))


@router.get("/bench/{load_id}/heap-chart")
def show_heap(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """The chart of the heap that the load is drawn from, once it is asked for: history is long to read."""
    running = batches.running_load(database, visitor, load_id)
    heap = heaps.heap_before(database, visitor, running, now) if running else None
    if heap is None:
        raise HTTPException(404)
    water = heap.outlook.water if heap.outlook else None
    charts = heap_charts(heap.history, water) if water else []
    return page(request, "bench/heap.html", charts=charts, following=water)


# Until all of it is in and mixed, water is not what decides: the strength would only push the line out of sight.
_CHARGING = {"accept", "charge", "water", "admix", "mix", "rest"}
_PAST_LIFE = "Past its working life"
_REASONS = [
    "Too wet to bring back",
    "Too dry at the ceiling",
    "Something fell in",
    "Not needed",
    "Another reason",
]


def _values(database: Engine, visitor: Visitor, running: RunningLoad, moment: datetime) -> dict[str, Any]:
    situation = running.situation(moment)
    plan, load, batch = running.plan, situation.load, running.batch
    material = followed(plan)
    step = situation.step
    is_whole = situation.act not in ("charge", "water") and batch.is_mixed
    return {
        "running": running,
        "plan": plan,
        "load": load,
        "batch": batch,
        "now": situation,
        "moment": moment,
        "section": charge_section(
            plan, load, batch.steps_done, situation.remaining_l if is_whole and batch.judgements else None
        ),
        "lines": water_lines(
            situation.window,
            [item.water_l for item in batch.water],
            None if batch.water else batch.expected,
            None if situation.act in _CHARGING else Strength(plan, load, batch.growth(load)),
        ),
        "heap_id": material.heap if material else "",
        "checks": checks_by_id(batch.to_check),
        "test": plan.tests[step.plan.test] if step and step.plan.test else None,
        "judgements": sum(item.kind == "judge" for item in plan.procedure),
        "state_of": state_of,
        "proposal_l": situation.water.next_step_l,
        "next_number": load.number + 1 if plan.load(load.number + 1) else None,
        "reasons": _REASONS,
        "past_life": _PAST_LIFE,
    }
