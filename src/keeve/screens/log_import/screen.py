"""Bring in what was mixed before: a table is chosen, its columns named, its rows looked at, and taken in as one."""

import json
from collections.abc import Iterator
from datetime import datetime
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from keeve.core.errors import InputError
from keeve.core.log.imported import History, Meant, read_history
from keeve.core.log.imported_columns import fields
from keeve.data import log_imports
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.log_imports import Draft
from keeve.data.mixes import every_mix
from keeve.formats.table_file import MOST_ROWS, read_table
from keeve.screens.log_import.view import meant_by, meant_of, preview
from keeve.web import worker_process
from keeve.web.pages import page
from keeve.web.responses import go_on
from keeve.web.security import Database, MayMix, Now, SignedIn, screen_router
from keeve.web.timeouts import with_timeout

router = screen_router()

_HERE = "/log/import"
# In which order a day is written in figures, as one says it.
_ORDERS = {
    "day": "day first: 14/03/2026",
    "month": "month first: 03/14/2026",
    "year": "year first: 2026-03-14",
}
_PROGRESS = "application/jsonl"


@router.get(_HERE)
def show(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Choose a table, and what was taken in before."""
    return _start(request, database, visitor)


def _start(
    request: Request, database: Engine, visitor: Visitor, status: int = 200, refusal: str = ""
) -> Response:
    brought = log_imports.imports(database, visitor)
    return page(request, "log_import/import.html", status, brought=brought, most=MOST_ROWS, refusal=refusal)


@router.post(_HERE)
async def choose(request: Request, database: Database, visitor: MayMix, now: Now) -> Response:
    """Read a table, to be looked at."""
    content = request.state.files.get("table", b"")
    try:
        table = await worker_process.run(request, visitor.account_id, read_table, content)
    except InputError as fault:
        refusal = fault.message
        return await with_timeout(lambda: _start(request, database, visitor, 422, refusal))
    file = request.state.form.get("table", "")
    import_id = await with_timeout(lambda: log_imports.begin(database, visitor, file, table, now))
    return RedirectResponse(f"{_HERE}/{import_id}", status_code=303)


@router.get(_HERE + "/{import_id}")
async def look(
    request: Request, database: Database, visitor: SignedIn, now: Now, import_id: UUID
) -> Response:
    """A table as it is meant and what it comes to; once it was taken in, what it brought."""
    draft = await _draft(database, visitor, import_id)
    if draft.taken_at is not None:
        return await with_timeout(lambda: page(request, "log_import/import_done.html", draft=draft))
    return await _looked(request, database, visitor, now, draft)


@router.post(_HERE + "/{import_id}")
async def mean(request: Request, database: Database, visitor: MayMix, import_id: UUID) -> Response:
    """Say how the columns are meant."""
    await _meant(request, database, visitor, import_id)
    return RedirectResponse(f"{_HERE}/{import_id}", status_code=303)


@router.post(_HERE + "/{import_id}/take")
async def take(request: Request, database: Database, visitor: MayMix, now: Now, import_id: UUID) -> Response:
    """Take the table in as the form means it: whole, but for rows that cannot be read where that was said."""
    there = f"{_HERE}/{import_id}"
    draft = await _meant(request, database, visitor, import_id)
    if draft.taken_at is not None:
        return RedirectResponse(there, status_code=303)
    _, history = await _history(request, database, visitor, now, draft)
    if history is None or not history.loads or (history.refused and "leave_out" not in request.state.form):
        return await _looked(request, database, visitor, now, draft, 422)
    lots = log_imports.take_in(database, visitor, import_id, history.loads, now)
    if request.headers.get("accept") == _PROGRESS:
        return StreamingResponse(_told(lots, len(history.loads), there), media_type=_PROGRESS)
    await with_timeout(lambda: list(lots))
    return RedirectResponse(there, status_code=303)


def _told(lots: Iterator[int], of: int, there: str) -> Iterator[str]:
    """How far it is, a line each; where to go on at the end."""
    for done in lots:
        yield json.dumps({"done": done, "of": of}) + "\n"
    yield json.dumps({"to": there}) + "\n"


@router.get(_HERE + "/{import_id}/take")
@router.get(_HERE + "/{import_id}/withdraw")
def after(database: Database, visitor: SignedIn, import_id: UUID) -> Response:
    """The page a reload lands on."""
    return go_on(log_imports.draft(database, visitor, import_id) is not None, f"{_HERE}/{import_id}")


@router.post(_HERE + "/{import_id}/withdraw")
def withdraw(database: Database, visitor: MayMix, now: Now, import_id: UUID) -> Response:
    """Take what a table brought out of the log again."""
    return go_on(log_imports.withdraw(database, visitor, import_id, now), f"{_HERE}/{import_id}")


async def _draft(database: Engine, visitor: Visitor, import_id: UUID) -> Draft:
    draft = await with_timeout(lambda: log_imports.draft(database, visitor, import_id))
    if draft is None:
        raise HTTPException(404)
    return draft


async def _meant(request: Request, database: Engine, visitor: Visitor, import_id: UUID) -> Draft:
    """A table, meant as the form says."""
    draft = await _draft(database, visitor, import_id)
    meant = meant_by(request.state.form, len(draft.table[0]))
    await with_timeout(lambda: log_imports.set_meant(database, visitor, import_id, meant))
    return draft._replace(meant=meant)


async def _history(
    request: Request, database: Engine, visitor: Visitor, now: datetime, draft: Draft
) -> tuple[Meant, History | None]:
    """How a table is meant, and what it comes to; None where no column is the day."""
    mixes = await with_timeout(lambda: every_mix(database, visitor))
    meant = meant_of(draft.table, draft.meant, mixes, visitor.units, visitor.zone, now, visitor.crew_id)
    try:
        return meant, await worker_process.run(request, visitor.account_id, read_history, draft.table, meant)
    except InputError as fault:
        if fault.code != "no_day":
            raise
        return meant, None


async def _looked(
    request: Request, database: Engine, visitor: Visitor, now: datetime, draft: Draft, status: int = 200
) -> Response:
    meant, history = await _history(request, database, visitor, now, draft)

    def shown() -> Response:
        found = history or History((), ())
        new = len(log_imports.not_there(database, visitor, found.loads))
        return page(
            request,
            "log_import/import_columns.html",
            status,
            draft=draft,
            has_day=history is not None,
            shown=preview(draft.table, meant, found, every_mix(database, visitor), new),
            fields={name: field.words for name, field in fields().items()},
            orders=_ORDERS,
        )

    return await with_timeout(shown)
