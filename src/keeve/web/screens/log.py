"""Log: what was done, with which water, by whom, judged how."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import HTTPException, Query, Request
from fastapi.responses import Response, StreamingResponse

from keeve.formats.csv_table import csv_lines
from keeve.services.security_log import note_export
from keeve.services.views.log import LOG_COLUMNS, load_record, log_page, log_rows
from keeve.web.drawings.a_load import a_load
from keeve.web.drawings.drying import drying_charts
from keeve.web.drawings.set_clock import clock_lines
from keeve.web.drawings.water_line import PHONE, water_line, water_lines
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn, address_of
from keeve.web.turns import screen_router

router = screen_router()


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
    found = log_page(database, visitor, now, after)
    drawn = [(line, water_line(line.water, PHONE)) for line in found.lines]
    return page(
        request,
        "log/log.html",
        drawn=drawn,
        older_than=found.older_than,
        is_first=after is None,
        section=a_load(),
    )


@router.get("/log.csv")
def export(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The whole log as CSV."""
    note_export(database, visitor, "keeve-log.csv", now, address_of(request))
    return StreamingResponse(
        csv_lines(LOG_COLUMNS, log_rows(database, visitor)),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="keeve-log.csv"'},
    )


@router.get("/log/{load_id}")
def show_load(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """One load with every event, the undone ones struck out."""
    record = load_record(database, visitor, load_id, now)
    if record is None:
        raise HTTPException(404)
    return page(
        request,
        "log/load.html",
        running=record.line.running,
        now=record.line.now,
        plan=record.line.running.plan,
        lines=water_lines(record.line.water),
        clock=record.line.clock,
        clocks=clock_lines(record.line.clock) if record.line.clock else [],
        drying=record.line.drying,
        charts=drying_charts(record.line.drying) if record.line.drying else [],
        standing=record.standing,
        after=record.after,
    )
