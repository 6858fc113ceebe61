"""The log as it is shown: loads newest first, the choices, one load with its events, the whole as rows."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

from keeve.core.curing.pours import SaidLine
from keeve.core.loads.actions import ACTIONS
from keeve.core.loads.drying import Drying
from keeve.core.loads.next_step import Situation, Window
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.cast_checks import CastCheck, checks_of
from keeve.core.log.learning import Own
from keeve.core.log.load_row import LoadRow, State
from keeve.core.log.log_filter import FilterChoices
from keeve.core.log.photo import LoadPhoto
from keeve.core.log.specimens import Age, SpecimenRow, ages_of, specimens_of
from keeve.core.mixes.model import READING_NAMES
from keeve.figures.event_words import RESULT_NAMES
from keeve.figures.sections import SectionFigures
from keeve.figures.set_clock import ClockFigures, clock_figures
from keeve.figures.water import WaterFigures, water_figures
from keeve.formats.csv_table import Cell
from keeve.screens.log.load_story import (
    ContentLine,
    StoryEntry,
    contents_of,
    planned_section,
    real_section,
    story,
    went_to,
)

PAGE = 20
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
        choices: what loads may be found by: of those mixed lately, and of what is sought.
    """

    lines: Sequence[LogLine]
    older_than: LoadRow | None
    choices: FilterChoices


def log_page(found: Sequence[LoadRow], choices: FilterChoices, now: datetime) -> LogPage:
    """A page of the log: of loads that were found, one more than it shows where older ones follow."""
    lines = [_line(load, now) for load in found[:PAGE]]
    return LogPage(lines, found[PAGE - 1] if len(found) > PAGE else None, choices)


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
    drying: Drying | None
    usual_drying: Own | None
    planned: SectionFigures
    real: SectionFigures
    contents: Sequence[ContentLine]
    story: Sequence[StoryEntry]
    went_to: Mapping[str, float]
    photos: Mapping[UUID | None, Sequence[LoadPhoto]]
    specimens: Sequence[SpecimenRow]
    ages: Sequence[Age]
    checks: Sequence[CastCheck]
    after: Sequence[SaidLine]


def load_record(
    running: RunningLoad,
    moment: datetime,
    usual_drying: Own | None,
    photos: Mapping[UUID | None, Sequence[LoadPhoto]],
    after: Sequence[SaidLine],
) -> LoadRecord:
    """The record of a load.

    Args:
        running: the load.
        moment: the time that is for.
        usual_drying: how long the crew's casts of its mix took, days.
        photos: its photos by the entry they were taken of.
        after: what was said after placing.
    """
    situation = running.situation(moment)
    specimens = specimens_of(running.plan, running.load, running.state)
    return LoadRecord(
        running=running,
        now=situation,
        water=water_figures(situation.window, situation.additions_l),
        clock=clock_figures(running.plan, situation.clock) if situation.clock else None,
        drying=running.drying(situation),
        usual_drying=usual_drying,
        planned=planned_section(running),
        real=real_section(running, situation),
        contents=contents_of(running),
        story=story(running),
        went_to=went_to(situation, running),
        photos=photos,
        specimens=specimens,
        ages=ages_of(specimens),
        checks=checks_of(running.plan),
        after=after,
    )


def still_dries(running: RunningLoad, moment: datetime) -> bool:
    """Whether a cast of a load dries, and its own weighings do not say yet how long."""
    drying = running.drying(running.situation(moment))
    return drying is not None and drying.ready_at is None and not drying.is_dry


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


def log_rows(loads: Iterable[LoadRow]) -> Iterator[list[Cell]]:
    """Loads, a row each, as ``LOG_COLUMNS`` names them."""
    return map(_row, loads)


def log_things(loads: Iterable[LoadRow]) -> Iterator[Mapping[str, Any]]:
    """The same rows, each by the names of its columns."""
    return (dict(zip(LOG_COLUMNS, row, strict=True)) for row in log_rows(loads))


# Every field that an event can have, after its load.
EVENT_COLUMNS = (
    "load_id",
    "job",
    "load",
    *dict.fromkeys(
        field.alias or name
        for action in ACTIONS.values()
        for name, field in action.event.model_fields.items()
    ),
)


def event_rows(events: Iterable[Mapping[str, Any]]) -> Iterator[list[Cell]]:
    """Events of loads as they are stored, a row each, as ``EVENT_COLUMNS`` names them; what has parts is JSON."""
    for event in events:
        values = map(event.get, EVENT_COLUMNS)
        yield [
            json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else value
            for value in values
        ]


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
