"""The rules over HTTP: each at /rules/ID, described at /openapi.json. Needs no sign-in: it reads and keeps nothing."""

from collections.abc import Callable, Coroutine
from functools import cache
from typing import Any

from fastapi import FastAPI, Request
from fastapi.responses import JSONResponse, Response
from fastapi.routing import APIRoute
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc_text, get_rule
from keeve.core.rules.registry import VERSION, Rule
from keeve.web import worker_process
from keeve.web.limits import TOO_LARGE, too_large
from keeve.web.security import address_of

# A rule takes a thousandth of a second, a list of a thousand a second or two.
_MOST_SECONDS = 5.0


class Fault(BaseModel):
    """A fault: a stable code, a sentence that names the field and the meant, the fields."""

    code: str
    message: str
    fields: list[str]


class Refusal(BaseModel):
    """The body of every answer that is no result."""

    error: Fault


class _RuleRoute(APIRoute):
    """A rule's own endpoint.

    The core reads the body, so that a bad one is refused in the same words as on the command line: FastAPI
    would take "3" for 3 and answer a NaN with 500.
    """

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        async def run(request: Request) -> Response:
            try:
                text = await _body(request)
                found = await worker_process.run(
                    request,
                    address_of(request),
                    calc_text,
                    self.name,
                    text,
                    queue="strangers",
                    seconds=_MOST_SECONDS,
                )
                return JSONResponse(found)
            except InputError as fault:
                return JSONResponse(fault.as_json(), status_code=422)

        return run


async def _body(request: Request) -> str:
    """The body as text."""
    try:
        return (await request.body()).decode()
    except UnicodeDecodeError:
        raise InputError("not_json", "The input isn't UTF-8 text. Send JSON.", ["input"]) from None


@cache
def create_api() -> FastAPI:
    """The application that answers under /api/v1. It keeps nothing, so one serves the whole process."""
    api = FastAPI(title="Keeve rules", version=VERSION, docs_url=None, redoc_url=None)
    api.router.route_class = _RuleRoute
    for rule in all_rules().values():
        _add(api, rule)
    api.add_exception_handler(HTTPException, _not_here)
    return api


def _add(api: FastAPI, rule: Rule) -> None:
    """One rule's route, typed for the description only."""
    result: Any = rule.result

    def described(given: Any) -> Any:
        """Never called: the route reads the body itself."""

    described.__annotations__ = {"given": rule.inputs | list[rule.inputs]}  # type: ignore[name-defined]
    api.add_api_route(
        f"/rules/{rule.id}",
        described,
        methods=["POST"],
        name=rule.id,
        summary=rule.formula,
        description=f"{rule.documentation}\n\nSource: {rule.source}.",
        response_model=result | list[result],
        responses={422: {"model": Refusal}},
    )


async def _not_here(request: Request, fault: Exception) -> Response:
    """An unknown rule, or another method than POST."""
    status = fault.status_code if isinstance(fault, HTTPException) else 404
    if status == TOO_LARGE:
        return JSONResponse(too_large().as_json(), status_code=422)
    refusal = InputError("method", "Send the figures with POST.")
    try:
        get_rule(request.url.path.rpartition("/")[2])
    except InputError as unknown:
        refusal = unknown
    return JSONResponse(refusal.as_json(), status_code=status)
