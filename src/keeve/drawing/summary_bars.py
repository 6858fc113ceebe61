"""The volumes of a job as bars on one scale."""

from collections.abc import Sequence
from typing import NamedTuple

WIDTH = 640.0
_LABEL, _ROOM, _ROW, _GAP = 150.0, 110.0, 44.0, 12.0


class SummaryBar(NamedTuple):
    """A bar: its words, its litres, the top of its row, where it begins and ends, in drawing units."""

    words: str
    litres: float
    y: float
    label_x: float
    x: float
    width: float
    litres_x: float


def summary_bars(volumes_l: Sequence[tuple[str, float]]) -> list[SummaryBar]:
    """The bars, the longest as long as there is room.

    Args:
        volumes_l: words and litres of each.
    """
    longest = max(litres for _, litres in volumes_l)
    bars = []
    for index, (words, litres) in enumerate(volumes_l):
        width = litres / longest * (WIDTH - _LABEL - _ROOM)
        bars.append(
            SummaryBar(
                words, litres, index * _ROW, _LABEL - _GAP, _LABEL, width, round(_LABEL + width + _GAP, 1)
            )
        )
    return bars
