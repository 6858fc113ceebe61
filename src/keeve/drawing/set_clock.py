"""The set clock: the stages of setting plaster along the time since powder and water met."""

from dataclasses import dataclass
from typing import NamedTuple

from keeve.drawing.spread import spread
from keeve.figures.set_clock import ClockFigures, LineStage

# Drawing units across, at desk and at phone width; the labels of short stages are left out on a phone.
_DESK, _PHONE = 1000.0, 440.0
_MARGIN = 10.0
_TOP, _BOTTOM = 46.0, 92.0
_LETTER = 9.4
# A stage of a smaller share of the line has no label on a phone unless it is placed in then.
_LEAST_LABELLED = 0.12


class Segment(NamedTuple):
    """A stage: its place, its stage, its leader and where its label is; no label where there is no room."""

    x: float
    width: float
    stage: LineStage
    leader: str
    label_x: float | None


@dataclass(frozen=True)
class ClockLine:
    """Everything the template draws, in drawing units."""

    width: float
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
    middles = [(places[index][0] + places[index][1]) / 2 for index in labelled]
    gap = max(_LETTER * max((len(figures.stages[index].words) for index in labelled), default=0) * 0.72, 60.0)
    label_x = dict(zip(labelled, spread(middles, gap, left + gap / 2, right - gap / 2), strict=True))
    begins, closes = figures.window_min
    window_x = left + begins * per_minute
    band = figures.band_min * per_minute
    return ClockLine(
        width=width,
        left=left,
        length=right - left,
        per_minute=per_minute,
        segments=[
            Segment(
                x,
                max(end - x, 0.0),
                stage,
                f"M{(x + end) / 2:.1f},{_BOTTOM} v6 L{label_x[index]:.1f},{_BOTTOM + 16} v4"
                if index in label_x
                else "",
                label_x.get(index),
            )
            for index, ((x, end), stage) in enumerate(zip(places, figures.stages, strict=True))
        ],
        window_x=window_x,
        window_width=max((closes - begins) * per_minute, 3.0),
        band=f"M{max(window_x - band, left):.1f},{_TOP - 12} v-6 H{min(window_x + band, right):.1f} v6",
    )
