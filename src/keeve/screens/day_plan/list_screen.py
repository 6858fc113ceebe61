"""The list of a day to tick, on the phone and on paper."""

from collections.abc import Mapping
from datetime import date

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.day_plan.day_needs import Group
from keeve.data import day_lists
from keeve.web.pages import page
from keeve.web.security import Database, Forecast, MayMix, Now, SignedIn, screen_router

router = screen_router()

_GROUPS: Mapping[Group, str] = {
    "materials": "To buy or load",
    "water": "Water",
    "kit": "Equipment",
    "weather": "Weather",
    "safety": "Safety",
}


@router.get("/day/{day}/list")
def show(
    request: Request, database: Database, visitor: SignedIn, weather: Forecast, now: Now, day: date
) -> Response:
    """The list."""
    found = day_lists.day_list(database, visitor, weather, day, now)
    return page(request, "day_plan/list.html", found=found, groups=_GROUPS)


@router.post("/day/{day}/list")
def say(request: Request, database: Database, visitor: MayMix, now: Now, day: date) -> Response:
    """Tick a line, or say who brings it."""
    form = request.state.form
    day_lists.say(
        database, visitor, day, form.get("item", ""), form.get("said", ""), form.get("who", ""), now
    )
    return RedirectResponse(f"/day/{day}/list", status_code=303)
