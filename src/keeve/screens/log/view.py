"""What the log shows: loads newest first, what they may be found by, one load with its events, the whole as rows."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple, get_args
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.loads.events import Event
from keeve.core.loads.next_step import Situation, Window
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.cast_checks import CastCheck, checks_of
from keeve.core.log.learning import Own
from keeve.core.log.load_row import LoadRow, State
from keeve.core.log.specimens import Age, SpecimenRow, ages_of, specimens_of
from keeve.core.mixes.model import READING_NAMES
from keeve.data import loads
from keeve.data.accounts import Visitor
from keeve.data.log_entries import FilterChoices, LogFilter, find, lately
from keeve.data.photos import Taken, photos_of
from keeve.data.pours import SaidLine, said_of_load
from keeve.figures.casts import DryingFigures, drying_of_load
from keeve.figures.event_words import RESULT_NAMES
from keeve.figures.sections import SectionFigures
from keeve.figures.set_clock import ClockFigures, clock_figures
from keeve.figures.water import WaterFigures, water_figures
from keeve.formats.csv_table import Cell
from keeve.screens.charts.next_time import learnt_for
from keeve.screens.log.load_story import (
    ContentLine,
    Entry,
    contents_of,
    planned_section,
    real_section,
    story,
    went_to,
)
from keeve.store.database import crew_reading

_PAGE = 20
_EXPORT_PAGE, _EVENTS_PAGE = 500, 100
# The states a load may be looked for by, as one says them.
STATE_NAMES: Mapping[State, str] = {
    "mixing": "mixing",
    "stored": "stored",
    "in-mould": "in the mould",
    "drying": "drying",
    "done": "done",
    "thrown-away": "thrown away",
}


class LogLine(NamedTuple):
    """A load in the log: its row, where it is in words, and whether it is too late."""

    load: LoadRow
    state: str
    is_late: bool

    @property
    def water(self) -> WaterFigures | None:
        """Its water; None where none is known."""
        held = self.load.water
        if held is None:
            return None
        return water_figures(Window(held.start_l, held.min_l, held.target_l, held.ceiling_l), [held.in_l])


@dataclass(frozen=True)
class LogPage:
    """A page of the log.

    Args:
        lines: its loads.
        older_than: the last of them, where older ones follow.
        lately: what loads may be found by: of those mixed lately, and of what is sought.
    """

    lines: Sequence[LogLine]
    older_than: LoadRow | None
    lately: FilterChoices


def log_page(
    engine: Engine, visitor: Visitor, sought: LogFilter, now: datetime, after: tuple[datetime, UUID] | None
) -> LogPage:
    """A page of the log, from after the last load of the page before."""
    with crew_reading(engine, visitor.crew_id):
        found, names = find(engine, visitor, sought, limit=_PAGE + 1, after=after), lately(engine, visitor)
    lines = [_line(load, now) for load in found[:_PAGE]]
    return LogPage(lines, found[_PAGE - 1] if len(found) > _PAGE else None, names)


def _line(load: LoadRow, now: datetime) -> LogLine:
    is_late = load.is_past(now)
    told = RESULT_NAMES[load.result].lower() if load.result and load.state == "done" else ""
    return LogLine(load, "expired" if is_late else told or STATE_NAMES[load.state], is_late)


@dataclass(frozen=True)
class LoadRecord:
    """One load.

    Args:
        running: the load.
        now: where it is in its procedure.
        water: its water line.
        clock: its set clock, where it has one.
        drying: how its cast dries, where it does.
        usual_drying: how long the crew's casts of its mix took, days, while its own weighings do not say yet.
        planned: the mixer cut open as it was planned.
        real: the mixer cut open as it was loaded.
        contents: what was planned to go in, and what did.
        story: its entries in order.
        went_to: where what was made went, L.
        photos: its photos by the entry they were taken of.
        specimens: its specimens, set by set.
        ages: what their tests come to, age by age.
        checks: what is looked at on what it makes.
        after: what was said after placing.
    """

    running: RunningLoad
    now: Situation
    water: WaterFigures
    clock: ClockFigures | None
    drying: DryingFigures | None
    usual_drying: Own | None
    planned: SectionFigures
    real: SectionFigures
    contents: Sequence[ContentLine]
    story: Sequence[Entry]
    went_to: Mapping[str, float]
    photos: Mapping[UUID | None, Sequence[Taken]]
    specimens: Sequence[SpecimenRow]
    ages: Sequence[Age]
    checks: Sequence[CastCheck]
    after: Sequence[SaidLine]


def load_record(engine: Engine, visitor: Visitor, load_id: UUID, now: datetime) -> LoadRecord | None:
    """The record of a load; None where the crew has no such load."""
    running = loads.running_load(engine, visitor, load_id)
    if running is None:
        return None
    situation = running.situation(now)
    specimens = specimens_of(running.plan, running.load, running.state)
    drying = drying_of_load(running.state, running.begun_at, situation)
    is_open = drying is not None and drying.ready_at is None and not drying.is_dry
    return LoadRecord(
        running=running,
        now=situation,
        water=water_figures(situation.window, situation.additions_l),
        clock=clock_figures(running.plan, situation.clock) if situation.clock else None,
        drying=drying,
        usual_drying=learnt_for(engine, visitor, running.plan).drying_days if is_open else None,
        planned=planned_section(running),
        real=real_section(running, situation),
        contents=contents_of(running),
        story=story(running),
        went_to=went_to(situation, running),
        photos=photos_of(engine, visitor, load_id),
        specimens=specimens,
        ages=ages_of(specimens),
        checks=checks_of(running.plan),
        after=said_of_load(engine, visitor, running),
    )


LOG_COLUMNS = (
    "begun_at",
    "job",
    "load",
    "mix",
    "planned_yield_l",
    "water_added_l",
    "water_target_l",
    "water_ratio",
    "judged",
    "judged_by",
    "placed_l",
    "discarded",
    "given_l",
    "stored_l",
)


def log_rows(engine: Engine, visitor: Visitor, sought: LogFilter) -> Iterator[list[Cell]]:
    """What is sought in the log, a row a load, as ``LOG_COLUMNS`` names them."""
    after = None
    while found := find(engine, visitor, sought, limit=_EXPORT_PAGE, after=after):
        yield from map(_row, found)
        after = (found[-1].begun_at, found[-1].id)


def log_things(engine: Engine, visitor: Visitor, sought: LogFilter) -> Iterator[Mapping[str, Any]]:
    """The same rows, each by the names of its columns."""
    return (dict(zip(LOG_COLUMNS, row, strict=True)) for row in log_rows(engine, visitor, sought))


def log_events(engine: Engine, visitor: Visitor, sought: LogFilter) -> Iterator[Mapping[str, Any]]:
    """Every event of the loads that are sought, in order load by load, as it is kept; with its load and job."""
    after = None
    while found := find(engine, visitor, sought, limit=_EVENTS_PAGE, after=after):
        told = loads.events_of(engine, visitor, [load.id for load in found])
        for load in found:
            of_load = {"load_id": str(load.id), "job": load.title, "load": load.number}
            for event in sorted(told.get(load.id, ()), key=_in_order):
                yield of_load | event
        after = (found[-1].begun_at, found[-1].id)


# Every field that an event can have, after its load.
EVENT_COLUMNS = (
    "load_id",
    "job",
    "load",
    *dict.fromkeys(
        field.alias or name for kind in get_args(Event) for name, field in kind.model_fields.items()
    ),
)


def event_rows(engine: Engine, visitor: Visitor, sought: LogFilter) -> Iterator[list[Cell]]:
    """The same events, a row each, as ``EVENT_COLUMNS`` names them; what has parts is JSON."""
    for event in log_events(engine, visitor, sought):
        values = map(event.get, EVENT_COLUMNS)
        yield [
            json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else value
            for value in values
        ]


def _in_order(event: Mapping[str, Any]) -> tuple[str, str, int, str]:
    return event["occurred_at"], event["device_id"], event["device_seq"], event["id"]


def _row(load: LoadRow) -> list[Cell]:
    return [
        load.begun_at.isoformat(),
        load.title,
        load.number,
        load.mix_name,
        load.planned_l,
        load.water_l,
        load.water.target_l if load.water else None,
        load.ratio,
        READING_NAMES[load.reading] if load.reading else None,
        load.judged_by or None,
        load.placed_l,
        load.discarded,
        load.given_l,
        load.stored_l,
    ]
