"""Yard: the stockpiles and what happened to them, and what the crew owns."""

from collections.abc import Mapping
from datetime import datetime
from uuid import UUID, uuid4

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.mixes import materials
from keeve.core.stockpile.events import FEELS, MOST_FINES
from keeve.data import stockpiles, yard
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.figures.labels import PILE_PARTS
from keeve.screens.our_kit.form import (
    MEASUREMENTS,
    YardForm,
    form_of_item,
    own_kinds,
    refused,
    stockpile_event,
    typed_item,
)
from keeve.screens.our_kit.stockpile_chart import stockpile_charts
from keeve.web.pages import page
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router

router = screen_router()


@router.get("/yard")
def show(request: Request, database: Database, visitor: SignedIn, weather: Forecast, now: Now) -> Response:
    """Every stockpile of the crew."""
    return _page(request, database, visitor, weather, now)


@router.get("/kit")
def show_kit(request: Request, database: Database, visitor: SignedIn) -> Response:
    """The crew's gear."""
    return page(
        request,
        "our_kit/kit.html",
        own=yard.yard_of(database, visitor),
        material_names={name: material.name for name, material in materials().items()},
        kinds=own_kinds(),
    )


@router.get("/yard/new/{kind}")
def show_new(request: Request, visitor: MayMix, kind: str) -> Response:
    """The form of something new."""
    return _own_page(request, form_of_item(_kind(kind), None, visitor.units), None)


@router.post("/yard/new/{kind}")
def keep_new(request: Request, database: Database, visitor: MayMix, now: Now, kind: str) -> Response:
    """Save something new, or show the form again with what is wrong."""
    return _keep(request, database, visitor, now, form_of_item(_kind(kind), None, visitor.units), None)


@router.get("/yard/own/{thing_id}")
def show_own(request: Request, database: Database, visitor: SignedIn, thing_id: UUID) -> Response:
    """The form of something the crew owns."""
    known = _own(database, visitor, thing_id)
    return _own_page(request, form_of_item(known.item.kind, known.item, visitor.units), known)


@router.post("/yard/own/{thing_id}")
def keep_own(request: Request, database: Database, visitor: MayMix, now: Now, thing_id: UUID) -> Response:
    """Save it as it is now, or show the form again with what is wrong."""
    known = _own(database, visitor, thing_id)
    return _keep(request, database, visitor, now, form_of_item(known.item.kind, None, visitor.units), known)


@router.post("/yard/own/{thing_id}/gone")
def take_out(database: Database, visitor: MayMix, now: Now, thing_id: UUID) -> Response:
    """Remove it from the yard."""
    if not yard.take_out(database, visitor, thing_id, now):
        raise HTTPException(404)
    return RedirectResponse("/kit", status_code=303)


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
            return RedirectResponse("/kit", status_code=303)
    except InputError as fault:
        form.refuse(fault)
    return _own_page(request, form, known, 422)


def _own_page(request: Request, form: YardForm, known: yard.Kept | None, status: int = 200) -> Response:
    return page(request, "our_kit/own.html", status, form=form, known=known, kind=own_kinds()[form.kind])


def _own(database: Engine, visitor: Visitor, thing_id: UUID) -> yard.Kept:
    found = next((kept for kept in yard.yard_of(database, visitor) if kept.id == thing_id), None)
    if found is None:
        raise HTTPException(404)
    return found


def _kind(kind: str) -> str:
    if kind not in own_kinds():
        raise HTTPException(404)
    return kind


@router.post("/yard/{stockpile_id}")
def record(
    request: Request, database: Database, visitor: MayMix, weather: Forecast, now: Now, stockpile_id: str
) -> Response:
    """Record what happened to a stockpile, or show the page again with what is wrong."""
    typed = request.state.form
    try:
        event = stockpile_event(typed, visitor.units) | {"occurred_at": now.isoformat()}
        if not stockpiles.record_stockpile_event(database, visitor, stockpile_id, event, now, weather):
            raise HTTPException(404)
    except InputError as fault:
        again = {"stockpile": stockpile_id, **typed}
        errors = refused(fault, typed, visitor.units)
        return _page(request, database, visitor, weather, now, 422, typed=again, errors=errors)
    return RedirectResponse(f"/yard#{stockpile_id}", status_code=303)


def _page(
    request: Request,
    database: Database,
    visitor: SignedIn,
    weather: Forecast,
    now: Now,
    status: int = 200,
    *,
    typed: Mapping[str, str] | None = None,
    errors: Mapping[str, str] | None = None,
) -> Response:
    found = stockpiles.stockpiles_of(database, visitor, now, weather)
    return page(
        request,
        "our_kit/yard.html",
        status,
        feels=FEELS,
        piles=[(stockpile, stockpile_charts(stockpile)) for stockpile in found],
        typed=typed or {},
        errors=errors or {},
        measurements=MEASUREMENTS,
        parts=PILE_PARTS,
        reported={item.name: item for item in MEASUREMENTS["report"]},
        most_fines=MOST_FINES,
        new_id=uuid4,
    )
