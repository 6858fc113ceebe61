"""Plan: how much, of what, in how many loads, and what to buy."""

from dataclasses import replace
from typing import Any
from uuid import UUID

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from keeve.core.errors import InputError
from keeve.core.texts import written
from keeve.core.units import System
from keeve.formats.job_file import parse_job
from keeve.services import accounts, mixes, plans
from keeve.services.accounts import Visitor
from keeve.services.database import Engine
from keeve.services.job_summaries import ClosedWaste
from keeve.services.meshes import MOST_BYTES, read_mesh_file
from keeve.services.views.plan_answer import plan_answer
from keeve.services.views.plan_start import plan_start
from keeve.web.drawings.set_clock import clock_lines
from keeve.web.drawings.sketch import sketch
from keeve.web.drawings.volume_bar import volume_bar
from keeve.web.forms import plan_form
from keeve.web.forms.plan_form import PlanForm
from keeve.web.forms.plan_sections import shape_options
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, SignedIn

router = APIRouter()

# A job file with a mix of the crew's own is a few tens of thousands.
_MOST_FILE_CHARACTERS = 200_000


@router.get("/plan")
def show(
    request: Request,
    database: Database,
    visitor: SignedIn,
    now: Now,
    again: UUID | None = None,
    mix: str = "",
) -> Response:
    """The form, empty, for a mix, or from a saved plan, with what it comes to."""
    if again is not None:
        saved = plans.saved_plan(database, visitor, again)
        if saved is None:
            raise HTTPException(404)
        known = mixes.every_mix(database, visitor)
        return _form_page(request, database, visitor, plan_form.form_of(saved.job, visitor.units, known))
    start = plan_start(database, visitor, mix, now)
    form = plan_form.empty_form(
        visitor.units,
        start.mixes,
        mix,
        start.owned,
        now.date(),
        start.waste.waste_fraction if start.waste else None,
        start.measured,
    )
    return _form_page(request, database, visitor, form, waste=start.waste)


@router.post("/plan/preview")
def preview(request: Request, database: Database, visitor: SignedIn) -> Response:
    """What the form comes to, while it is typed: the result and the mix's own fields as HTML, what is wrong."""
    typed = request.state.form
    known = mixes.known_mixes(database, visitor, typed.get("mix", ""))
    form = plan_form.form_from(typed, visitor.units, known, typed)
    result = page(request, "plan/result.html", form=form, **_result(form)).body
    asked = b""
    if "_redraw" in typed:
        asked = bytes(page(request, "plan/asked.html", form=form, shapes=shape_options()).body)
    return JSONResponse(
        {
            "html": bytes(result).decode(),
            "asked": asked.decode(),
            "errors": form.wrong,
            "offers": {name: offer._asdict() for name, offer in form.offers.items()},
        }
    )


@router.post("/plan/mesh")
async def read_mesh(request: Request, visitor: MayMix) -> Response:
    """What a mesh file comes to: its figures as the form keeps them, in words, and sides for fields of the form.

    The body is the file itself; its name, unit, turn and cut are in the address.
    """
    asked = {name: request.query_params.get(name, "") for name in ("name", "unit", "up", "cut")}
    content = bytearray()
    async for chunk in request.stream():
        content += chunk
        if len(content) > MOST_BYTES:
            raise InputError(
                "mesh_too_large", "The file is too large: save it with fewer triangles.", ["file"]
            )
    close_holes = request.query_params.get("close") == "yes"
    found = await run_in_threadpool(read_mesh_file, bytes(content), **asked, close_holes=close_holes)
    figures = {"name": written(asked["name"], 120), **found["figures"]}
    part = page(
        request,
        "plan/mesh_words.html",
        read=figures,
        triangles=found["triangles"],
        warnings=found["warnings"],
    )
    sides = plan_form.frame_round(figures["sides_m"], visitor.units)
    return JSONResponse({"mesh": figures, "words": bytes(part.body).decode(), "sides": sides})


@router.post("/plan/units")
def change_units(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Other units, with everything typed so far carried over."""
    chosen: System = "us" if request.state.form.get("units") == "us" else "metric"
    form = _typed(request, database, visitor)
    accounts.choose_units(database, visitor.account_id, chosen)
    converted = plan_form.convert(form, chosen)
    request.state.visitor = replace(visitor, units=chosen)
    return _form_page(request, database, request.state.visitor, converted)


@router.post("/plan/open")
def open_file(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The form as a job file has it; what is wrong with the file is above the form."""
    text = request.state.form.get("file", "")
    known = mixes.every_mix(database, visitor)
    try:
        if len(text) > _MOST_FILE_CHARACTERS:
            raise InputError("too_large", "The file is larger than any job: choose a job file.", ["file"])
        job = parse_job(text)
        plan_answer(job)
    except InputError as fault:
        form = plan_form.empty_form(visitor.units, known, today=now.date())
        return _form_page(request, database, visitor, form, status=422, refusal=f"That file: {fault.message}")
    return _form_page(request, database, visitor, plan_form.form_of(job, visitor.units, known))


@router.get("/plan/units")
@router.get("/plan/open")
def after(visitor: SignedIn) -> Response:
    """Where a reload lands after the units were changed or a file was opened."""
    return RedirectResponse("/plan", status_code=303)


@router.post("/plan")
def save(request: Request, database: Database, visitor: MayMix) -> Response:
    """Keep the plan and show its first load card; or the form again, with what is wrong."""
    form = _typed(request, database, visitor)
    job = plan_form.to_job(form)
    if job is None:
        form.errors = {**form.missing, **form.errors}
        return _form_page(request, database, visitor, form, status=422)
    try:
        plan_id = plans.save_plan(database, visitor, job)
    except InputError as fault:
        form.refuse(fault)
        return _form_page(request, database, visitor, form, status=422)
    return RedirectResponse(f"/plan/{plan_id}/load/1", status_code=303)


def _typed(request: Request, database: Engine, visitor: Visitor) -> PlanForm:
    """The form as it was sent, with every mix to choose from."""
    return plan_form.form_from(request.state.form, visitor.units, mixes.every_mix(database, visitor))


def _form_page(
    request: Request,
    database: Engine,
    visitor: Visitor,
    form: PlanForm,
    status: int = 200,
    refusal: str = "",
    waste: ClosedWaste | None = None,
) -> Response:
    return page(
        request,
        "plan/plan.html",
        status,
        form=form,
        shapes=shape_options(),
        saved=plans.newest_plans(database, visitor),
        refusal=refusal,
        waste=waste,
        **_result(form),
    )


def _result(form: PlanForm) -> dict[str, Any]:
    """The answer to the form with its pictures, or none; what is wrong is left on the form."""
    job = plan_form.to_job(form)
    if job is None:
        return {"answer": None, "errors": form.wrong}
    try:
        answer = plan_answer(job)
    except InputError as fault:
        form.refuse(fault)
        return {"answer": None, "errors": form.errors}
    volume = answer.plan.volume
    sketches = [
        sketch(shape, {**need, **item.facts})
        for shape, need, item in zip(form.shapes, answer.needs, volume.items, strict=True)
    ]
    return {
        "answer": answer,
        "clocks": clock_lines(answer.clock) if answer.clock else [],
        "sketches": list(zip(sketches, volume.items, strict=True)),
        "bar": volume_bar(volume.net_m3, volume.order_m3, [load.yield_l for load in answer.plan.loads]),
        "errors": {},
    }
