"""Tests of a load: of the fresh mix, of its specimens, checks of what was cast."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime, time
from typing import Any
from uuid import UUID

from fastapi import Request
from fastapi.responses import Response

from keeve.core.errors import InputError
from keeve.core.zones import CENTURY
from keeve.data import loads
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.screens.log.form import fresh_events, refusal_in_words, result_event, specimens_event
from keeve.screens.log.screen import load_page
from keeve.web.responses import go_on
from keeve.web.security import Database, MayMix, Now, SignedIn, screen_router

router = screen_router()


@router.post("/log/{load_id}/fresh")
def keep_fresh(request: Request, database: Database, visitor: MayMix, now: Now, load_id: UUID) -> Response:
    """Keep tests of the fresh mix."""
    form = request.state.form
    return _told(request, database, visitor, now, load_id, "fresh", lambda: fresh_events(form, visitor.units))


@router.post("/log/{load_id}/specimens")
def keep_specimens(
    request: Request, database: Database, visitor: MayMix, now: Now, load_id: UUID
) -> Response:
    """Keep that specimens were made."""
    form = request.state.form
    running = loads.running_load(database, visitor, load_id)
    mixed_at = running.events[-1].occurred_at if running and running.events else now

    def told() -> list[dict[str, Any]]:
        day = _day(form, visitor, now)
        # On the day of its load, once that was mixed; the hour of another day is of no matter.
        at = mixed_at if day == mixed_at.astimezone(visitor.zone).date() else _moment(form, visitor, now)
        return [specimens_event(form, visitor.units) | {"occurred_at": at.isoformat()}]

    return _told(request, database, visitor, now, load_id, "specimens", told)


@router.post("/log/{load_id}/specimens/{event_id}/{number}")
def keep_result(
    request: Request,
    database: Database,
    visitor: MayMix,
    now: Now,
    load_id: UUID,
    event_id: UUID,
    number: int,
) -> Response:
    """Keep the test of a specimen, or that it was not tested."""
    form = request.state.form

    def told() -> list[dict[str, Any]]:
        running = loads.running_load(database, visitor, load_id)
        sets = running.state.specimens if running else ()
        # An early age counts by hours: on another day it was tested at the hour at which it was made.
        made_at = next((made.made_at for made in sets if made.id == event_id), None)
        at = _moment(form, visitor, now, made_at)
        return [result_event(form, str(event_id), number, at, visitor.units)]

    return _told(request, database, visitor, now, load_id, f"{event_id}-{number}", told)


@router.post("/log/{load_id}/checks/{check}")
def keep_check(
    request: Request, database: Database, visitor: MayMix, now: Now, load_id: UUID, check: str
) -> Response:
    """Keep whether a check of what was cast holds."""
    holds = request.state.form.get("holds") == "yes"
    event = {"kind": "observed", "check": check, "holds": holds}
    return _told(request, database, visitor, now, load_id, "checks", lambda: [event])


@router.get("/log/{load_id}/fresh")
@router.get("/log/{load_id}/specimens")
@router.get("/log/{load_id}/specimens/{event_id}/{number}")
@router.get("/log/{load_id}/checks/{check}")
def after(database: Database, visitor: SignedIn, load_id: UUID) -> Response:
    """The page a reload lands on after something was refused."""
    return go_on(loads.running_load(database, visitor, load_id) is not None, f"/log/{load_id}#tests")


def _told(
    request: Request,
    database: Engine,
    visitor: Visitor,
    now: datetime,
    load_id: UUID,
    form_id: str,
    events: Callable[[], Sequence[Mapping[str, Any]]],
) -> Response:
    """Back to the load once it is kept; what was typed stays where it is refused."""
    try:
        found = loads.record(database, visitor, load_id, events(), now)
    except InputError as fault:
        return load_page(
            request,
            database,
            visitor,
            now,
            load_id,
            422,
            fault,
            form_id=form_id,
            refusal=refusal_in_words(fault, visitor.units),
            form=request.state.form,
        )
    return go_on(found, f"/log/{load_id}#tests")


def _moment(
    form: Mapping[str, str], visitor: Visitor, now: datetime, like: datetime | None = None
) -> datetime:
    """When it was, by the day that was typed: now, or a day before at the hour of another moment, else at noon."""
    day = _day(form, visitor, now)
    if day == now.astimezone(visitor.zone).date():
        return now
    hour = like.astimezone(visitor.zone).time() if like else time(12)
    return datetime.combine(day, hour, visitor.zone)


def _day(form: Mapping[str, str], visitor: Visitor, now: datetime) -> date:
    """The day that was typed; today where none was.

    Raises:
        InputError: that is no day.
    """
    typed = form.get("day", "").strip()
    try:
        day = date.fromisoformat(typed) if typed else now.astimezone(visitor.zone).date()
    except ValueError:
        day = None
    if day is None or not CENTURY[0].date() <= day < CENTURY[1].date():
        raise InputError("no_day", "Date: use 2026-05-04.", ["day"])
    return day
