"""Log: what was done, with which water, by whom, judged how."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from typing import Annotated, Any, Literal, NamedTuple
from urllib.parse import urlencode
from uuid import UUID

from fastapi import Depends, HTTPException, Query, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import BeforeValidator

from keeve.core.curing.pours import cube_days
from keeve.core.errors import InputError
from keeve.core.log.drift import drift_of
from keeve.core.log.learning import learn_from
from keeve.core.log.load_row import LoadRow, row_of
from keeve.core.log.log_filter import FilterChoices, LogFilter
from keeve.data import loads
from keeve.data.accounts import Visitor
from keeve.data.database import Engine, crew_reading
from keeve.data.log_entries import every_load, find, lately, past_load
from keeve.data.next_time import learnt_for
from keeve.data.photos import photos_of
from keeve.data.pours import said_of_load
from keeve.data.security_log import note_export
from keeve.drawing.drying import drying_charts
from keeve.drawing.section import section
from keeve.drawing.set_clock import clock_lines
from keeve.drawing.states import state_at, state_of
from keeve.drawing.states.shape import Shape
from keeve.drawing.water_line import small_line, water_lines
from keeve.formats.csv_table import csv_lines
from keeve.formats.json_lines import json_lines
from keeve.formats.workbook import workbook
from keeve.screens.log.form import FIGURES, FRESH, SHAPES, SIZE, fixing_event, refusal_in_words
from keeve.screens.log.load_story import Look
from keeve.screens.log.view import (
    EVENT_COLUMNS,
    LOG_COLUMNS,
    PAGE,
    STATE_NAMES,
    LogPage,
    event_rows,
    load_record,
    log_page,
    log_rows,
    log_things,
    still_dries,
)
from keeve.screens.mixes.a_load import a_load
from keeve.web.pages import page
from keeve.web.responses import go_on
from keeve.web.security import Database, MayMix, Now, SignedIn, address_of, screen_router

router = screen_router()

# A field of a form that was left empty is sent too.
_Empty = BeforeValidator(lambda text: text or None)
_Words = Annotated[str, Query(max_length=120)]


def _sought(
    job: Annotated[UUID | None, _Empty, Query()] = None,
    mix: _Words = "",
    state: _Words = "",
    who: _Words = "",
    words: _Words = "",
    since: Annotated[date | None, _Empty, Query()] = None,
    until: Annotated[date | None, _Empty, Query()] = None,
) -> LogFilter:
    return LogFilter(job, mix, state, who.strip(), words.strip(), since, until)


Asked = Annotated[LogFilter, Depends(_sought)]


@router.get("/log")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    sought: Asked,
    before: Annotated[datetime | None, Query()] = None,
    before_id: Annotated[UUID | None, Query()] = None,
) -> Response:
    """Loads newest first, a page at a time; those that are looked for."""
    after = (before, before_id) if before and before_id else None
    with crew_reading(database, visitor.crew_id):
        loads_found = find(database, visitor, sought, limit=PAGE + 1, after=after)
        found = log_page(loads_found, lately(database, visitor), now)
    asked = asked_for(sought)
    filters = list(_filters(asked, found))
    last = found.older_than
    next_page = {"before": last.begun_at.isoformat(), "before_id": str(last.id)} if last else {}
    return page(
        request,
        "log/log.html",
        lines=found.lines,
        small_line=small_line,
        choices=choices(found.choices, filters),
        asked=dict.fromkeys(_FIELDS, "") | asked,
        filters=filters,
        exports=[(words, address(f"/log.{form}", asked | dict(more))) for words, form, more in _EXPORTS],
        charts=address("/log/charts", asked),
        newest=address("/log", asked) if after else None,
        older=address("/log", asked | next_page) if last else None,
        section=a_load(),
    )


def asked_for(sought: LogFilter) -> dict[str, str]:
    """The search, as the address and the form have it."""
    given = {
        "job": sought.job_id,
        "mix": sought.mix_id,
        "state": sought.state,
        "who": sought.who,
        "words": sought.words,
        "since": sought.since,
        "until": sought.until,
    }
    return {name: str(value) for name, value in given.items() if value}


def address(path: str, asked: Mapping[str, str]) -> str:
    """The address of a page of what is looked for."""
    return f"{path}?{urlencode(asked)}" if asked else path


_EVENTS = {"events": "true"}
# What goes out, as one says it, the form it has, and what is asked beside what is looked for.
_EXPORTS: Sequence[tuple[str, str, Mapping[str, str]]] = (
    ("Loads as CSV", "csv", {}),
    ("Loads as XLSX", "xlsx", {}),
    ("Loads as JSON", "jsonl", {}),
    ("Every step as CSV", "csv", _EVENTS),
    ("Every step as XLSX", "xlsx", _EVENTS),
    ("Every step as JSON", "jsonl", _EVENTS),
)
_FIELDS = ("job", "mix", "state", "who", "words", "since", "until")


class Filter(NamedTuple):
    """Something that is looked for, in words too, and the address without it."""

    name: str
    value: str
    words: str
    without: str


def _filters(asked: Mapping[str, str], found: LogPage) -> Iterator[Filter]:
    """The parts of a search, one by one; a job and a mix by the names of what was found."""
    first = found.lines[0] if found.lines else None
    for name, value in asked.items():
        words = value
        if name == "job":
            words = first.load.title if first else found.choices.jobs.get(value, "this job")
        elif name == "mix":
            words = first.load.mix_name if first else found.choices.mixes.get(value, value)
        elif name == "state":
            words = next((said for state, said in STATE_NAMES.items() if state == value), value)
        without = {other: kept for other, kept in asked.items() if other != name}
        yield Filter(name, value, words, address("/log", without))


def choices(known: FilterChoices, filters: Iterable[Filter] = ()) -> dict[str, dict[str, str]]:
    """The choices: those mixed lately, and those of the search."""
    offered: dict[str, dict[str, str]] = {
        "job": dict(known.jobs),
        "mix": dict(known.mixes),
        "state": dict(STATE_NAMES.items()),
        "who": {name: name for name in known.people},
    }
    for one in filters:
        if one.name in offered:
            offered[one.name].setdefault(one.value, one.words)
    return offered


# Loads of the same mix to hold one against.
_OTHERS = 24


@router.get("/log/{load_id}/beside")
def show_beside(
    request: Request, database: Database, visitor: SignedIn, load_id: UUID, other: UUID | None = None
) -> Response:
    """A load beside another of its mix, and who calls that mix right at what."""
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    one = row_of(running)
    with crew_reading(database, visitor.crew_id):
        same = find(database, visitor, LogFilter(mix_id=running.plan.mix.id), limit=_OTHERS)
    others = [row for row in same if row.id != load_id and row.plan_id is not None]
    chosen = next((row for row in others if row.id == other), others[0] if others and not other else None)
    if other and chosen is None:
        raise HTTPException(404)
    both = [one, *([chosen] if chosen else [])]
    return page(
        request,
        "log/beside.html",
        one=one,
        both=both,
        others=others,
        photos=[
            [photo for taken in photos_of(database, visitor, row.id).values() for photo in taken]
            for row in both
        ],
        drift=drift_of([row for row in [one, *others] if _parts(row) == _parts(one)]),
    )


def _parts(row: LoadRow) -> str:
    return row.as_planned.parts if row.as_planned else ""


Form = Literal["csv", "xlsx", "jsonl"]
_MEDIA: Mapping[Form, str] = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "jsonl": "application/jsonl; charset=utf-8",
}


@router.get("/log.{form}")
def export(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    sought: Asked,
    form: Form,
    events: bool = False,
) -> Response:
    """The loads of the search, without one all of them; or every event of them."""
    file = f"keeve-{'events' if events else 'log'}.{form}"
    note_export(database, visitor, file, now, address_of(request))
    parts: Iterator[str | bytes]
    told = loads.every_event(database, visitor, sought)
    mixed = every_load(database, visitor, sought)
    if form == "jsonl":
        parts = json_lines(told if events else log_things(mixed))
    else:
        table = (EVENT_COLUMNS, event_rows(told)) if events else (LOG_COLUMNS, log_rows(mixed))
        parts = csv_lines(*table) if form == "csv" else workbook(*table)
    return StreamingResponse(
        parts, media_type=_MEDIA[form], headers={"Content-Disposition": f'attachment; filename="{file}"'}
    )


@router.get("/log/{load_id}")
def show_load(request: Request, database: Database, visitor: SignedIn, now: Now, load_id: UUID) -> Response:
    """One load, and everything that happened to it; or what is known of it, from before Keeve."""
    past = past_load(database, visitor, load_id)
    if past is not None:
        return page(request, "log/past.html", past=past)
    return load_page(request, database, visitor, now, load_id)


@router.post("/log/{load_id}/entries/{event_id}")
def fix_entry(
    request: Request, database: Database, visitor: MayMix, now: Now, load_id: UUID, event_id: UUID
) -> Response:
    """Put an entry right, or strike it out, for a reason."""
    form = request.state.form
    try:
        event = fixing_event(form, str(event_id), visitor.units)
        return go_on(loads.record(database, visitor, load_id, [event], now), f"/log/{load_id}")
    except InputError as fault:
        typed = {name: form.get(name, "") for name in ("value", "reading", "reason")}
        refusal = refusal_in_words(fault, visitor.units)
        return load_page(
            request, database, visitor, now, load_id, 422, fault, event_id=event_id, refusal=refusal, **typed
        )


@router.get("/log/{load_id}/entries/{event_id}")
def after_fixing(database: Database, visitor: SignedIn, load_id: UUID, event_id: UUID) -> Response:
    """The page a reload lands on after something was refused."""
    found = loads.running_load(database, visitor, load_id) is not None
    return go_on(found, f"/log/{load_id}#fix-{event_id}")


def load_page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    now: datetime,
    load_id: UUID,
    status: int = 200,
    fault: InputError | None = None,
    **typed: Any,
) -> Response:
    """The page of a load; what was typed stays where it was refused."""
    running = loads.running_load(database, visitor, load_id)
    if running is None:
        raise HTTPException(404)
    usual = learnt_for(database, visitor, running.plan).drying_days if still_dries(running, now) else None
    photos = photos_of(database, visitor, load_id)
    record = load_record(running, now, usual, photos, said_of_load(database, visitor, running))
    return page(
        request,
        "log/load.html",
        status,
        refusal=fault,
        record=record,
        running=record.running,
        teaches=visitor.may_mix and learn_from(running).is_something,
        now=record.now,
        plan=record.running.plan,
        lines=water_lines(record.water),
        clock=record.clock,
        clocks=clock_lines(record.clock) if record.clock else [],
        drying=record.drying,
        charts=drying_charts(record.drying) if record.drying else [],
        sections=[("planned", section(record.planned)), ("loaded", section(record.real))],
        looked=_looked,
        figures=FIGURES,
        fresh=FRESH,
        shapes=SHAPES,
        size_field=SIZE,
        due_days=", ".join(map(str, cube_days(record.running.plan))),
        clock_now=now,
        typed={"event_id": None, "form_id": None, "refusal": "", **typed},
    )


def _looked(look: Look) -> list[Shape]:
    """The picture of a reading."""
    if look.wetness is None or look.reading == "not-mixed-yet":
        return state_of(look.drawing, look.reading)
    return state_at(look.drawing, look.wetness)
