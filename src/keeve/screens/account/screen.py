"""A new account with a crew of one's own, and the ways back in when the password is forgotten."""

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.data import crews, recovery, sessions
from keeve.data.database import Engine
from keeve.data.guessing import SignInRefused
from keeve.screens.account.sign_in import begin_session, remember_browser, remember_units
from keeve.screens.plan.quick import keep
from keeve.web.pages import page
from keeve.web.security import (
    UNITS_COOKIE,
    Database,
    Now,
    address_of,
    device_of,
    screen_router,
    units_of,
)

router = screen_router()

_TAKEN = ("name", "password", "crew_name", "job", "zone")


@router.get("/new-account")
async def show_new(request: Request, job: str = "") -> Response:
    """The form for a new account with a crew; ``job`` is one worked out before, which comes along."""
    _open_to_all(request)
    if request.state.visitor:
        return RedirectResponse("/", status_code=303)
    return _new_page(request, dict.fromkeys(_TAKEN, "") | {"job": job})


@router.post("/new-account")
def make(request: Request, database: Database, now: Now) -> Response:
    """Make the account and its crew, keep the job that came along, and show the recovery code."""
    _open_to_all(request)
    typed = {name: request.state.form.get(name, "") for name in _TAKEN}
    try:
        _, code = crews.start_crew(
            database,
            sign_in_name=typed["name"],
            name=typed["name"],
            password=typed["password"],
            crew_name=typed["crew_name"],
            zone=typed["zone"],
            address=address_of(request),
            now=now,
        )
    except (InputError, SignInRefused) as fault:
        return _new_page(request, typed, 422, fault)
    return code_page(request, database, now, typed["name"], code, typed["job"])


@router.get("/forgotten")
async def show_forgotten(request: Request) -> Response:
    """The form for a new password by the recovery code."""
    return page(request, "account/forgotten.html", typed={}, refusal=None)


@router.post("/forgotten")
def recover(request: Request, database: Database, now: Now) -> Response:
    """A new password by the recovery code; the next code is shown."""
    form = request.state.form
    typed = {name: form.get(name, "") for name in ("name", "code", "password")}
    try:
        code = recovery.recover(
            database,
            sign_in_name=typed["name"],
            code=typed["code"],
            password=typed["password"],
            address=address_of(request),
            now=now,
            phone_code=form.get("phone_code", ""),
        )
    except (SignInRefused, InputError) as fault:
        return page(request, "account/forgotten.html", 422, typed=typed, refusal=fault)
    return code_page(request, database, now, typed["name"], code)


@router.get("/reset/{token}")
def show_reset(request: Request, database: Database, now: Now, token: str) -> Response:
    """The form for a new password, to whoever a lead gave the link."""
    return _reset_page(request, database, now, token)


@router.post("/reset/{token}")
def reset(request: Request, database: Database, now: Now, token: str) -> Response:
    """A new password by a link; a recovery code is shown."""
    name = recovery.open_reset(database, token, now)
    try:
        code = recovery.reset(
            database, token, request.state.form.get("password", ""), now, address_of(request)
        )
    except InputError as fault:
        return _reset_page(request, database, now, token, 422, fault)
    if name is None or code is None:
        raise HTTPException(404)
    return code_page(request, database, now, name, code)


def code_page(
    request: Request, database: Engine, now: Now, sign_in_name: str, code: str, job: str = ""
) -> Response:
    """The recovery code, shown once, to somebody who is signed in from here on, or who is in no crew."""
    units = units_of(request)
    token = sessions.sign_in_proven(database, sign_in_name, now, device_of(request), address_of(request))
    visitor = request.state.visitor = sessions.visitor(database, token, now) if token else None
    plan_id = keep(database, visitor, job) if job and visitor else None
    # What a stranger chose to read in stays when there is an account.
    request.state.units = units
    answer = page(
        request,
        "account/recovery_code.html",
        code=code,
        plan_id=plan_id,
        waits=token is not None and not visitor,
    )
    if token and visitor:
        begin_session(answer, token)
        if UNITS_COOKIE in request.cookies:
            remember_units(database, visitor, units, answer)
        remember_browser(request, answer, database, visitor)
    return answer


def _open_to_all(request: Request) -> None:
    if not request.app.state.open_to_all:
        raise HTTPException(404)


def _new_page(
    request: Request, typed: dict[str, str], status: int = 200, refusal: Exception | None = None
) -> Response:
    return page(request, "account/new_account.html", status, typed=typed, refusal=refusal)


def _reset_page(
    request: Request,
    database: Engine,
    now: Now,
    token: str,
    status: int = 200,
    refusal: Exception | None = None,
) -> Response:
    name = recovery.open_reset(database, token, now)
    if name is None:
        raise HTTPException(404)
    return page(request, "account/reset.html", status, name=name, token=token, refusal=refusal)
