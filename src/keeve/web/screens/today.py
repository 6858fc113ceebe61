"""Today: what runs out of life, what is planned, what to do next."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from keeve.services import loads, plans
from keeve.web.drawings.life_line import life_line
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn

router = APIRouter()


@router.get("/")
def show(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The first page after sign-in."""
    in_work = loads.loads_in_work(database, visitor, now)
    newest = plans.newest_plans(database, visitor)
    return page(
        request,
        "today/today.html",
        now=now,
        in_work=[(running, situation, life_line(situation.life, now)) for running, situation in in_work],
        planned=[line for line in newest if line.begun < line.loads],
        finished=[line for line in newest if line.begun >= line.loads],
    )
