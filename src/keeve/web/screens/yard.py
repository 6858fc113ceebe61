"""Yard: the heaps, what they hold, and what happened to them."""

from typing import Any
from uuid import uuid4

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.units import System
from keeve.services import heaps
from keeve.web.drawings.heap_chart import heap_charts
from keeve.web.entries import Entry
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()

PAN = (
    Entry("Damp, in its pan", ("wet_kg",), "mass", needed=True),
    Entry("Dried, in its pan", ("dry_kg",), "mass", needed=True),
    Entry("The pan alone", ("pan_kg",), "mass", needed=True),
)


@router.get("/yard")
def show(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Every heap of the crew."""
    return _page(request, database, visitor, now)


@router.post("/yard/{heap_id}")
def record(request: Request, database: Database, visitor: MayMix, now: Now, heap_id: str) -> Response:
    """Write down what happened to a heap, or show the page again with what is wrong."""
    typed = request.state.form
    try:
        event = _event(typed, visitor.units) | {"occurred_at": now.isoformat()}
        if not heaps.record_heap_event(database, visitor, heap_id, event, now):
            raise HTTPException(404)
    except InputError as fault:
        return _page(
            request, database, visitor, now, 422, typed={"heap": heap_id, **typed}, refusal=fault.message
        )
    return RedirectResponse(f"/yard#{heap_id}", status_code=303)


def _event(typed: dict[str, str], units: System) -> dict[str, Any]:
    """The event that was tapped or typed, but for its time."""
    event: dict[str, Any] = {name: typed[name] for name in ("id", "kind", "cancels") if name in typed}
    event |= {"device_id": "page", "device_seq": 0, "schema": 1}
    if event.get("kind") == "jar":
        look, _, floating = typed.get("look", "").partition(" ")
        return event | {"water_look": look, "floating": floating}
    if event.get("kind") != "pan":
        return event
    for entry in PAN:
        try:
            event[entry.name] = entry.read(typed.get(entry.name, ""), units)
        except ValueError as fault:
            raise InputError("bad_input", str(fault), [entry.name]) from None
    return event


def _page(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    status: int = 200,
    *,
    typed: dict[str, str] | None = None,
    refusal: str = "",
) -> Response:
    found = heaps.heaps_of(database, visitor, now)
    return page(
        request,
        "yard/yard.html",
        status,
        heaps=found,
        charts={heap.id: heap_charts(heap.history, heap.outlook.water) for heap in found if heap.outlook},
        typed=typed or {},
        refusal=refusal,
        pan=PAN,
        new_id=uuid4,
    )
