"""Bench: what to do this minute."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.services import batches
from keeve.services.batches import RunningLoad
from keeve.web.drawings.section import charge_section
from keeve.web.drawings.states import state_of
from keeve.web.drawings.water_line import water_lines
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
    return page(request, "bench/bench.html", **_values(running, now))


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
    return page(request, "bench/act.html", **_values(running, now))


_PAST_LIFE = "Past its working life"
_REASONS = [
    "Too wet to bring back",
    "Too dry at the ceiling",
    "Something fell in",
    "Not needed",
    "Another reason",
]


def _values(running: RunningLoad, moment: datetime) -> dict[str, Any]:
    situation = running.situation(moment)
    plan, load, batch = running.plan, running.load, running.batch
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
        "lines": water_lines(situation.window, [item.water_l for item in batch.water]),
        "test": plan.tests[step.plan.test] if step and step.plan.test else None,
        "judgements": sum(item.kind == "judge" for item in plan.procedure),
        "state_of": state_of,
        "proposal_l": situation.water.next_step_l,
        "next_number": load.number + 1 if plan.load(load.number + 1) else None,
        "reasons": _REASONS,
        "past_life": _PAST_LIFE,
    }
