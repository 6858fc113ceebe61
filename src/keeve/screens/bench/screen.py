"""Bench: what to do this minute."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from fastapi import Body, HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.loads.offers import offers
from keeve.core.loads.running_load import RunningLoad
from keeve.data import loads, photos, stockpiles
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.screens.bench.drawn import drawn, drawn_between
from keeve.screens.bench.form import refusal, typed_event
from keeve.screens.bench.view import BenchView, bench_view
from keeve.screens.mixes.a_load import a_load
from keeve.screens.our_kit.stockpile_chart import stockpile_charts
from keeve.web.pages import page
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router

router = screen_router()


@router.get("/bench")
def choose(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The load in work where there is one, else a choice or what to do first."""
    in_work = loads.loads_in_work(database, visitor, now)
    if len(in_work) == 1:
        return RedirectResponse(f"/bench/{in_work[0].running.id}", status_code=303)
    return page(request, "bench/choose.html", in_work=in_work, section=a_load())


@router.get("/bench/news")
def news(database: Database, visitor: SignedIn, now: Now) -> Response:
    """How many events there are of the loads begun lately, as JSON: asked every two seconds, and quick."""
    return JSONResponse({"told": loads.told_lately(database, visitor, now)})


@router.get("/bench/{load_id}")
def show(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """The bench of one load, and which others are in work."""
    view = _bench(database, visitor, load_id, now)
    in_work = loads.loads_in_work(database, visitor, now)
    return page(request, "bench/bench.html", in_work=in_work, **drawn(view))


@router.get("/bench/{load_id}/act")
def show_act(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """The changing part of a bench, for another device that was told of."""
    return page(request, "bench/act.html", **drawn(_bench(database, visitor, load_id, now)))


@router.get("/bench/{load_id}/offers")
def show_offers(database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """Everything that may be done with a load now, and what may not with the reason, as JSON."""
    running = _running(database, visitor, load_id)
    found = offers(running.plan, running.state, running.situation(now))
    return JSONResponse({"offers": [offer.as_json() for offer in found]})


@router.get("/bench/{load_id}/others")
def show_others(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """Every load in work, what runs out of working time first before the others."""
    _running(database, visitor, load_id)
    in_work = loads.loads_in_work(database, visitor, now)
    return page(request, "bench/others.html", load_id=load_id, in_work=in_work)


@router.get("/bench/{load_id}/between")
def show_between(
    request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID
) -> Response:
    """The drawings between too dry and too wet, of the test that is asked for now."""
    return page(request, "bench/between.html", **drawn_between(_bench(database, visitor, load_id, now)))


@router.get("/bench/{load_id}/own-look")
def show_own_look(request: Request, database: Database, visitor: SignedIn, load_id: UUID) -> Response:
    """How this mix looked when the crew called it right: its own photos, once they are asked for."""
    running = _running(database, visitor, load_id)
    found = photos.own_look(database, visitor, load_id, running.plan.mix.id)
    return page(request, "bench/own_look.html", looks=found)


@router.post("/bench/{load_id}/events")
def record(
    request: Request,
    database: Database,
    visitor: MayMix,
    now: Now,
    load_id: UUID,
    event: Annotated[dict[str, Any], Body()],
    late: bool = False,
) -> Response:
    """Record one event and give back the changing part of the bench, or, as preferred, nothing.

    ``late``: it waited on its device for signal.
    """

    def bench() -> BenchView:
        return _bench(database, visitor, load_id, now)

    try:
        # Most taps need no look at the load before: it is read once, under its lock.
        read = typed_event(event, bench, visitor.units, visitor.zone)
        running = loads.record_event(database, visitor, load_id, read, now, is_late=late)
    except InputError as fault:
        return JSONResponse(refusal(fault, bench(), visitor.units), status_code=422)
    if running is None:
        raise HTTPException(404)
    if request.headers.get("prefer") == "return=minimal":
        return Response(status_code=204)  # it is kept, and nobody looks at that load just now
    return page(request, "bench/act.html", **drawn(bench_view(running, now)))


@router.post("/bench/{load_id}/stockpile")
def record_of_stockpile(
    request: Request,
    database: Database,
    visitor: MayMix,
    weather: Forecast,
    now: Now,
    load_id: UUID,
    event: Annotated[dict[str, Any], Body()],
) -> Response:
    """Record what happened to the stockpile of the load, and give back the changing part of the bench."""
    running = _running(database, visitor, load_id)
    if not stockpiles.record_of_load(database, visitor, running.plan, event, now, weather):
        raise HTTPException(404)
    return page(request, "bench/act.html", **drawn(_bench(database, visitor, load_id, now)))


@router.get("/bench/{load_id}/stockpile-chart")
def show_stockpile(
    request: Request, database: Database, visitor: SignedIn, weather: Forecast, now: Now, load_id: UUID
) -> Response:
    """The chart of the stockpile of the load, once it is asked for: history is long to read."""
    running = _running(database, visitor, load_id)
    stockpile = stockpiles.stockpile_before(database, visitor, running, now, weather)
    if stockpile is None:
        raise HTTPException(404)
    return page(request, "bench/stockpile.html", charts=stockpile_charts(stockpile))


def _bench(database: Engine, visitor: Visitor, load_id: UUID, now: datetime) -> BenchView:
    return bench_view(_running(database, visitor, load_id), now)


def _running(database: Engine, visitor: Visitor, load_id: UUID) -> RunningLoad:
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    return running
