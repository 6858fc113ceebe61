"""The set clock: the stages of setting plaster along the time since powder and water met."""

from dataclasses import dataclass
from typing import NamedTuple

from keeve.drawing.spread import spread
from keeve.figures.set_clock import ClockFigures, LineStage

# Drawing units across, at desk and at phone width; the labels of short stages are left out on a phone.
_DESK, _PHONE = 1000.0, 440.0
_MARGIN = 10.0
_TOP, _BOTTOM, _HEIGHT = 46.0, 92.0, 150.0
_ROW = 42.0
_LETTER, _LETTER_ON_PHONE = 6.8, 10.3
# A stage of a smaller share of the line has no label on a phone unless it is placed in then.
_LEAST_LABELLED = 0.12


class Segment(NamedTuple):
    """A stage: its place, its stage, its leader and where its label is; no label where there is no room.

    ``row``: how far down the label is: neighbours stand in two rows where one is too short for them.
    """

    x: float
    width: float
    stage: LineStage
    leader: str
    label_x: float | None
    row: float


@dataclass(frozen=True)
class ClockLine:
    """Everything the template draws, in drawing units."""

    width: float
    height: float
    left: float
    length: float
    per_minute: float
    segments: list[Segment]
    window_x: float
    window_width: float
    band: str


def clock_lines(figures: ClockFigures) -> list[ClockLine]:
    """The clock at desk and at phone width."""
    return [_line(figures, width) for width in (_DESK, _PHONE)]


def _line(figures: ClockFigures, width: float) -> ClockLine:
    left, right = _MARGIN, width - _MARGIN
    per_minute = (right - left) / figures.ends_min
    places = [(left + one.from_min * per_minute, left + one.to_min * per_minute) for one in figures.stages]
    labelled = [
        index
        for index, one in enumerate(figures.stages)
        if width == _DESK
        or one.is_placed
        or (one.to_min - one.from_min) / figures.ends_min >= _LEAST_LABELLED
    ]
    longest = max((len(figures.stages[index].words) for index in labelled), default=0)
    gap = max(longest * (_LETTER if width == _DESK else _LETTER_ON_PHONE), 60.0)
    rows = 2 if gap * len(labelled) > right - left else 1
    label_x: dict[int, float] = {}
    for first in range(rows):
        here = labelled[first::rows]
        middles = [(places[index][0] + places[index][1]) / 2 for index in here]
        label_x |= dict(zip(here, spread(middles, gap, left + gap / 2, right - gap / 2), strict=True))
    down = {index: _ROW * (number % rows) for number, index in enumerate(labelled)}
    begins, closes = figures.window_min
    window_x = left + begins * per_minute
    band = figures.band_min * per_minute
    return ClockLine(
        width=width,
        height=_HEIGHT + _ROW * (rows - 1),
        left=left,
        length=right - left,
        per_minute=per_minute,
        segments=[
            Segment(
                x,
                max(end - x, 0.0),
                stage,
                f"M{(x + end) / 2:.1f},{_BOTTOM} v6 L{label_x[index]:.1f},{_BOTTOM + 16} v{4 + down[index]:.0f}"
                if index in label_x
                else "",
                label_x.get(index),
                down.get(index, 0.0),
            )
            for index, ((x, end), stage) in enumerate(zip(places, figures.stages, strict=True))
        ],
        window_x=window_x,
        window_width=max((closes - begins) * per_minute, 3.0),
        band=f"M{max(window_x - band, left):.1f},{_TOP - 12} v-6 H{min(window_x + band, right):.1f} v6",
    )
