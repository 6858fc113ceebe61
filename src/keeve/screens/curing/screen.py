"""Curing: what follows the crew's pours, what was said of it, and the address that calendars read."""

from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.curing.pours import hardened
from keeve.core.errors import InputError
from keeve.data import calendar_feeds, days, pours, specimens
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.formats.calendar_text import calendar_text
from keeve.screens.curing.cure_bars import cure_bars
from keeve.web.fields import Number
from keeve.web.pages import address_of_site, page
from keeve.web.responses import go_on
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router

router = screen_router()

_TEMPERATURE = Number("Temperature inside", ("c",), "temperature")
# A calendar is told of the days planned so far ahead.
_DAYS_AHEAD = timedelta(days=7)
# Where one may come from and go back to.
_BACK = {"today": "/", "cure": "/cure"}


@router.get("/cure")
def show(request: Request, database: Database, visitor: SignedIn, weather: Forecast, now: Now) -> Response:
    """Every pour that is followed, with its tasks."""
    return _page(request, database, visitor, weather, now)


@router.post("/cure/{job_id}/{day}/task")
def say(request: Request, database: Database, visitor: MayMix, now: Now, job_id: UUID, day: date) -> Response:
    """Say that a task was done, is skipped or is open again."""
    form = request.state.form
    found = pours.say(database, visitor, job_id, day, form.get("task", ""), form.get("said", ""), now)
    return go_on(found, _BACK.get(form.get("back", ""), "/cure"))


@router.post("/cure/{job_id}/{day}/temperature")
def read_temperature(
    request: Request,
    database: Database,
    visitor: MayMix,
    weather: Forecast,
    now: Now,
    job_id: UUID,
    day: date,
) -> Response:
    """Keep a temperature that was read in the pour."""
    typed = request.state.form.get("c", "")
    if not pours.has_pour(database, visitor, job_id, day):
        raise HTTPException(404)
    try:
        c = float(_TEMPERATURE.read(typed, visitor.units))
        pours.read_temperature(database, visitor, job_id, day, c, now)
    except (ValueError, InputError) as fault:
        wrong = {"pour": (job_id, day), "typed": typed, "refusal": str(fault)}
        return _page(request, database, visitor, weather, now, 422, **wrong)
    return RedirectResponse("/cure", status_code=303)


@router.post("/cure/{job_id}/{day}/remove")
def remove(database: Database, visitor: MayMix, now: Now, job_id: UUID, day: date) -> Response:
    """Follow a pour no more."""
    return go_on(pours.stop_tracking(database, visitor, job_id, day, now), "/cure")


@router.get("/cure/{job_id}/{day}/temperature")
def after_refusal(database: Database, visitor: SignedIn, job_id: UUID, day: date) -> Response:
    """The page a reload lands on after a temperature was refused."""
    return go_on(pours.has_pour(database, visitor, job_id, day), "/cure")


@router.post("/cure/calendar")
def make_address(database: Database, visitor: SignedIn, now: Now) -> Response:
    """A new secret address for one's calendar; the one before ends."""
    calendar_feeds.new_feed(database, visitor, now)
    return RedirectResponse("/cure#calendar", status_code=303)


@router.post("/cure/calendar/withdraw")
def withdraw_address(database: Database, visitor: SignedIn, now: Now) -> Response:
    """End one's calendar address."""
    calendar_feeds.withdraw(database, visitor, now)
    return RedirectResponse("/cure#calendar", status_code=303)


@router.get("/calendar/{token}.ics")
def read_calendar(request: Request, database: Database, weather: Forecast, now: Now, token: str) -> Response:
    """The crew's dates, to whoever has the secret address."""
    reader = calendar_feeds.reader_of(database, token)
    if reader is None:
        raise HTTPException(404)
    today = now.astimezone(reader.zone).date()
    planned = days.planned_days(database, reader, today, today + _DAYS_AHEAD)
    views = [days.day_view(database, reader, weather, day, now, plan) for day, plan in planned.items()]
    entries = [
        *calendar_feeds.entries(pours.pours(database, reader, weather, now)),
        *(entry for view in views for entry in calendar_feeds.entries_of_day(view)),
        *calendar_feeds.entries_of_tests(specimens.specimens_to_test(database, reader, now)),
    ]
    text = calendar_text(f"Keeve, {reader.crew_name}", entries, f"{address_of_site(request)}/cure", now)
    return Response(text, media_type="text/calendar; charset=utf-8")


def _page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    weather: Forecast,
    now: datetime,
    status: int = 200,
    **wrong: Any,
) -> Response:
    token = calendar_feeds.feed_of(database, visitor)
    followed = pours.pours(database, visitor, weather, now)
    return page(
        request,
        "curing/cure.html",
        status,
        pours=[
            (pour, cure_bars(pour, now), hardened(pour.cure, pour.daily_c, pour.readings, now))
            for pour in followed
        ],
        feed=f"{address_of_site(request)}/calendar/{token}.ics" if token else None,
        is_simulated=weather.is_simulated,
        most=pours.MOST,
        wrong={"pour": None, "typed": "", "refusal": "", **wrong},
    )
