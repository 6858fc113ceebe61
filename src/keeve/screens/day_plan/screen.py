"""The day: its jobs against time and weather, what breaks, and what makes it hold."""

from datetime import date, datetime, timedelta
from typing import Annotated

from fastapi import HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.day_plan.day import DayPlan
from keeve.core.day_plan.day_changes import DayChange
from keeve.core.errors import InputError
from keeve.data import days
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.screens.day_plan.day_ribbons import day_ribbons
from keeve.screens.day_plan.form import MIXERS, typed_day
from keeve.screens.day_plan.view import broken, change_words, weather_words
from keeve.web.pages import page
from keeve.web.responses import id_of
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router

router = screen_router()

# A day is planned no further off than that: no forecast reaches there.
_FURTHEST = timedelta(days=370)


@router.get("/day")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    weather: Forecast,
    now: Now,
    day: Annotated[date | None, Query()] = None,
) -> Response:
    """A day as it is planned, today where none is asked for."""
    return _page(request, database, visitor, weather, now, _day(visitor, day, now))


@router.post("/day/{day}")
def keep(
    request: Request, database: Database, visitor: MayMix, weather: Forecast, now: Now, day: date
) -> Response:
    """Save the day as typed, a job put into it where one was chosen."""
    day = _day(visitor, day, now)
    form = request.state.form
    try:
        plan = typed_day(form, visitor.units)
        if form.get("add"):
            plan = days.with_added(database, visitor, plan, id_of(form["add"]))
        days.save_day(database, visitor, day, plan, now)
    except InputError as fault:
        return _page(request, database, visitor, weather, now, day, status=422, refusal=fault)
    return _to(day)


@router.post("/day/{day}/change")
def change(
    request: Request, database: Database, visitor: MayMix, weather: Forecast, now: Now, day: date
) -> Response:
    """Take one of the changes that are offered, or all that together make the day hold."""
    day = _day(visitor, day, now)
    wanted = request.state.form.get("change", "")
    view = days.day_view(database, visitor, weather, day, now)
    offered: dict[str, DayPlan] = {_key(each): each.day for each in view.changes}
    if view.holds:
        offered["all"] = view.holds[-1].day
    if wanted not in offered:
        message = "The day has changed. Check it, then choose again."
        return _page(request, database, visitor, weather, now, day, status=422, refusal=message)
    days.save_day(database, visitor, day, offered[wanted], now)
    return _to(day)


@router.get("/day/{day}")
@router.get("/day/{day}/change")
def after(visitor: SignedIn, day: date) -> Response:
    """The page a reload lands on after something was refused."""
    return _to(day)


def _key(each: DayChange) -> str:
    """The words of a button for a change."""
    return f"{each.kind} {each.job} {each.to:g}"


def _to(day: date) -> Response:
    return RedirectResponse(f"/day?day={day}", status_code=303)


def _day(visitor: Visitor, day: date | None, now: datetime) -> date:
    today = now.astimezone(visitor.zone).date()
    if day is not None and abs(day - today) > _FURTHEST:
        raise HTTPException(404)
    return day or today


def _page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    weather: Forecast,
    now: datetime,
    day: date,
    status: int = 200,
    refusal: Exception | str = "",
) -> Response:
    view = days.day_view(database, visitor, weather, day, now)
    titles = [line.title for line in view.lines]
    return page(
        request,
        "day_plan/day.html",
        status,
        view=view,
        drawn=day_ribbons(view),
        broken=[broken(titles, each) for each in view.outcome.breaks],
        changes=[(_key(each), each, change_words(titles, each)) for each in view.changes[:4]],
        holds=[(each, change_words(titles, each)) for each in view.holds],
        asked=weather_words(view.outcome),
        mixers=MIXERS,
        is_simulated=weather.is_simulated,
        refusal=refusal,
        typed=request.state.form if refusal else {},
        day_before=day - timedelta(days=1),
        day_after=day + timedelta(days=1),
    )
