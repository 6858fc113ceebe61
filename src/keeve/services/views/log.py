"""What the log shows: loads newest first, one load with its events, and the whole log as rows."""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.mixes.model import READING_NAMES
from keeve.core.running.next_step import Situation
from keeve.services import loads
from keeve.services.accounts import Visitor
from keeve.services.kept import Kept
from keeve.services.load_store import RunningLoad
from keeve.services.pours import SaidLine, said_of_load
from keeve.services.views.casts import DryingFigures, drying_of_load
from keeve.services.views.set_clock import ClockFigures, clock_figures
from keeve.services.views.water import WaterFigures, water_figures

_PAGE = 20
_EXPORT_PAGE = 500


class LogLine(NamedTuple):
    """A load in the log: where it is, its water, its set clock and how its cast dries, where it has these."""

    running: RunningLoad
    now: Situation
    water: WaterFigures
    clock: ClockFigures | None
    drying: DryingFigures | None


@dataclass(frozen=True)
class LogPage:
    """A page of the log: its loads, and the last of them where older ones follow."""

    lines: Sequence[LogLine]
    older_than: RunningLoad | None


def log_page(
    engine: Engine, visitor: Visitor, now: datetime, before: tuple[datetime, UUID] | None
) -> LogPage:
    """A page of the log, from after the last load of the page before."""
    found = loads.log_page(engine, visitor, limit=_PAGE + 1, before=before)
    lines = [_kept_line(running, now) for running in found[:_PAGE]]
    return LogPage(lines, found[_PAGE - 1] if len(found) > _PAGE else None)


# Time changes nothing in the line of a load that is out of its mixer: only a name or an event does.
_over: Kept[tuple[UUID, str, int], LogLine] = Kept(2000)


def _kept_line(running: RunningLoad, now: datetime) -> LogLine:
    key = running.id, running.plan.title, len(running.events)
    line = _over.get(key) or _line(running, now)
    return _over.keep(key, line) if line.now.is_over else line


def _line(running: RunningLoad, now: datetime) -> LogLine:
    situation = running.situation(now)
    return LogLine(
        running,
        situation,
        water_figures(situation.window, situation.additions_l),
        clock_figures(running.plan, situation.clock) if situation.clock else None,
        drying_of_load(running, situation),
    )


@dataclass(frozen=True)
class LoadRecord:
    """One load: its line of the log, the ids of the events that were not undone, what was said after placing."""

    line: LogLine
    standing: Collection[UUID]
    after: Sequence[SaidLine]


def load_record(engine: Engine, visitor: Visitor, load_id: UUID, now: datetime) -> LoadRecord | None:
    """The record of a load; None where the crew has no such load."""
    running = loads.running_load(engine, visitor, load_id)
    if running is None:
        return None
    standing = {event.id for event in running.state.applied}
    return LoadRecord(_line(running, now), standing, said_of_load(engine, visitor, running))


LOG_COLUMNS = (
    "begun_at",
    "job",
    "load",
    "mix",
    "planned_yield_l",
    "water_added_l",
    "water_target_l",
    "judged",
    "judged_by",
    "placed_l",
    "discarded",
    "given_l",
    "stored_l",
)


def log_rows(engine: Engine, visitor: Visitor) -> Iterator[list[str | float | int | None]]:
    """The whole log, a row a load, as ``LOG_COLUMNS`` names them."""
    after = None
    while found := loads.log_page(engine, visitor, limit=_EXPORT_PAGE, before=after):
        yield from map(_row, found)
        after = (found[-1].begun_at, found[-1].id)


def _row(running: RunningLoad) -> list[str | float | int | None]:
    state, judged = running.state, running.state.last_judgement
    return [
        running.begun_at.isoformat(),
        running.plan.title,
        running.load.number,
        running.plan.mix.name,
        running.load.yield_l,
        state.went_in_l,
        running.load.water.target_l,
        READING_NAMES[judged.reading] if judged else None,
        judged.by if judged else None,
        state.placed_l,
        state.discarded,
        state.given_l,
        state.stored_l,
    ]
