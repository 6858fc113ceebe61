"""The day as ribbons: the weather on top, then of each job its mixers and its placing against the hours."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal, NamedTuple

from keeve.core.day_plan.day import DayLoad
from keeve.core.day_plan.weather_limits import Verdict
from keeve.data.days import DayView

_DESK, _PHONE = 1210.0, 400.0
_EDGE = 6.0
# At the left are the names of the rows.
_NAMES = 66.0
# Heights: the weather, the head of a job, a row of its ribbons, and what is between two jobs.
_AIR, _HEAD, _ROW, _GAP = 66.0, 42.0, 26.0, 10.0
_BAR = 20.0
# The hours shown at least, min of the day.
_FROM, _TO = 7 * 60, 17 * 60
# A gap between two placings of so many minutes is told.
_TOLD_IDLE_MIN = 10.0
# A number fits into a bar of this width, the words of an idle gap into one of that.
_NUMBER_WIDTH, _IDLE_WIDTH = 15.0, 58.0
# The clock of an hour takes so much.
_CLOCK_WIDTH = 36.0
# Rain of so many mm in an hour fills its bar.
_FULL_RAIN_MM, _RAIN_HEIGHT = 4.0, 26.0
# The line of the air lies between these heights.
_AIR_TOP, _AIR_BOTTOM = 22.0, 44.0

# A minute of the day as a place on the width.
Scale = Callable[[float], float]


class Words(NamedTuple):
    """Words at a place."""

    x: float
    y: float
    text: str


class RibbonBar(NamedTuple):
    """A bar of a ribbon: what, its edges, its number where that fits and belongs there."""

    what: str
    x: float
    y: float
    width: float
    number: Words | None


class HourMark(NamedTuple):
    """An hour that does not simply suit a job: how (``broken``: it must not be placed in it, and would be)."""

    x: float
    y: float
    width: float
    how: Literal["care", "no", "broken"]


class JobRibbon(NamedTuple):
    """The ribbons of a job: its title, its bars, marks (kind and path), hours, rows and idle gaps by name, and the grip
    of its start.
    """

    job: int
    title: Words
    bars: Sequence[RibbonBar]
    marks: Sequence[tuple[str, str]]
    hours: Sequence[HourMark]
    rows: Sequence[Words]
    idle: Sequence[Words]
    start: str


class HourOfDay(NamedTuple):
    """An hour of the weather: its edge and middle, its rain (edge, width, height; None: dry), whether it is told."""

    minute: int
    x: float
    middle_x: float
    clock_x: float
    air_c: float
    rain: tuple[float, float, float] | None
    is_told: bool


@dataclass(frozen=True)
class DayRibbons:
    """Everything the template draws, in drawing units; ``per_min``: the width of a minute, for who drags."""

    width: float
    height: float
    per_min: float
    air_line: str
    hours: Sequence[HourOfDay]
    jobs: Sequence[JobRibbon]
    now_x: float | None


def day_ribbons(view: DayView) -> list[DayRibbons]:
    """The picture at desk and at phone width."""
    return [_ribbons(view, width) for width in (_DESK, _PHONE)]


def _ribbons(view: DayView, width: float) -> DayRibbons:
    first, last = _span(view)
    per_min = (width - _NAMES - _EDGE) / (last - first)

    def x(minute: float) -> float:
        return _NAMES + (min(max(minute, first), last) - first) * per_min

    hours = _hours(view, first, last, x, told_every=1 if width > _PHONE else 3)
    jobs, y = [], _AIR
    for index, loads in enumerate(view.outcome.jobs):
        jobs.append(_job(view, index, y, loads, hours, x))
        y += _HEAD + _ROW * (len(view.lines[index].job.mixers) + 1) + _GAP
    now_x = x(view.now_min) if view.now_min is not None and first <= view.now_min <= last else None
    return DayRibbons(width, y, per_min, _air_line(hours), hours, jobs, now_x)


def _span(view: DayView) -> tuple[int, int]:
    """The hours shown, from and to, min of the day."""
    loads = [load for job in view.outcome.jobs for load in job]
    begins = [piece.from_min for load in loads for piece in load.pieces if piece.to_min > 0]
    begins += [ready for index in range(len(view.lines)) if (ready := view.ready_min(index)) is not None]
    dead = [load.dead_min for load in loads if load.is_dead]
    first = max(min([*begins, _FROM]), 0)
    last = min(max([view.outcome.ends_min, *dead, _TO]), 24 * 60)
    return 60 * math.floor(first / 60), 60 * math.ceil(last / 60)


def _hours(view: DayView, first: int, last: int, x: Scale, told_every: int) -> list[HourOfDay]:
    found = []
    for index, hour in enumerate(view.hours):
        minute = 60 * index
        if not first <= minute < last:
            continue
        left, right = x(minute), x(minute + 60)
        rain = min(hour.rain_mm / _FULL_RAIN_MM, 1.0) * _RAIN_HEIGHT
        found.append(
            HourOfDay(
                minute=minute,
                x=left,
                middle_x=(left + right) / 2,
                clock_x=left + 3,
                air_c=hour.air_c,
                rain=(left + 2, right - left - 4, rain) if rain else None,
                is_told=index % told_every == 0 and left + _CLOCK_WIDTH < x(last),
            )
        )
    return found


def _air_line(hours: Sequence[HourOfDay]) -> str:
    air = [hour.air_c for hour in hours]
    span = max(max(air) - min(air), 4.0)
    return " ".join(
        f"{hour.middle_x:.1f},{_AIR_BOTTOM - (hour.air_c - min(air)) / span * (_AIR_BOTTOM - _AIR_TOP):.1f}"
        for hour in hours
    )


def _job(
    view: DayView, index: int, y: float, loads: Sequence[DayLoad], hours: Sequence[HourOfDay], x: Scale
) -> JobRibbon:
    line, by_hour = view.lines[index], view.outcome.hours[index]
    rows = {mixer: y + _HEAD + _ROW * place for place, mixer in enumerate(line.job.mixers)}
    placing_y = y + _HEAD + _ROW * len(rows)
    told = [(f"mixer {mixer}", row_y) for mixer, row_y in rows.items()] + [("placing", placing_y)]
    start_x = x(view.starts[index])
    return JobRibbon(
        job=index,
        title=Words(_EDGE, y + 22, line.title),
        bars=[
            *_ready_bar(view.ready_min(index), loads, placing_y, x),
            *(bar for load in loads for bar in _bars(load, rows, placing_y, x)),
        ],
        marks=[mark for load in loads for mark in _marks(load, placing_y, x)],
        hours=[
            HourMark(hour.x, y + 29, x(hour.minute + 60) - hour.x, how)
            for hour in hours
            if (how := _how(by_hour[hour.minute // 60].verdict, loads, hour.minute))
        ],
        rows=[Words(_EDGE, row_y + 16, name) for name, row_y in told],
        idle=list(_idle(loads, placing_y + 16, x)),
        start=f"M{start_x:.1f},{y + 26:.1f} v{placing_y - y:.1f}",
    )


def _how(verdict: Verdict, loads: Sequence[DayLoad], minute: int) -> Literal["care", "no", "broken"] | None:
    if verdict != "no":
        return "care" if verdict == "care" else None
    at_work = any(load.pieces[0].from_min < minute + 60 and load.placed_min > minute for load in loads)
    return "broken" if at_work else "no"


def _ready_bar(ready_min: float | None, loads: Sequence[DayLoad], y: float, x: Scale) -> Iterator[RibbonBar]:
    if ready_min is not None:
        left = x(ready_min)
        yield RibbonBar("ready", left, y + 2, x(loads[0].pieces[0].from_min) - left, None)


def _bars(load: DayLoad, rows: dict[int, float], placing_y: float, x: Scale) -> Iterator[RibbonBar]:
    for piece in load.pieces:
        left, width = x(piece.from_min), x(piece.to_min) - x(piece.from_min)
        if width <= 0:
            continue
        is_placed = piece.what == "place"
        what = "begun" if load.is_begun else "dead" if is_placed and load.is_dead else piece.what
        row_y = placing_y if is_placed else rows[piece.mixer]
        number = (
            Words(left + width / 2, row_y + 16, str(load.number))
            if is_placed and width > _NUMBER_WIDTH
            else None
        )
        yield RibbonBar(what, left, row_y + 2, width, number)


def _marks(load: DayLoad, y: float, x: Scale) -> Iterator[tuple[str, str]]:
    if load.is_dead:
        yield "dead-line", f"M{x(load.dead_min):.1f},{y - 2:.1f} v{_BAR + 8:.0f}"
    if load.is_cold:
        place = next(piece for piece in load.pieces if piece.what == "place")
        yield "cold", f"M{x(place.from_min):.1f},{y - 3:.1f} l5,7 l-10,7 l10,7 l-5,7"


def _idle(loads: Sequence[DayLoad], y: float, x: Scale) -> Iterator[Words]:
    for before, after in pairwise(load for load in loads if not load.is_begun):
        out = next(piece for piece in after.pieces if piece.what == "discharge")
        left, right = x(before.placed_min), x(out.from_min)
        if out.from_min - before.placed_min >= _TOLD_IDLE_MIN and right - left > _IDLE_WIDTH:
            yield Words((left + right) / 2, y, f"{out.from_min - before.placed_min:.0f} min wait")
