"""Crew: who is in it, inviting, roles, and its security log."""

from collections.abc import Mapping
from typing import Annotated, Any
from uuid import UUID

from fastapi import HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.zones import zones
from keeve.data import crews, open_links, recovery, security_log
from keeve.data.accounts import ROLE_NAMES, Visitor, as_role
from keeve.data.security_log import Kind, SecurityLine
from keeve.screens.account.screen import code_page
from keeve.web.pages import address_of_site, page
from keeve.web.responses import go_on, id_of
from keeve.web.security import SESSION_COOKIE, Database, MayLead, Now, SignedIn, screen_router

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


@router.post("/crew/zone")
def set_zone(request: Request, database: Database, visitor: MayLead) -> Response:
    """Another time zone for the crew."""
    try:
        crews.set_zone(database, visitor, request.state.form.get("zone", ""))
    except InputError as fault:
        return _crew_page(request, database, visitor, status=422, refusal=fault)
    return RedirectResponse("/crew", status_code=303)


@router.post("/crew/links/{kind}/{link_id}/end")
def end_link(database: Database, visitor: MayLead, now: Now, kind: str, link_id: str) -> Response:
    """End an open link."""
    return go_on(open_links.end_link(database, visitor, kind, link_id, now), "/crew")


@router.get("/crew/zone")
@router.get("/crew/invitations")
@router.get("/crew/reset-links")
def after_link(visitor: SignedIn) -> Response:
    """The page a reload lands on after a link was made, which is shown once, or a zone was refused."""
    return RedirectResponse("/crew", status_code=303)


@router.post("/crew/members/{account_id}/role")
def set_role(request: Request, database: Database, visitor: MayLead, now: Now, account_id: UUID) -> Response:
    """Another role for a member."""
    return go_on(
        crews.set_role(database, visitor, account_id, request.state.form.get("role", ""), now), "/crew"
    )


@router.post("/crew/members/{account_id}/remove")
def remove(database: Database, visitor: MayLead, now: Now, account_id: UUID) -> Response:
    """Take a member out of the crew."""
    return go_on(crews.remove(database, visitor, account_id, now), "/crew")


@router.post("/crew/reset-links")
def reset_link(request: Request, database: Database, visitor: MayLead, now: Now) -> Response:
    """A link by which a member who forgot the password chooses a new one; it is shown this once."""
    account_id = id_of(request.state.form.get("account_id", ""))
    try:
        token = recovery.reset_link(database, visitor, account_id, now)
    except InputError as fault:
        return _crew_page(request, database, visitor, status=422, refusal=fault)
    if token is None:
        raise HTTPException(404)
    return _crew_page(request, database, visitor, reset_link=f"{address_of_site(request)}/reset/{token}")


@router.post("/crew/switch")
def switch(request: Request, database: Database, visitor: SignedIn) -> Response:
    """Go on in another of one's crews."""
    crew_id = id_of(request.state.form.get("crew_id", ""))
    if not crews.switch_crew(database, visitor, request.cookies[SESSION_COOKIE], crew_id):
        raise HTTPException(404)
    return RedirectResponse("/", status_code=303)


# What is told of each kind of entry; those that may mean trouble are marked.
_WORDS: Mapping[Kind, str] = {
    "signed_in": "signed in",
    "wrong_password": "wrong password",
    "wrong_code": "right password, wrong code",
    "signed_out": "signed out other devices",
    "password_changed": "changed password",
    "recovered": "reset password with recovery code",
    "reset_link": "made a password link for {whom}",
    "reset": "reset password with a link",
    "second_step_on": "turned on two-step sign-in",
    "second_step_off": "turned off two-step sign-in",
    "invited": "invited a {role}",
    "withdrawn": "cancelled an invitation ({role})",
    "joined": "joined as {role}",
    "role": "made {whom} {role}",
    "removed": "removed {whom}",
    "exported": "saved {file}",
    "link_ended": "ended a link ({file})",
    "recovery_code": "made a new recovery code",
    "recovery_waits": "used the recovery code; two-step sign-in ends in a day",
    "recovery_stopped": "kept two-step sign-in on",
}
_TROUBLES: frozenset[Kind] = frozenset({"wrong_password", "wrong_code", "recovery_waits"})


def _told(entry: SecurityLine) -> str:
    role = ROLE_NAMES.get(as_role(entry.words), "").partition(":")[0].lower()
    return _WORDS[entry.kind].format(whom=entry.whom, role=role, file=entry.words)


@router.get("/crew/security")
def show_security(
    request: Request,
    database: Database,
    visitor: MayLead,
    before: Annotated[int | None, Query(ge=1, lt=2**31)] = None,
) -> Response:
    """The happenings in the crew that a lead may want to know of later."""
    found = security_log.entries(database, visitor, before)
    return page(
        request,
        "crew/security.html",
        entries=[(entry, _told(entry)) for entry in found],
        troubles=_TROUBLES,
        kept_days=security_log.KEPT_FOR.days,
        is_first=before is None,
        older_than=found[-1].id if len(found) == security_log.PAGE else None,
    )


@router.get("/invitation/{token}")
def show_invitation(request: Request, database: Database, now: Now, token: str) -> Response:
    """The invitation, to anybody who has its link."""
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
            refusal=fault,
        )
    if code is None:
        raise HTTPException(404)
    return code_page(request, database, now, typed["sign_in_name"], code)


def _crew_page(
    request: Request, database: Database, visitor: Visitor, status: int = 200, **values: Any
) -> Response:
    shown = {"link": None, "reset_link": None, "refusal": None, **values}
    return page(
        request,
        "crew/crew.html",
        status,
        members=crews.members(database, visitor),
        links=open_links.open_links(database, visitor, request.app.state.clock()) if visitor.may_lead else [],
        crews=crews.crews_of(database, visitor),
        roles=ROLE_NAMES,
        zones=zones() if visitor.may_lead else (),
        moment=request.app.state.clock(),
        **shown,
    )
