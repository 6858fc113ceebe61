"""Log: what was done, with which water, by whom, judged how."""

from collections.abc import Iterator
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import Response, StreamingResponse

from keeve.core.mixes.model import READING_NAMES
from keeve.formats.csv_table import LOG_COLUMNS, csv_lines
from keeve.services import loads
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.services.load_store import RunningLoad
from keeve.web.drawings.water_line import PHONE, water_line, water_lines
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn

router = APIRouter()

_PAGE = 20
_EXPORT_PAGE = 500


@router.get("/log")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    before: Annotated[datetime | None, Query()] = None,
    before_id: Annotated[UUID | None, Query()] = None,
) -> Response:
    """Loads newest first, a page at a time."""
    after = (before, before_id) if before and before_id else None
    found = loads.log_page(database, visitor, limit=_PAGE + 1, before=after)
    situations = {running.id: running.situation(now) for running in found}
    return page(
        request,
        "log/log.html",
        loads=found[:_PAGE],
        acts={load_id: situation.act for load_id, situation in situations.items()},
        lines={
            running.id: water_line(situations[running.id].window, _additions(running), PHONE)
            for running in found
        },
        more=found[_PAGE - 1] if len(found) > _PAGE else None,
        first=after is None,
    )


@router.get("/log.csv")
def export(database: Database, visitor: SignedIn) -> Response:
    """The whole log as CSV."""
    return StreamingResponse(
        csv_lines(LOG_COLUMNS, (_row(running) for running in _all_loads(database, visitor))),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="keeve-log.csv"'},
    )


@router.get("/log/{load_id}")
def show_load(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """One load with every event, the undone ones struck out."""
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    situation = running.situation(now)
    return page(
        request,
        "log/load.html",
        running=running,
        now=situation,
        plan=running.plan,
        lines=water_lines(situation.window, _additions(running)),
        standing={event.id for event in running.state.applied},
    )


def _additions(running: RunningLoad) -> list[float]:
    return [addition.water_l for addition in running.state.water]


def _all_loads(database: Engine, visitor: Visitor) -> Iterator[RunningLoad]:
    after = None
    while found := loads.log_page(database, visitor, limit=_EXPORT_PAGE, before=after):
        yield from found
        after = (found[-1].begun_at, found[-1].id)


def _row(running: RunningLoad) -> list[str | float | int | None]:
    state, judged = running.state, running.state.last_judgement
    return [
        running.begun_at.isoformat(),
        running.plan.title,
        running.load.number,
        running.plan.mix.name,
        running.load.yield_l,
        state.water_l,
        running.load.water.target_l,
        READING_NAMES[judged.reading] if judged else None,
        judged.by if judged else None,
        state.placed_l,
        state.discarded,
        state.given_l,
        state.stored_l,
    ]
