"""The log: each load as it is listed, found by job, mix, day, person, state or words."""

import re
from collections.abc import Callable, Iterator, Sequence
from datetime import date, datetime, time, timedelta
from typing import Any, Literal, get_args
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    Engine,
    Select,
    Text,
    bindparam,
    cast,
    delete,
    func,
    inspect,
    literal_column,
    select,
    tuple_,
    update,
)
from sqlalchemy.dialects.postgresql import ARRAY, TSQUERY, insert
from sqlalchemy.orm import Session, aliased

from keeve.core.loads.event import LoadEvent, Undone
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.load_row import LoadRow, State, people_of, row_of, words_of
from keeve.core.log.log_filter import FilterChoices, LogFilter
from keeve.data.accounts import Visitor
from keeve.store import models
from keeve.store.database import crew_reading, session_crew
from keeve.store.queries import of_job

_ENTRY = models.LogEntry
_TABLE = inspect(_ENTRY).local_table
_STATES: frozenset[str] = frozenset(get_args(State))
_LISTED_AT_A_TIME = 200
# The database refuses longer ones: what is told of a load is kept, however it is written.
_LONGEST_WORD, _LONGEST_NAME = 60, 120


# What of a row its next event may change.
_CHANGES = ("title", "state", "is_open", "due_at", "words", "content", "search")


def write(session: Session, running: RunningLoad, told: LoadEvent | None = None) -> None:
    """List a load as it is after its last event, in place of how it was listed; not one that was taken back.

    Args:
        session: a session of its crew.
        running: the load.
        told: the event that is new of it, where it was listed before that.
    """
    if running.state.taken_back:
        session.execute(delete(_ENTRY).where(_ENTRY.id == running.id))
        return
    row = row_of(running)
    people = people_of(running.events)
    words = "\n".join((row.mix_name, *people, words_of(running.state)))
    values = {
        "id": row.id,
        "begun_at": row.begun_at,
        "plan_id": row.plan_id,
        "job_id": select(of_job()).where(models.StoredPlan.id == row.plan_id).scalar_subquery(),
        "mix_id": row.mix_id,
        "title": row.title,
        "state": row.state,
        "is_open": row.is_open,
        "due_at": row.due_at,
        "words": words,
        "content": stored(row),
        "search": _vector(session, f"{row.title}\n{words}"),
    }
    new = insert(_ENTRY).values(values)
    session.execute(
        new.on_conflict_do_update(
            index_elements=["crew_id", "id"], set_={name: new.excluded[name] for name in _CHANGES}
        )
    )
    # An undo may list a load again that was taken back.
    if told is not None and not isinstance(told, Undone):
        is_known = any(
            event.recorded_by == told.recorded_by for event in running.events if event.id != told.id
        )
        people = [] if is_known else [told.recorded_by]
    _add_people(session, [(name, row) for name in people if name])


def _add_people(session: Session, people: Sequence[tuple[str, LoadRow]]) -> None:
    rows = [{"person": _person(name), "begun_at": row.begun_at, "id": row.id} for name, row in people]
    if rows:
        session.execute(insert(models.LogPerson).on_conflict_do_nothing(), rows)


_COLUMNS = frozenset({"id", "plan_id", "mix_id", "title"})


def stored(row: LoadRow) -> dict[str, Any]:
    """A row as it is stored, but for what stands in a column of its own."""
    return row.model_dump(mode="json", exclude_defaults=True, exclude=set(_COLUMNS))


def write_past(session: Session, import_id: UUID, past: Sequence[LoadRow]) -> None:
    """List loads of the crew's own history, which the log does not have yet."""
    rows = []
    for row in past:
        words = "\n".join((row.mix_name, row.judged_by, row.note, row.discarded or ""))
        rows.append(
            {
                "id": row.id,
                "import_id": import_id,
                "mix_id": row.mix_id,
                "title": row.title,
                "begun_at": row.begun_at,
                "state": row.state,
                "is_open": False,
                "words": words,
                "content": stored(row),
                "lexemes": _lexemes(session_crew(session), f"{row.title}\n{words}"),
            }
        )
    session.execute(insert(_ENTRY).values(search=_VECTOR), rows)
    _add_people(session, [(row.judged_by, row) for row in past if row.judged_by])


def past_load(engine: Engine, visitor: Visitor, load_id: UUID) -> LoadRow | None:
    """A load of the crew's own history; None where the crew has none of that id."""
    with crew_reading(engine, visitor.crew_id) as session:
        return next(iter(read_rows(session, _PAST, load_id=load_id)), None)


