"""Signing in and out, the choice of units, and the demo."""

import re
from datetime import datetime
from typing import Annotated, Any, Protocol

from fastapi import HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.units import System
from keeve.data import accounts, sessions
from keeve.data.accounts import Visitor
from keeve.data.database import Engine
from keeve.data.guessing import SignInRefused
from keeve.screens.mixes.a_load import a_load
from keeve.screens.plan.quick import keep
from keeve.web.pages import page
from keeve.web.security import (
    BROWSER_COOKIE,
    SESSION_COOKIE,
    UNITS_COOKIE,
    Anyone,
    Database,
    Now,
    SignedIn,
    address_of,
    device_of,
    has_demo,
    screen_router,
    set_cookie,
)

router = screen_router()

_KNOWN_FOR_S = 365 * 86_400


class Demo(Protocol):
    """The demo, as the pages use it."""

    def enter(self, engine: Engine, now: datetime) -> str:
        """The token of a session in it."""

    def begin_afresh_once(self, engine: Engine, now: datetime) -> None:
        """Make it once more, as of now, unless that was done just now."""


@router.get("/sign-in")
async def show_sign_in(
    request: Request,
    next: Annotated[str, Query()] = "/",  # noqa: A002
    job: str = "",
) -> Response:
    """The form; ``job`` is one worked out before, which comes along."""
    if request.state.visitor:
        return RedirectResponse("/", status_code=303)
    return _sign_in_page(request, next=_own_path(next), job=job, name="", refusal=None)


@router.post("/sign-in")
def do_sign_in(request: Request, database: Database, now: Now) -> Response:
    """Check name and password, and keep the job that came along."""
    form = request.state.form
    back, job = _own_path(form.get("next", "/")), form.get("job", "")
    try:
        token = sessions.sign_in(
            database,
            sign_in_name=form.get("name", ""),
            password=form.get("password", ""),
            address=address_of(request),
            now=now,
            browser=request.cookies.get(BROWSER_COOKIE, ""),
            device=device_of(request),
            with_demo=has_demo(request),
        )
    except SignInRefused as refusal:
        return _sign_in_page(
            request,
            401,
            next=back,
            job=job,
            name=form.get("name", ""),
            refusal=refusal,
        )
    visitor = sessions.visitor(database, token, now)
    if visitor is None:  # the session waits for its second step
        return page(request, "account/code.html", next=back, job=job, waiting=token, refusal="")
    return _arrived(request, database, visitor, token, back, job)


@router.get("/sign-in/code")
async def show_code() -> Response:
    """The page a reload lands on: the password is typed again."""
    return RedirectResponse("/sign-in", status_code=303)


@router.post("/sign-in/code")
def enter_code(request: Request, database: Database, now: Now) -> Response:
    """The second step of signing in."""
    form = request.state.form
    back, job, waiting = _own_path(form.get("next", "/")), form.get("job", ""), form.get("waiting", "")
    try:
        token = sessions.enter_code(
            database, waiting, form.get("code", ""), now, device_of(request), address_of(request)
        )
    except SignInRefused as refusal:
        return page(request, "account/code.html", 401, next=back, job=job, waiting=waiting, refusal=refusal)
    visitor = sessions.visitor(database, token, now) if token else None
    if token is None or visitor is None:
        late = "That took too long. Enter your password again."
        return _sign_in_page(request, 401, next=back, job=job, name="", refusal=late)
    return _arrived(request, database, visitor, token, back, job)


def _arrived(
    request: Request, database: Engine, visitor: Visitor, token: str, back: str, job: str
) -> Response:
    """On with a new session, in a browser that is known from now on; the job that came along is kept."""
    if job and visitor.may_mix:
        back = f"/plan/{keep(database, visitor, job)}/load/1"
    answer = signed_in(token, back)
    remember_browser(request, answer, database, visitor)
    return answer


@router.post("/sign-out")
def do_sign_out(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """End this session."""
    sessions.sign_out(database, request.cookies[SESSION_COOKIE], now)
    return signed_out()


@router.post("/units")
def choose_units(request: Request, database: Database, visitor: Anyone) -> Response:
    """Remember the units and go back to the page."""
    form = request.state.form
    answer = RedirectResponse(_own_path(form.get("next", "/")), status_code=303)
    remember_units(database, visitor, form.get("units", ""), answer)
    return answer


@router.post("/demo")
def enter_demo(request: Request, database: Database, now: Now) -> Response:
    """Into the demo, without a password."""
    return signed_in(_demo(request).enter(database, now), "/")


@router.post("/demo/afresh")
def begin_demo_afresh(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """The demo's morning once more, as of now; what was done in it goes."""
    if not visitor.in_demo:
        raise HTTPException(404)
    _demo(request).begin_afresh_once(database, now)
    return RedirectResponse("/", status_code=303)


def remember_units(database: Engine, visitor: Anyone, chosen: str, answer: Response) -> None:
    """The units somebody reads: on the account, or in a stranger's browser."""
    units: System = "us" if chosen == "us" else "metric"
    if visitor is None:
        set_cookie(answer, UNITS_COOKIE, units)
    else:
        accounts.choose_units(database, visitor.account_id, units)


def signed_in(token: str, path: str) -> Response:
    """On to a page with a new session."""
    answer = RedirectResponse(path, status_code=303)
    begin_session(answer, token)
    return answer


def remember_browser(request: Request, answer: Response, database: Engine, visitor: Visitor) -> None:
    """Make the browser known as one in which somebody signs in."""
    known = sessions.remember_browser(database, visitor.account_id, request.cookies.get(BROWSER_COOKIE, ""))
    set_cookie(answer, BROWSER_COOKIE, known, max_age=_KNOWN_FOR_S)


def begin_session(answer: Response, token: str) -> None:
    """Give the browser a session."""
    set_cookie(answer, SESSION_COOKIE, token, max_age=int(sessions.LASTS.total_seconds()))


def signed_out() -> Response:
    """Back to the first page without a session."""
    answer = RedirectResponse("/sign-in", status_code=303)
    answer.delete_cookie(SESSION_COOKIE, path="/", secure=True, httponly=True)
    return answer


def _sign_in_page(request: Request, status: int = 200, **values: Any) -> Response:
    return page(request, "account/sign_in.html", status, section=a_load(), **values)


def _own_path(path: str) -> str:
    """A path on this site; anything that could lead elsewhere becomes the first page."""
    return path if re.fullmatch(r"/(?!/)[^\\\s]*", path) else "/"


def _demo(request: Request) -> Demo:
    if not has_demo(request):
        raise HTTPException(404)
    found: Demo = request.app.state.demo
    return found
