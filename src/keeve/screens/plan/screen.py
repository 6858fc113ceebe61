"""Plan: how much, of what, in how many loads, and what to buy."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID, uuid4

from fastapi import HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.log.learning import Learnt
from keeve.core.planning.plan import Plan
from keeve.core.planning.yard import YardItem
from keeve.core.texts import written
from keeve.core.units import System
from keeve.data import jobs, loads, mixes, plans, stockpiles, yard
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.job_summaries import ClosedWaste
from keeve.data.next_time import next_from, next_time
from keeve.data.plan_start import plan_start
from keeve.formats.job_file import parse_job
from keeve.formats.mesh_figures import read_mesh_file
from keeve.formats.packed_job import quick_address
from keeve.screens.account.sign_in import remember_units
from keeve.screens.plan import form as plan_form
from keeve.screens.plan import form_job as plan_job
from keeve.screens.plan.drawn import choices, previewed, result
from keeve.screens.plan.form import PlanForm
from keeve.screens.plan.view import plan_answer
from keeve.web import worker_process
from keeve.web.limits import unreadable
from keeve.web.pages import page
from keeve.web.security import (
    Anyone,
    Database,
    MayTry,
    Now,
    SignInNeeded,
    address_of,
    screen_router,
    units_of,
    zone_of,
)

router = screen_router()

# A job file with a mix of the crew's own is a few tens of thousands.
_MOST_FILE_CHARACTERS = 200_000


@router.get("/plan")
def show(
    request: Request,
    database: Database,
    visitor: Anyone,
    now: Now,
    again: UUID | None = None,
    learnt: bool = False,
    change: UUID | None = None,
    load: UUID | None = None,
    mix: str = "",
    shape: str = "",
) -> Response:
    """The form: empty, for a mix or a shape, or from a saved plan to make another job or to change that one.

    A job made again may begin with what was learnt from the crew's own loads of its mix, or from one of them.
    """
    if load is not None or (again is not None and learnt):
        if visitor is None:
            raise SignInNeeded
        found = next_from(database, visitor, load) if load else again and next_time(database, visitor, again)
        if not found:
            raise HTTPException(404)
        form = plan_job.form_of(found.again, visitor.units, mixes.every_mix(database, visitor))
        return _form_page(request, database, visitor, form, learnt=found.learnt)
    if (kept := again or change) is not None:
        if visitor is None:
            raise SignInNeeded
        saved = plans.saved_plan(database, visitor, kept)
        if saved is None:
            raise HTTPException(404)
        form = plan_job.form_of(saved.job, visitor.units, mixes.every_mix(database, visitor))
        return _form_page(request, database, visitor, form, changed=saved.job_id if change else None)
    start = plan_start(database, visitor, mix, now)
    form = plan_form.empty_form(
        units_of(request),
        start.mixes,
        mix,
        start.owned,
        now.astimezone(zone_of(request)).date(),
        start.waste.waste_fraction if start.waste else None,
        start.measured,
        shape,
    )
    return _form_page(request, database, visitor, form, waste=start.waste, owned=start.owned)


@router.post("/plan/preview")
def preview(request: Request, database: Database, visitor: Anyone) -> Response:
    """The answer to the form while it is typed: the result and the mix's own fields as HTML, what is wrong."""
    typed = request.state.form
    redraw = "_redraw" in typed
    known = (
        mixes.every_mix(database, visitor)
        if redraw
        else mixes.known_mixes(database, visitor, typed.get("mix", ""))
    )
    form = plan_form.form_from(typed, units_of(request), known, typed)
    chosen = _choices(database, visitor, form) if redraw else None

    def part(template: str, **values: Any) -> str:
        return bytes(page(request, template, **values).body).decode()

    return JSONResponse(previewed(form, _result(request, database, visitor, form), chosen, part))


@router.post("/plan/mesh")
async def read_mesh(request: Request, visitor: MayTry) -> Response:
    """A mesh file, read: its figures as the form keeps them, in words, and sides for fields of the form.

    The body is the file itself; its name, unit, turn and cut are in the address.
    """
    asked = {name: request.query_params.get(name, "") for name in ("name", "unit", "up", "cut")}
    if "form" in request.headers.get("content-type", ""):
        raise unreadable()  # the form was read to see where it came from, and is no mesh
    content = await request.body()
    close_holes = request.query_params.get("close") == "yes"
    person = visitor.account_id if visitor else address_of(request)
    found = await worker_process.run(
        request,
        person,
        read_mesh_file,
        content,
        *asked.values(),
        close_holes,
        seconds=20,
        queue="crews" if visitor else "strangers",
    )
    figures = {"name": written(asked["name"], 120), **found["figures"]}
    part = page(
        request,
        "plan/mesh_words.html",
        read=figures,
        triangles=found["triangles"],
        warnings=found["warnings"],
    )
    sides = plan_form.frame_round(figures["sides_m"], units_of(request))
    return JSONResponse({"mesh": figures, "words": bytes(part.body).decode(), "sides": sides})


