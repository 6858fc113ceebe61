"""Today: what runs out of working time, what is planned, what to do next."""

from fastapi import Request
from fastapi.responses import Response

from keeve.data import days, jobs, loads, pours, specimens
from keeve.data.database import crew_reading
from keeve.screens.plan.drawn import shape_choices
from keeve.screens.today.drawn import drawn
from keeve.screens.today.view import LOOKED_AT, today
from keeve.web.pages import page
from keeve.web.security import Anyone, Database, Forecast, Now, screen_router

router = screen_router()


@router.get("/")
def show(request: Request, database: Database, visitor: Anyone, weather: Forecast, now: Now) -> Response:
    """The first page: the crew's day; to a stranger, what Keeve is for."""
    if visitor is None:
        return page(request, "account/welcome.html", **shape_choices())
    with crew_reading(database, visitor.crew_id) as session:
        found = today(
            jobs.newest_jobs(session, "active", LOOKED_AT),
            loads.open_loads(session, now),
            pours.pours_of(session, visitor, weather, now),
            specimens.due_specimens(session, now),
            days.starts_of(session, visitor, now.astimezone(visitor.zone).date()),
            now,
        )
    return page(request, "today/today.html", **drawn(found))
