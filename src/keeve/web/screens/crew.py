"""Crew: who is in it, inviting, roles; and one's own account."""

from typing import Any
from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.services import accounts, crews, recovery
from keeve.services.accounts import ROLE_NAMES, SignInRefused, Visitor
from keeve.web.pages import address_of_site, page
from keeve.web.screens.account import code_page
from keeve.web.screens.sign_in import signed_out
from keeve.web.security import SESSION_COOKIE, Database, MayLead, Now, SignedIn
from keeve.web.turns import screen_router

router = screen_router()


@router.get("/crew")
def show(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Who is in the crew, and one's own account."""
    return _crew_page(request, database, visitor)


@router.post("/crew/invitations")
def invite(request: Request, database: Database, visitor: MayLead, now: Now) -> Response:
    """A new invitation; its link is shown this once."""
    token = crews.invite(database, visitor, request.state.form.get("role", ""), now)
    return _crew_page(request, database, visitor, link=f"{address_of_site(request)}/invitation/{token}")


@router.post("/crew/invitations/{invitation_id}/withdraw")
def withdraw(database: Database, visitor: MayLead, invitation_id: str) -> Response:
    """End an invitation that nobody has used."""
    return _after_change(crews.withdraw(database, visitor, invitation_id))


@router.get("/crew/invitations")
@router.get("/crew/reset-links")
def after_link(visitor: SignedIn) -> Response:
    """Where a reload lands after a link was made: it was shown once."""
    return RedirectResponse("/crew", status_code=303)


@router.post("/crew/members/{account_id}/role")
def set_role(request: Request, database: Database, visitor: MayLead, account_id: UUID) -> Response:
    """Another role for a member."""
    return _after_change(crews.set_role(database, visitor, account_id, request.state.form.get("role", "")))


@router.post("/crew/members/{account_id}/remove")
def remove(database: Database, visitor: MayLead, account_id: UUID) -> Response:
    """Take a member out of the crew."""
    return _after_change(crews.remove(database, visitor, account_id))


@router.post("/crew/reset-links")
def reset_link(request: Request, database: Database, visitor: MayLead, now: Now) -> Response:
    """A link by which a member who forgot the password chooses a new one; it is shown this once."""
    account_id = _id(request.state.form.get("account_id", ""))
    try:
        token = recovery.reset_link(database, visitor, account_id, now)
    except InputError as fault:
        return _crew_page(request, database, visitor, status=422, refusal=fault.message)
    if token is None:
        raise HTTPException(404)
    return _crew_page(request, database, visitor, reset_link=f"{address_of_site(request)}/reset/{token}")


@router.post("/crew/switch")
def switch(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Go on in another of one's crews."""
    crew_id = _id(request.state.form.get("crew_id", ""))
    if not crews.switch_crew(database, visitor, request.cookies[SESSION_COOKIE], crew_id):
        raise HTTPException(404)
    return RedirectResponse("/", status_code=303)


@router.post("/account/password")
def change_password(request: Request, database: Database, visitor: SignedIn, now: Now) -> Response:
    """A new password; every session ends and the next sign-in uses it."""
    form = request.state.form
    try:
        accounts.change_password(
            database,
            visitor,
            old=form.get("old", ""),
            new=form.get("new", ""),
            now=now,
        )
    except (InputError, SignInRefused) as fault:
        return _crew_page(request, database, visitor, status=422, refusal=str(fault))
    return signed_out()


@router.post("/account/sign-out-everywhere")
def sign_out_everywhere(database: Database, visitor: SignedIn, now: Now) -> Response:
    """End every session of the account."""
    accounts.sign_out_everywhere(database, visitor, now)
    return signed_out()


@router.get("/invitation/{token}")
def show_invitation(request: Request, database: Database, now: Now, token: str) -> Response:
    """What an invitation offers, to anybody who has its link."""
    offer = crews.open_invitation(database, token, now)
    if offer is None:
        raise HTTPException(404)
    return page(request, "crew/invitation.html", offer=offer, token=token, values={}, refusal=None)


@router.post("/invitation/{token}")
def take_up(request: Request, database: Database, now: Now, token: str) -> Response:
    """Join with one's own account, or with a new one."""
    visitor: Visitor | None = request.state.visitor
    if visitor is not None:
        crew_id = crews.join(database, visitor, token, now)
        if crew_id is None:
            raise HTTPException(404)
        crews.switch_crew(database, visitor, request.cookies[SESSION_COOKIE], crew_id)
        return RedirectResponse("/", status_code=303)
    return _join_as_new(request, database, now, token)


def _join_as_new(request: Request, database: Database, now: Now, token: str) -> Response:
    offer = crews.open_invitation(database, token, now)
    if offer is None:
        raise HTTPException(404)
    typed = {name: request.state.form.get(name, "") for name in ("sign_in_name", "name", "password")}
    try:
        code = crews.join_as_new(database, token, now=now, **typed)
    except InputError as fault:
        return page(
            request,
            "crew/invitation.html",
            422,
            offer=offer,
            token=token,
            values=typed,
            refusal=fault.message,
        )
    if code is None:
        raise HTTPException(404)
    return code_page(request, database, now, typed["sign_in_name"], code)


def _id(text: str) -> UUID:
    try:
        return UUID(text)
    except ValueError:
        raise HTTPException(404) from None


def _after_change(found: bool) -> Response:
    if not found:
        raise HTTPException(404)
    return RedirectResponse("/crew", status_code=303)


def _crew_page(
    request: Request, database: Database, visitor: Visitor, status: int = 200, **values: Any
) -> Response:
    shown = {"link": None, "reset_link": None, "refusal": None, **values}
    return page(
        request,
        "crew/crew.html",
        status,
        members=crews.members(database, visitor),
        invitations=crews.invitations(database, visitor, request.app.state.clock())
        if visitor.may_lead
        else [],
        crews=crews.crews_of(database, visitor),
        roles=ROLE_NAMES,
        **shown,
    )