def rename(session: Session, job_id: UUID, title: str) -> None:
    """List the loads of a job under another name."""
    found = session.execute(select(_ENTRY.id, _ENTRY.words).where(_ENTRY.job_id == job_id)).all()
    for load_id, words in found:
        changed = {"title": title, "search": _vector(session, f"{title}\n{words}")}
        session.execute(update(_ENTRY).where(_ENTRY.id == load_id).values(changed))


_VECTOR = func.array_to_tsvector(bindparam("lexemes", type_=ARRAY(Text)))


def _vector(session: Session, text: str) -> ColumnElement[Any]:
    """The words of a text, as the database looks them up."""
    return func.array_to_tsvector(cast(_lexemes(session_crew(session), text), ARRAY(Text)))


def _lexemes(crew_id: UUID, text: str) -> list[str]:
    """The words of a text in small letters, each once, marked with the crew: nobody looks through another's."""
    return sorted({f"{_mark(crew_id)}{word}" for word in _words(text)})


def _mark(crew_id: UUID) -> str:
    return crew_id.hex[:8]


def _words(text: str) -> list[str]:
    return [word[:_LONGEST_WORD] for word in re.findall(r"[^\W_]+", text.casefold())]


def _person(name: str) -> str:
    """A name in small letters; those of some alphabets are longer so."""
    return name.lower()[:_LONGEST_NAME]


_AFTER = tuple_(bindparam("after_at"), bindparam("after_id"))
_WORDS = cast(bindparam("words"), TSQUERY)
# Found by the words alone, which begin with the mark of their crew: asked for the crew too, the database reads all of
# its index beside them. Whoever reads what is found here is held to the crew as everywhere. Only what it is asked by
# and put in order by: the rest is read of the page.
_MENTIONING = (
    select(*(_TABLE.c[name] for name in ("crew_id", "id", "job_id", "mix_id", "state", "begun_at")))
    .where(_TABLE.c.search.bool_op("@@")(_WORDS))
    .offset(literal_column("0"))  # to the database: by itself, and nothing of what is asked around it
    .subquery()
)
_HAS: dict[str, Callable[[Any], ColumnElement[bool]]] = {
    "job_id": lambda entry: entry.job_id == bindparam("job_id"),
    "mix_id": lambda entry: entry.mix_id == bindparam("mix_id"),
    "state": lambda entry: entry.state == bindparam("state"),
    "who": lambda place: place.person == bindparam("who"),
    "begun_from": lambda place: place.begun_at >= bindparam("begun_from"),
    "begun_before": lambda place: place.begun_at < bindparam("begun_before"),
    "after": lambda place: tuple_(place.begun_at, place.id) < _AFTER,
}
# What is asked of where a load is in the log.
_OF_PLACE = frozenset({"who", "begun_from", "begun_before", "after"})
# A word that is common is found among so many loads; for a rare one its index is asked, and all of them put in order.
_NEAR = 1000
Through = Literal["all", "near", "far"]


def _shown(entry: Any) -> list[Any]:
    """The columns that are read of a load to show it."""
    return [entry.id, entry.plan_id, entry.mix_id, entry.title, entry.content]


def rows_where(*conditions: ColumnElement[bool]) -> Select[Any]:
    """Loads of the log."""
    return select(*_shown(_ENTRY)).where(*conditions)


def read_rows(session: Session, query: Select[Any], **values: Any) -> list[LoadRow]:
    """The loads that a query of ``rows_where`` finds."""
    return [_read(row) for row in session.execute(query, values).all()]


def _read(row: Any) -> LoadRow:
    own = {"id": row.id, "plan_id": row.plan_id, "mix_id": row.mix_id, "title": row.title}
    return LoadRow.model_validate({**row.content, **own})


_PAST = rows_where(_ENTRY.id == bindparam("load_id"), _ENTRY.import_id.is_not(None))
_OF_PLANS = rows_where(_ENTRY.plan_id.in_(bindparam("plan_ids", expanding=True))).order_by(_ENTRY.begun_at)


def loads_of_plans(session: Session, plan_ids: Sequence[UUID]) -> list[LoadRow]:
    """The loads of plans that were begun, the first begun first; of one that was begun anew the last attempt."""
    found = read_rows(session, _OF_PLANS, plan_ids=list(plan_ids)) if plan_ids else []
    return list({(load.plan_id, load.number): load for load in found}.values())


