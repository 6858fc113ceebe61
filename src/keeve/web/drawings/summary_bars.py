"""What was to fill, what was planned to make and what was placed, as bars on one scale."""

from typing import NamedTuple

from keeve.core.running.job_summary import JobSummary

WIDTH = 640.0
_LABEL, _ROOM = 150.0, 110.0


class Bar(NamedTuple):
    """A bar: its words, its litres, where it begins and how long it is, in drawing units."""

    words: str
    litres: float
    x: float
    width: float


def summary_bars(found: JobSummary) -> list[Bar]:
    """The three bars, the longest as long as there is room."""
    planned_l = found.net_l * (1 + found.planned_waste_fraction)
    every = (("to fill", found.net_l), ("planned to make", planned_l), ("placed", found.placed_l))
    longest = max(litres for _, litres in every)
    return [
        Bar(words, litres, _LABEL, litres / longest * (WIDTH - _LABEL - _ROOM)) for words, litres in every
    ]
