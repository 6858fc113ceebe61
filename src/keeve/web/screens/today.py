"""Today: what runs out of working time, what is planned, what to do next."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from keeve.services.views.today import today
from keeve.web.drawings.life_line import life_line
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn

router = APIRouter()


@router.get("/")
def show(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The first page after sign-in."""
    found = today(database, visitor, now)
    drawn = [
        (line, None if line.used_fraction is None else life_line(line.used_fraction))
        for line in found.in_work
    ]
    return page(request, "today/today.html", today=found, drawn=drawn)