def _query(limit: int, through: Through, *names: str) -> Select[Any]:
    """A page of what is sought: of that length, which is written out so that the database knows it is short."""
    entry: Any = aliased(_ENTRY, _MENTIONING) if through == "far" else _ENTRY
    place: Any = models.LogPerson if "who" in names else entry
    found = select(entry.id).order_by(place.begun_at.desc(), place.id.desc())
    if "who" in names:
        found = found.join(place, place.id == entry.id)
    found = found.where(
        *(_HAS[name](place if name in _OF_PLACE else entry) for name in names if name in _HAS)
    )
    page: ColumnElement[Any] = literal_column(str(limit))
    if through == "all":
        return found.with_only_columns(*_shown(_ENTRY)).limit(page)
    if through == "far":
        ids = found.limit(page).subquery()
        newest_first = (_ENTRY.begun_at.desc(), _ENTRY.id.desc())
        return select(*_shown(_ENTRY)).join(ids, ids.c.id == _ENTRY.id).order_by(*newest_first)
    read = (_ENTRY.id, _ENTRY.plan_id, _ENTRY.mix_id, _ENTRY.title, _ENTRY.content, _ENTRY.search)
    near = found.with_only_columns(*read).limit(literal_column(str(_NEAR))).subquery()
    mentions = near.c.search.bool_op("@@")(_WORDS)
    return select(*_shown(near.c)).where(mentions).limit(page)


def find(
    engine: Engine,
    visitor: Visitor,
    sought: LogFilter,
    *,
    limit: int,
    after: tuple[datetime, UUID] | None = None,
) -> list[LoadRow]:
    """Loads of the crew's log, newest first, from after the last one of the page before.

    Args:
        engine: the database.
        visitor: who asks: days are those of the crew's zone.
        sought: what is looked for.
        limit: so many at most.
        after: when the last one of the page before was begun, and its id.
    """
    values = _values(visitor, sought)
    if values is None:
        return []
    names = list(values)
    if after:
        names.append("after")
        values |= {"after_at": after[0], "after_id": after[1]}
    with crew_reading(engine, visitor.crew_id) as session:
        if "words" not in values:
            rows = session.execute(_query(limit, "all", *names), values).all()
        else:
            rows = session.execute(_query(limit, "near", *names), values).all()
            if len(rows) < limit:
                rows = session.execute(_query(limit, "far", *names), values).all()
    return [_read(row) for row in rows]


def find_in_order(engine: Engine, visitor: Visitor, sought: LogFilter, most: int) -> list[LoadRow]:
    """The newest loads of the crew's log, the first begun first."""
    found = find(engine, visitor, sought, limit=most)
    return sorted(found, key=lambda load: (load.begun_at, str(load.id)))


_AT_A_TIME = 500


def every_load(
    engine: Engine, visitor: Visitor, sought: LogFilter, at_a_time: int = _AT_A_TIME
) -> Iterator[LoadRow]:
    """All of what is sought in the crew's log, newest first, read so many at a time."""
    after = None
    while found := find(engine, visitor, sought, limit=at_a_time, after=after):
        yield from found
        after = (found[-1].begun_at, found[-1].id)


def _values(visitor: Visitor, sought: LogFilter) -> dict[str, object] | None:
    """The values of a search, by the names of ``_HAS``; None where nothing can be that."""
    values: dict[str, object] = {}
    if sought.job_id:
        values["job_id"] = sought.job_id
    if sought.mix_id:
        values["mix_id"] = sought.mix_id
    if sought.state:
        if sought.state not in _STATES:
            return None
        values["state"] = sought.state
    if sought.who.strip():
        values["who"] = _person(sought.who.strip())
    if sought.words:
        words = _words(sought.words)
        if not words:
            return None
        values["words"] = " & ".join(f"'{_mark(visitor.crew_id)}{word}':*" for word in words)
    if sought.since:
        values["begun_from"] = datetime.combine(sought.since, time(), visitor.zone)
    if sought.until and sought.until < date.max:
        values["begun_before"] = datetime.combine(sought.until + timedelta(days=1), time(), visitor.zone)
    return values


# So many loads back: what is older is found from the page of its job or mix, or by words.
_LOOKED_BACK = 150
_LATELY = (
    select(
        cast(_ENTRY.job_id, Text),
        _ENTRY.title,
        _ENTRY.mix_id,
        _ENTRY.mix_name,
        _ENTRY.begun_by,
        _ENTRY.judged_by,
    )
    .order_by(_ENTRY.begun_at.desc(), _ENTRY.id.desc())
    .limit(literal_column(str(_LOOKED_BACK)))
)


def lately(engine: Engine, visitor: Visitor) -> FilterChoices:
    """The choices that the crew's newest loads offer, the newest first."""
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(_LATELY).all()
    jobs: dict[str | None, str] = {}
    mixes: dict[str, str] = {}
    people: dict[str | None, None] = {}
    for job_id, title, mix_id, mix_name, begun_by, judged_by in rows:
        jobs.setdefault(job_id, title)
        mixes.setdefault(mix_id, mix_name)
        people.setdefault(begun_by)
        people.setdefault(judged_by)
    return FilterChoices(
        {job_id: title for job_id, title in jobs.items() if job_id},
        {mix_id: name for mix_id, name in mixes.items() if mix_id},
        [name for name in people if name],
    )
