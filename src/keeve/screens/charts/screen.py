"""Charts: whether the crew is steady, what changed, how strong it was; each with its table."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, NamedTuple

from fastapi import Depends, HTTPException, Query, Request
from fastapi.responses import Response, StreamingResponse

from keeve.core.log.log_filter import LogFilter
from keeve.core.quantities import in_reader_units
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.log_entries import find, find_in_order, lately
from keeve.data.next_time import MOST
from keeve.data.security_log import note_export
from keeve.drawing.chart import charts
from keeve.drawing.row_bars import row_bars
from keeve.formats.csv_table import csv_lines
from keeve.screens.charts.view import QualityPage, Specified, quality_page
from keeve.screens.log.screen import Asked, address, asked_for, choices
from keeve.web.fields import Number
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn, address_of, screen_router, units_of

router = screen_router()


STANDARDS: Mapping[str, str] = {"en-206": "EN 206", "aci-318": "ACI 318"}
_SPECIFIED = Number("Specified strength", ("specified",), "strength")


class Held(NamedTuple):
    """The bar for tests: as it was typed, as it is meant, and why it is refused."""

    typed: Mapping[str, str]
    specified: Specified | None
    refusal: str


NOTHING_HELD = Held({}, None, "")


def _held(
    request: Request,
    specified: Annotated[str, Query(max_length=40)] = "",
    standard: Annotated[str, Query(max_length=20)] = "",
) -> Held:
    typed = {name: text for name, text in (("specified", specified.strip()), ("standard", standard)) if text}
    if "specified" not in typed:
        return Held(typed, None, "")
    try:
        mpa = float(_SPECIFIED.read(typed["specified"], units_of(request)))
    except ValueError as fault:
        return Held(typed, None, str(fault))
    if not _LEAST_MPA <= mpa <= _MOST_MPA:
        refusal = f"Specified strength: between {_LEAST_MPA:g} MPa and {_MOST_MPA:g} MPa."
        return Held(typed, None, in_reader_units(refusal, units_of(request)))
    return Held(typed, Specified(mpa, "aci-318" if standard == "aci-318" else "en-206"), "")


_LEAST_MPA, _MOST_MPA = 1.0, 200.0
Against = Annotated[Held, Depends(_held)]


def quality_page_of(
    database: Engine, visitor: Visitor, sought: LogFilter, specified: Specified | None
) -> QualityPage:
    """The charts of the loads that are sought, of one mix: that of the newest of them where none is given."""
    mix_id = sought.mix_id or next((one.mix_id for one in find(database, visitor, sought, limit=1)), "")
    loads = find_in_order(database, visitor, replace(sought, mix_id=mix_id), MOST) if mix_id else []
    # How somebody judges is for that person and for the lead.
    judges = None if visitor.may_lead else [visitor.name]
    return quality_page(loads, specified, judges, visitor.units)


@router.get("/log/charts")
def show(request: Request, database: Database, visitor: SignedIn, sought: Asked, held: Against) -> Response:
    """The charts of one mix, of one job where it is given."""
    shown = quality_page_of(database, visitor, sought, held.specified)
    asked = asked_for(sought) | dict(held.typed)
    tables = [*(figures.table for figures in shown.charts), *shown.tables]
    return page(
        request,
        "charts/charts.html",
        shown=shown,
        most=MOST,
        charts=[(figures, charts(figures, visitor.units)) for figures in shown.charts],
        bars={
            table.name: [(each.words, row_bars(each, visitor.units)) for each in table.bars]
            for table in shown.tables
        },
        asked=dict.fromkeys(("mix", "job", "since", "until", "specified", "standard"), "") | asked,
        standards=STANDARDS,
        refusal=held.refusal,
        choices=choices(lately(database, visitor)),
        log=address("/log", asked_for(sought)),
        csv={table.name: address(f"/log/charts/{table.name}.csv", asked) for table in tables},
    )


@router.get("/log/charts/{name}.csv")
def export(
    request: Request, database: Database, visitor: SignedIn, now: Now, sought: Asked, held: Against, name: str
) -> Response:
    """The table of a chart as CSV."""
    table = quality_page_of(database, visitor, sought, held.specified).table(name)
    if table is None:
        raise HTTPException(404)
    file = f"keeve-{name}.csv"
    note_export(database, visitor, file, now, address_of(request))
    return StreamingResponse(
        csv_lines(table.columns, [list(row) for row in table.rows]),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{file}"'},
    )
