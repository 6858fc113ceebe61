"""Today: what runs out of working time, what is planned, what to do next."""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from keeve.services.views.today import today
from keeve.web.drawings.life_line import life_line
from keeve.web.drawings.shape_pictures import shape_picture
from keeve.web.forms.shapes import SHAPE_GROUPS, SHAPES
from keeve.web.pages import page
from keeve.web.security import Anyone, Database, Now

router = APIRouter()

# Every shape, for whoever begins with one.
_TILES: Mapping[str, Any] = {
    "shapes": {name: shape.label for name, shape in SHAPES.items()},
    "shape_groups": SHAPE_GROUPS,
    "pictures": {name: shape_picture(name) for name in SHAPES},
}


@router.get("/")
def show(request: Request, database: Database, visitor: Anyone, now: Now) -> Response:
    """The first page: the crew's day; to a stranger, what Keeve is for."""
    if visitor is None:
        return page(request, "sign_in/welcome.html", **_TILES)
    found = today(database, visitor, now)
    drawn = [
        (line, None if line.used_fraction is None else life_line(line.used_fraction))
        for line in found.in_work
    ]
    return page(request, "today/today.html", today=found, drawn=drawn, **_TILES)
