"""Today as its template reads it: a server draws it with that, and a device without signal."""

from typing import Any

from keeve.drawing.life_line import life_line
from keeve.screens.plan.drawn import shape_choices
from keeve.screens.today.view import Today


def drawn(found: Today) -> dict[str, Any]:
    """A day with its pictures."""
    lines = [
        (line, None if line.used_fraction is None else life_line(line.used_fraction))
        for line in found.in_work
    ]
    return {"today": found, "drawn": lines, **shape_choices()}
