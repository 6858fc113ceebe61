"""Yard: the stockpiles and what happened to them, and what the crew owns."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.mixes import materials
from keeve.core.stockpile.events import FEELS
from keeve.core.units import System
from keeve.services import stockpiles, yard
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.web.drawings.stockpile_chart import stockpile_charts
from keeve.web.entries import Entry
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn
from keeve.web.yard_form import YARD, YardForm, form_of_item, typed_item

router = APIRouter()

# What is asked for each thing that is measured of a stockpile.
MEASURED: Mapping[str, tuple[Entry, ...]] = {
    "pan": (
        Entry("Damp, in its pan", ("wet_kg",), "mass", needed=True),
        Entry("Dried, in its pan", ("dry_kg",), "mass", needed=True),
        Entry("The pan alone", ("pan_kg",), "mass", needed=True),
    ),
    "bulking": (
        Entry("Height as it lies", ("damp_height_mm",), "size", needed=True),
        Entry("Height flooded, settled", ("flooded_height_mm",), "size", needed=True),
    ),
    "moisture": (Entry("Water in it, of its dry weight", ("moisture_fraction",), percent=True, needed=True),),
}


@router.get("/yard")
def show(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Every stockpile of the crew."""
    return _page(request, database, visitor, now)


@router.get("/yard/new/{kind}")
def show_new(request: Request, visitor: MayMix, kind: str) -> Response:
    """The form of something new."""
    return _own_page(request, form_of_item(_kind(kind), None, visitor.units), None)


@router.post("/yard/new/{kind}")
def keep_new(request: Request, database: Database, visitor: MayMix, now: Now, kind: str) -> Response:
    """Write down something new, or show the form again with what is wrong."""
    return _keep(request, database, visitor, now, form_of_item(_kind(kind), None, visitor.units), None)


@router.get("/yard/own/{thing_id}")
def show_own(request: Request, database: Database, visitor: SignedIn, thing_id: UUID) -> Response:
    """The form of something the crew owns."""
    known = _own(database, visitor, thing_id)
    return _own_page(request, form_of_item(known.item.kind, known.item, visitor.units), known)


@router.post("/yard/own/{thing_id}")
def keep_own(request: Request, database: Database, visitor: MayMix, now: Now, thing_id: UUID) -> Response:
    """Write it down as it is now, or show the form again with what is wrong."""
    known = _own(database, visitor, thing_id)
    return _keep(request, database, visitor, now, form_of_item(known.item.kind, None, visitor.units), known)


@router.post("/yard/own/{thing_id}/gone")
def take_out(database: Database, visitor: MayMix, now: Now, thing_id: UUID) -> Response:
    """It is no longer there."""
    if not yard.take_out(database, visitor, thing_id, now):
        raise HTTPException(404)
    return RedirectResponse("/yard#own", status_code=303)


def _keep(
    request: Request,
    database: Engine,
    visitor: Visitor,
    now: datetime,
    form: YardForm,
    known: yard.Kept | None,
) -> Response:
    try:
        raw = typed_item(form, request.state.form)
        if raw is not None:
            yard.keep_item(database, visitor, known.id if known else uuid4(), raw, now)
            return RedirectResponse("/yard#own", status_code=303)
    except InputError as fault:
        form.check_allowed(fault)
    return _own_page(request, form, known, 422)


def _own_page(request: Request, form: YardForm, known: yard.Kept | None, status: int = 200) -> Response:
    return page(request, "yard/own.html", status, form=form, known=known, YARD=YARD)


def _own(database: Engine, visitor: Visitor, thing_id: UUID) -> yard.Kept:
    found = next((kept for kept in yard.yard_of(database, visitor) if kept.id == thing_id), None)
    if found is None:
        raise HTTPException(404)
    return found


def _kind(kind: str) -> str:
    if kind not in YARD:
        raise HTTPException(404)
    return kind


@router.post("/yard/{stockpile_id}")
def record(request: Request, database: Database, visitor: MayMix, now: Now, stockpile_id: str) -> Response:
    """Write down what happened to a stockpile, or show the page again with what is wrong."""
    typed = request.state.form
    try:
        event = _event(typed, visitor.units) | {"occurred_at": now.isoformat()}
        if not stockpiles.record_stockpile_event(database, visitor, stockpile_id, event, now):
            raise HTTPException(404)
    except InputError as fault:
        return _page(
            request,
            database,
            visitor,
            now,
            422,
            typed={"stockpile": stockpile_id, **typed},
            refusal=fault.message,
        )
    return RedirectResponse(f"/yard#{stockpile_id}", status_code=303)


def _event(typed: dict[str, str], units: System) -> dict[str, Any]:
    """The event that was tapped or typed, but for its time."""
    event: dict[str, Any] = {name: typed[name] for name in ("id", "kind", "cancels") if name in typed}
    event |= {"device_id": "page", "device_seq": 0, "schema": 1}
    if event.get("kind") == "jar":
        look, _, floating = typed.get("look", "").partition(" ")
        return event | {"water_look": look, "floating": floating}
    if event.get("kind") == "felt":
        return event | {"feel": typed.get("feel", "")}
    if event.get("kind") == "cover":
        return event | {"is_on": typed.get("is_on") == "yes"}
    for entry in MEASURED.get(str(event.get("kind")), ()):
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
    found = stockpiles.stockpiles_of(database, visitor, now)
    return page(
        request,
        "yard/yard.html",
        status,
        stockpiles=found,
        charts={
            stockpile.id: stockpile_charts(stockpile.history, stockpile.forecast.water)
            for stockpile in found
            if stockpile.forecast
        },
        typed=typed or {},
        refusal=refusal,
        measured=MEASURED,
        FEELS=FEELS,
        new_id=uuid4,
        own=yard.yard_of(database, visitor),
        YARD=YARD,
        MATERIALS=materials(),
    )
