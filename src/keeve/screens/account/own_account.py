"""One's own account: the password, the ways back in, where it is signed in, the second step."""

from textwrap import wrap
from typing import Any

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.data import accounts, recovery, second_step, sessions
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.guessing import SignInRefused
from keeve.drawing.scanned import scanned
from keeve.screens.account.sign_in import signed_out
from keeve.web.pages import page
from keeve.web.security import SESSION_COOKIE, Database, Now, SignedIn, address_of, screen_router

router = screen_router()

# A key is typed in groups of so many letters.
_TYPED_AT_ONCE = 4


@router.get("/account")
def show(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """One's own account."""
    return _account_page(request, database, visitor, now)


@router.post("/account/password")
def change_password(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """A new password; every session ends and the next sign-in uses it."""
    form = request.state.form
    try:
        sessions.change_password(
            database,
            visitor,
            old=form.get("old", ""),
            new=form.get("new", ""),
            now=now,
            address=address_of(request),
        )
    except (InputError, SignInRefused) as fault:
        return _account_page(request, database, visitor, now, 422, opened="password", refusal=fault)
    return signed_out()


@router.post("/account/recovery-code")
def new_code(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Another recovery code; the one before is good no more."""
    password = request.state.form.get("password", "")
    try:
        code = recovery.new_recovery_code(database, visitor, password, now, address_of(request))
    except (InputError, SignInRefused) as fault:
        return _account_page(request, database, visitor, now, 422, opened="recovery", refusal=fault)
    return page(request, "account/recovery_code.html", code=code, plan_id=None, waits=False)


@router.get("/account/recovery-code")
@router.get("/account/second-step")
def after_once(visitor: SignedIn) -> Response:
    """The page a reload lands on after something was shown once."""
    return RedirectResponse("/account", status_code=303)


@router.post("/account/sign-out-everywhere")
def sign_out_everywhere(database: Database, visitor: SignedIn, now: Now) -> Response:
    """End every session of the account."""
    sessions.sign_out_everywhere(database, visitor, now)
    return signed_out()


@router.post("/account/sessions/{session_id}/end")
def end_session(database: Database, visitor: SignedIn, now: Now, session_id: str) -> Response:
    """End one session of the account."""
    if not sessions.end_session(database, visitor, session_id, now):
        raise HTTPException(404)
    return RedirectResponse("/account", status_code=303)


@router.post("/account/second-step")
def begin_second_step(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The key of a second step, to be read by a phone; it counts once a code of it was typed."""
    try:
        second_step.begin(database, visitor, request.state.form.get("password", ""), now)
    except (InputError, SignInRefused) as fault:
        return _account_page(request, database, visitor, now, 422, opened="second step", refusal=fault)
    return _key_page(request, database, visitor)


@router.post("/account/second-step/on")
def turn_on(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Ask for a code from now on."""
    code = request.state.form.get("code", "")
    try:
        second_step.turn_on(database, visitor, code, now, address_of(request))
    except (InputError, SignInRefused) as fault:
        return _key_page(request, database, visitor, 422, fault)
    return RedirectResponse("/account", status_code=303)


@router.post("/account/second-step/keep")
def keep_second_step(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Let the second step stay, though somebody used the recovery code."""
    second_step.keep_on(database, visitor, now, address_of(request))
    return RedirectResponse("/account", status_code=303)


@router.post("/account/second-step/off")
def turn_off(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """Ask for no code any more."""
    password = request.state.form.get("password", "")
    try:
        second_step.turn_off(database, visitor, password, now, address_of(request))
    except (InputError, SignInRefused) as fault:
        return _account_page(request, database, visitor, now, 422, opened="second step", refusal=fault)
    return RedirectResponse("/account", status_code=303)


def _account_page(
    request: Request, database: Engine, visitor: Visitor, now: Now, status: int = 200, **values: Any
) -> Response:
    return page(
        request,
        "account/account.html",
        status,
        sessions=sessions.sessions_of(database, visitor, request.cookies[SESSION_COOKIE], now),
        has_second_step=second_step.is_on(database, visitor),
        second_step_ends=second_step.ends_at(database, visitor),
        idle_days=sessions.IDLE.days,
        **{"opened": "", "refusal": "", **values},
    )


def _key_page(
    request: Request, database: Engine, visitor: Visitor, status: int = 200, refusal: Exception | None = None
) -> Response:
    key = second_step.key_of(database, visitor)
    if key is None:
        raise HTTPException(404)
    name = accounts.sign_in_name(database, visitor)
    picture = scanned(second_step.address_of_key(key, name))
    grouped = " ".join(wrap(key, _TYPED_AT_ONCE))
    return page(request, "account/second_step.html", status, key=grouped, picture=picture, refusal=refusal)
