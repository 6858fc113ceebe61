"""Signing in and out, and the choice of units."""

import re
import secrets
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from keeve.services import accounts
from keeve.services.accounts import SignInRefused
from keeve.web.pages import page
from keeve.web.security import SESSION_COOKIE, STRANGER_COOKIE, Database, Now, SignedIn

router = APIRouter()


@router.get("/sign-in")
def show_sign_in(request: Request, next: Annotated[str, Query()] = "/") -> Response:  # noqa: A002
    """The form; its browser gets the cookie that ties the form to it."""
    if request.state.visitor:
        return RedirectResponse("/", status_code=303)
    return strangers_page(request, "sign_in/sign_in.html", next=_own_path(next), name="", refusal=None)


@router.post("/sign-in")
def do_sign_in(request: Request, database: Database, now: Now) -> Response:
    """Check name and password."""
    form = request.state.form
    back = _own_path(form.get("next", "/"))
    try:
        token = accounts.sign_in(
            database,
            sign_in_name=form.get("name", ""),
            password=form.get("password", ""),
            address=request.client.host if request.client else "",
            now=now,
        )
    except SignInRefused as refusal:
        return page(
            request, "sign_in/sign_in.html", 401, next=back, name=form.get("name", ""), refusal=str(refusal)
        )
    return signed_in(token, back)


@router.post("/sign-out")
def do_sign_out(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """End this session."""
    accounts.sign_out(database, request.cookies[SESSION_COOKIE], now)
    return signed_out()


@router.post("/units")
def choose_units(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Remember the units and go back to the page."""
    form = request.state.form
    accounts.choose_units(database, visitor.account_id, "us" if form.get("units") == "us" else "metric")
    return RedirectResponse(_own_path(form.get("next", "/")), status_code=303)


def strangers_page(request: Request, template: str, **values: Any) -> Response:
    """A page with a form for somebody who has no session: its browser gets the cookie that ties the form to it."""
    if request.state.visitor or STRANGER_COOKIE in request.cookies:
        return page(request, template, **values)
    token = secrets.token_urlsafe(24)
    answer = page(request, template, form_token=token, **values)
    _set_cookie(answer, STRANGER_COOKIE, token)
    return answer


def signed_in(token: str, path: str) -> Response:
    """On to a page with a new session."""
    answer = RedirectResponse(path, status_code=303)
    _set_cookie(answer, SESSION_COOKIE, token, max_age=int(accounts.LASTS.total_seconds()))
    return answer


def signed_out() -> Response:
    """Back to the sign-in page without a session."""
    answer = RedirectResponse("/sign-in", status_code=303)
    answer.delete_cookie(SESSION_COOKIE, path="/", secure=True, httponly=True)
    return answer


def _set_cookie(answer: Response, name: str, value: str, max_age: int | None = None) -> None:
    answer.set_cookie(name, value, max_age=max_age, path="/", secure=True, httponly=True, samesite="lax")


def _own_path(path: str) -> str:
    """A path on this site; anything that could lead elsewhere becomes the first page."""
    return path if re.fullmatch(r"/(?!/)[^\\\s]*", path) else "/"
