"""A square that a phone reads."""

from typing import NamedTuple

import segno

# Light squares round it, so that it is found.
_MARGIN = 4


class Scanned(NamedTuple):
    """A square of so many units a side, and the path of its dark rows, each drawn through its middle."""

    side: int
    path: str


def scanned(text: str) -> Scanned:
    """The square that says a text."""
    rows = [bytes(row) for row in segno.make(text, error="m", micro=False).matrix]
    cells = [
        f"M{x + _MARGIN} {y + _MARGIN}.5h1"
        for y, row in enumerate(rows)
        for x, dark in enumerate(row)
        if dark
    ]
    return Scanned(len(rows) + 2 * _MARGIN, "".join(cells))