@router.post("/plan/units")
def change_units(request: Request, database: Database, visitor: Anyone) -> Response:
    """Other units, with everything typed so far carried over."""
    chosen: System = "us" if request.state.form.get("units") == "us" else "metric"
    converted = plan_form.convert(_typed(request, database, visitor), chosen)
    request.state.units = chosen
    answer = _form_page(request, database, visitor, converted)
    remember_units(database, visitor, chosen, answer)
    return answer


@router.post("/plan/open")
def open_file(request: Request, database: Database, visitor: Anyone, now: Now) -> Response:
    """The form as a job file has it; what is wrong with the file is above the form."""
    text, units = request.state.form.get("file", ""), units_of(request)
    known = mixes.every_mix(database, visitor)
    try:
        if len(text) > _MOST_FILE_CHARACTERS:
            raise InputError("too_large", "That file is too large for a job. Choose a job file.", ["file"])
        job = parse_job(text)
        plan_answer(job)
    except InputError as fault:
        form = plan_form.empty_form(units, known, today=now.astimezone(zone_of(request)).date())
        return _form_page(request, database, visitor, form, status=422, refusal=f"That file: {fault.message}")
    return _form_page(request, database, visitor, plan_job.form_of(job, units, known))


@router.get("/plan/units")
@router.get("/plan/open")
def after() -> Response:
    """The page a reload lands on after the units were changed or a file was opened."""
    return RedirectResponse("/plan", status_code=303)


@router.post("/plan")
def save(request: Request, database: Database, visitor: MayTry, now: Now) -> Response:
    """Keep the plan and show its first load card; or the form again, with what is wrong.

    A stranger's is not kept: its card carries it.
    """
    form = _typed(request, database, visitor)
    job = plan_job.to_job(form)
    if job is None:
        form.errors = {**form.missing, **form.errors}
        return _form_page(request, database, visitor, form, status=422)
    try:
        if visitor is None:
            plan_answer(job)
            return RedirectResponse(quick_address(job), status_code=303)
        plan_id = plans.save_plan(database, visitor, job, _job_changed(request))
        if bag := plan_form.label_of(form, job, request.state.form.get("_bag", "")):
            yard.keep_item(database, visitor, uuid4(), bag, now)
    except InputError as fault:
        form.refuse(fault)
        return _form_page(request, database, visitor, form, status=422)
    return RedirectResponse(f"/plan/{plan_id}/load/1", status_code=303)


def _job_changed(request: Request) -> UUID | None:
    """The job that the form is to be the next version of."""
    try:
        return UUID(request.state.form.get("_version_of", ""))
    except ValueError:
        return None


def _typed(request: Request, database: Engine, visitor: Visitor | None) -> PlanForm:
    """The form as it was sent, with every mix to choose from."""
    return plan_form.form_from(request.state.form, units_of(request), mixes.every_mix(database, visitor))


def _form_page(
    request: Request,
    database: Engine,
    visitor: Visitor | None,
    form: PlanForm,
    status: int = 200,
    refusal: str = "",
    waste: ClosedWaste | None = None,
    learnt: Learnt | None = None,
    changed: UUID | None = None,
    owned: Sequence[YardItem] | None = None,
) -> Response:
    job_id = changed or _job_changed(request)
    return page(
        request,
        "plan/plan.html",
        status,
        form=form,
        refusal=refusal,
        waste=waste,
        learnt=learnt,
        changed=jobs.job_page(database, visitor, job_id) if job_id and visitor else None,
        **_choices(database, visitor, form, owned),
        **_result(request, database, visitor, form),
    )


def _choices(
    database: Engine, visitor: Visitor | None, form: PlanForm, owned: Sequence[YardItem] | None = None
) -> dict[str, Any]:
    """The shapes and mixes to choose from; ``owned``: what the crew owns, where it is known."""
    if owned is None:
        owned = [kept.item for kept in yard.yard_of(database, visitor)] if visitor else []
    return choices(form, owned, *mixes.preferred(database, visitor), is_kept=visitor is not None)


def _result(request: Request, database: Engine, visitor: Visitor | None, form: PlanForm) -> dict[str, Any]:
    """The answer to the form with its pictures, or none; what is wrong is left on the form."""
    state = request.app.state

    def expected(plan: Plan) -> Sequence[ExpectedWater | None]:
        if visitor is None:
            return [None for _ in plan.loads_alike]
        return stockpiles.expected_of_new(database, visitor, plan, state.clock(), state.weather)

    def setting(plan: Plan) -> SettingHistory | None:
        return loads.setting_of(database, visitor, plan) if visitor else None

    return result(form, expected, setting)
