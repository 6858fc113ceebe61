"""The report of a job on paper: for the client, the engineer, the file."""

from typing import Any, Literal
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import Response

from keeve.core.log.log_filter import LogFilter
from keeve.data import jobs, plans
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.loads import loads_in_order
from keeve.data.log_entries import find_in_order
from keeve.data.security_log import note_export
from keeve.drawing.chart import charts
from keeve.drawing.section import section
from keeve.formats.pdf import write_text
from keeve.screens.charts.screen import STANDARDS, Against
from keeve.screens.charts.view import Specified
from keeve.screens.jobs.report_view import MOST, job_report
from keeve.screens.jobs.screen import job_page
from keeve.screens.log.view import STATE_NAMES
from keeve.screens.paper import printed as paper
from keeve.screens.plan.drawn import sketches
from keeve.web.filters import slug
from keeve.web.pages import page
from keeve.web.security import Database, Now, SignedIn, address_of, screen_router
from keeve.web.timeouts import with_timeout
from keeve.web.worker_process import made_once

router = screen_router()

# Of what is to be made so much is drawn; the rest is listed.
_MOST_SKETCHES = 4


@router.get("/jobs/{job_id}/report.pdf")
async def pdf(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    held: Against,
    job_id: UUID,
    size: Literal["a4", "letter"] = "a4",
) -> Response:
    """The report as PDF, its tests held against a specified strength where one is given."""
    if held.refusal:
        return await with_timeout(lambda: job_page(request, database, visitor, now, job_id, 422, held=held))
    title, text = await with_timeout(lambda: _text(request, database, visitor, job_id, size, held.specified))
    file = f"{slug(title) or 'job'}-report.pdf"
    made = await made_once(request, visitor, write_text, text, paper.STATIC)
    await with_timeout(lambda: note_export(database, visitor, file, now, address_of(request)))
    return Response(
        made,
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{file}"'},
    )


def _text(
    request: Request,
    database: Engine,
    visitor: Visitor,
    job_id: UUID,
    size: str,
    specified: Specified | None,
) -> tuple[str, str]:
    """The name of the job, and its report for paper."""
    job = jobs.job_page(database, visitor, job_id)
    saved = plans.saved_plan(database, visitor, job.line.plan_id) if job else None
    if job is None or saved is None:
        raise HTTPException(404)
    rows = find_in_order(database, visitor, LogFilter(job_id=job_id), MOST)
    running = loads_in_order(database, visitor, [row.id for row in rows])
    report = job_report(
        job, saved.job, saved.plan, rows, running, visitor.crew_name, visitor.units, specified
    )
    values: dict[str, Any] = {
        "report": report,
        "paper": paper.SIZES[size],
        "sketches": sketches(report.needs[:_MOST_SKETCHES], report.plan.volume.items),
        "section": section(report.planned),
        "charts": [(figures, charts(figures, visitor.units)[:1]) for figures in report.charts],
        "standard": STANDARDS[specified.standard] if specified else "",
        "STATE_NAMES": STATE_NAMES,
    }

    html = bytes(page(request, "jobs/report.html", **values).body).decode()
    return report.title, paper.with_carried_styles(html)
