"""Today: what runs out of working time, what is planned, what to do next."""

from fastapi import Request
from fastapi.responses import Response

from keeve.drawing.life_line import life_line
from keeve.screens.plan.screen import shape_choices
from keeve.screens.today.view import today
from keeve.web.pages import page
from keeve.web.security import Anyone, Database, Forecast, Now, screen_router

router = screen_router()


@router.get("/")
def show(request: Request, database: Database, visitor: Anyone, weather: Forecast, now: Now) -> Response:
    """The first page: the crew's day; to a stranger, what Keeve is for."""
    if visitor is None:
        return page(request, "account/welcome.html", **shape_choices())
    found = today(database, visitor, weather, now)
    drawn = [
        (line, None if line.used_fraction is None else life_line(line.used_fraction))
        for line in found.in_work
    ]
    return page(request, "today/today.html", today=found, drawn=drawn, **shape_choices())
