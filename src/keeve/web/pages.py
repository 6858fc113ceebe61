"""Rendering pages: what every page has of whoever asks for it."""

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from starlette.templating import Jinja2Templates

from keeve.data.accounts import LEAST_PASSWORD, MOST_PASSWORD, Visitor, token_hash
from keeve.web.environment import environment
from keeve.web.security import (
    FORM_FIELD,
    HOLDER_COOKIE,
    form_token,
    has_demo,
    set_cookie,
    tie_to_browser,
    units_of,
    zone_of,
)
from keeve.web.static_files import address_of_file

_STRANGER = "stranger"
_HELD_FOR_S = 365 * 86_400
environment.globals.update(file=address_of_file, LEAST_PASSWORD=LEAST_PASSWORD, MOST_PASSWORD=MOST_PASSWORD)
_templates = Jinja2Templates(env=environment)


def load_templates() -> None:
    """Load every template now, so that the first visitors do not wait while all of them compile the same ones."""
    for name in environment.list_templates():
        environment.get_template(name)


def page(request: Request, template: str, status: int = 200, **values: Any) -> HTMLResponse:
    """A page or a part of one."""
    visitor = request.state.visitor
    holder = holder_of(visitor)
    answer = _templates.TemplateResponse(
        request,
        template,
        {
            "visitor": visitor,
            "holder": holder,
            "units": units_of(request),
            "zone": zone_of(request),
            "may_mix": visitor is None or visitor.may_mix,
            "open_to_all": request.app.state.open_to_all,
            "has_demo": has_demo(request),
            "form_field": FORM_FIELD,
            "form_token": form_token(request),
            "page_path": request.url.path,
            "asked_at": request.app.state.clock(),
            "is_refused": 400 <= status != 404,
            "refused_fields": getattr(values.get("refusal"), "fields", []),
            **values,
        },
        status_code=status,
        headers={"Keeve-Holder": holder},
    )
    tie_to_browser(request, answer)
    if request.cookies.get(HOLDER_COOKIE, "") != holder:
        # Of a request that came with both: an answer late for whoever signed in meanwhile says nothing of them.
        set_cookie(answer, HOLDER_COOKIE, holder, max_age=_HELD_FOR_S, is_for_scripts=True)
    return answer


def holder_of(visitor: Visitor | None) -> str:
    """The holder of a browser, a person in a crew, by a name that says nothing; whoever is not signed in has one name.

    The browser keeps things under it, and shows and sends them only as theirs.
    """
    return token_hash(f"{visitor.account_id} {visitor.crew_id}").hex()[:24] if visitor else _STRANGER


def address_of_site(request: Request) -> str:
    """The address of this Keeve, for links and codes that leave it: as it was started, whatever a request says."""
    address: str = request.app.state.address
    return address
