"""The application factory."""

import sys
from asyncio import create_task
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from datetime import datetime
from urllib.parse import quote

from anyio.to_thread import current_default_thread_limiter
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.data.database import ChangedMeanwhile, DatabaseDown, Engine
from keeve.devices.weather import SimulatedWeather, Weather
from keeve.screens.account import own_account, sign_in
from keeve.screens.account import screen as account
from keeve.screens.account.sign_in import Demo
from keeve.screens.bench import screen as bench
from keeve.screens.calculators import screen as rules
from keeve.screens.card import screen as card
from keeve.screens.charts import screen as quality
from keeve.screens.crew import screen as crew
from keeve.screens.curing import screen as cure
from keeve.screens.day_plan import list_screen as day_list
from keeve.screens.day_plan import screen as day
from keeve.screens.jobs import report as job_report
from keeve.screens.jobs import screen as jobs
from keeve.screens.jobs import share
from keeve.screens.jobs import summary as job_summary
from keeve.screens.log import load_tests, photos
from keeve.screens.log import screen as log
from keeve.screens.log_import import screen as log_import
from keeve.screens.mixes import screen as mixes
from keeve.screens.our_kit import screen as yard
from keeve.screens.plan import quick
from keeve.screens.plan import screen as plan
from keeve.screens.today import screen as today
from keeve.screens.wall_table import screen as wall_table
from keeve.screens.without_signal import screen as without_signal
from keeve.web import pages, static_files
from keeve.web.api import create_api
from keeve.web.limits import TOO_LARGE, TOO_SLOW, BodyLimit, too_large, unreadable
from keeve.web.security import ForeignForm, NotAllowed, SecureHeaders, SignInNeeded, clock

# Looked through in this order: what is opened most stands first, and what is part of another's address before that.
SCREENS = (
    today,
    bench,
    without_signal,
    plan,
    quality,
    log_import,
    log,
    sign_in,
    account,
    own_account,
    quick,
    jobs,
    job_report,
    card,
    share,
    job_summary,
    cure,
    day,
    day_list,
    load_tests,
    photos,
    crew,
    mixes,
    wall_table,
    yard,
    rules,
)
_TRY_AGAIN_SECONDS = 3
# Threads of one process take turns anyway, and more than a few only wait for each other: at 50 events a second
# on two workers an event took 130 ms (p50) with the default of 40 threads, 22 ms with a few. Taps have their own.
_THREADS = 2
# Shorter answers go as they are.
_LEAST_COMPRESSED = 4000


def create_app(
    engine: Engine,
    clock: Callable[[], datetime] = clock,
    *,
    address: str = "http://127.0.0.1",
    open_to_all: bool = True,
    demo: Demo | None = None,
    demo_for_all: bool = True,
    weather: Weather | None = None,
) -> FastAPI:
    """The application on a migrated database.

    Args:
        engine: the database.
        clock: what it keeps time by.
        address: where it is found, for links and codes that leave it.
        open_to_all: whether anybody may make an account with a crew of their own.
        demo: the demo, where one may be looked at.
        demo_for_all: whether it is there for whoever reaches the service, or at this machine alone.
        weather: who knows it; one that is made up where nobody does.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        pages.load_templates()
        current_default_thread_limiter().total_tokens = _THREADS
        # Behind the first page: a start need not wait for the mixes, nor who plans first.
        reading = create_task(run_in_threadpool(library))
        yield
        reading.cancel()
        engine.dispose()

    app = FastAPI(
        title="Keeve",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        lifespan=lifespan,
    )
    app.state.engine = engine
    app.state.clock = clock
    app.state.address = address.rstrip("/")
    app.state.open_to_all = open_to_all
    app.state.demo = demo
    app.state.demo_for_all = demo_for_all
    app.state.weather = weather or SimulatedWeather()
    app.add_middleware(BodyLimit)
    app.add_middleware(SecureHeaders, is_secure=address.startswith("https"))
    # Form tokens are masked anew on every page, so compression gives nothing of them away.
    app.add_middleware(GZipMiddleware, minimum_size=_LEAST_COMPRESSED, compresslevel=4)
    app.mount(static_files.PATH, static_files.static_files)
    app.mount("/api/v1", _api)
    # Each route as it is: looked for among included routers, it took up to a third of a page's time.
    app.router.routes += [route for screen in SCREENS for route in screen.router.routes]
    app.add_exception_handler(SignInNeeded, _to_sign_in)
    app.add_exception_handler(ForeignForm, _foreign_form)
    app.add_exception_handler(NotAllowed, _not_allowed)
    app.add_exception_handler(InputError, _bad_input)
    for fault in (TimeoutError, *DatabaseDown):
        app.add_exception_handler(fault, _database_down)
    app.add_exception_handler(ChangedMeanwhile, _changed_meanwhile)
    app.add_exception_handler(RequestValidationError, _no_route)
    app.add_exception_handler(HTTPException, _no_route)
    app.add_exception_handler(Exception, _own_fault)
    return app


async def _api(scope: Scope, receive: Receive, send: Send) -> None:
    """The rules over HTTP, put together when they are first asked for: nobody else waits for that."""
    await create_api()(scope, receive, send)


def _wants_json(request: Request) -> bool:
    return any("application/json" in request.headers.get(name, "") for name in ("content-type", "accept"))


def _to_sign_in(request: Request, fault: Exception) -> Response:
    if _wants_json(request):
        return _json(401, "signed_out", "You're signed out. Sign in again.")
    back = request.url.path if request.method == "GET" else "/"
    return RedirectResponse(f"/sign-in?next={quote(back)}", status_code=303)


def _foreign_form(request: Request, fault: Exception) -> Response:
    message = "This page is out of date. Reload it and try again."
    if _wants_json(request):
        return _json(403, "foreign_form", message)
    return _plain(request, 403, "Not sent", message)


def _not_allowed(request: Request, fault: Exception) -> Response:
    message = "Your role doesn't allow this. Ask a crew lead."
    if _wants_json(request):
        return _json(403, "not_allowed", message)
    return _plain(request, 403, "Not allowed", message)


def _bad_input(request: Request, fault: Exception) -> Response:
    if not isinstance(fault, InputError):
        raise fault
    if _wants_json(request):
        return JSONResponse(fault.as_json(), status_code=422)
    return _plain(request, 422, "Not done", fault.message)


def _database_down(request: Request, fault: Exception) -> Response:
    """The database was killed, is starting again, or its disk is full: what was kept is kept."""
    # What was asked stays out of the log: it may hold names.
    reason = str(getattr(fault, "orig", None) or type(fault).__name__).splitlines()[0]
    print(f"keeve: the database does not answer: {reason}", file=sys.stderr)
    full = "No space left" in reason
    message = (
        "The disk is full. Free some space on the machine that runs Keeve."
        if full
        else "Keeve can't reach its database. Your work is safe. This page will retry."
    )
    answer = (
        _json(503, "database_down", message)
        if _wants_json(request)
        else _plain(request, 503, "One moment", message)
    )
    answer.headers["Refresh"] = str(_TRY_AGAIN_SECONDS)
    return answer


def _changed_meanwhile(request: Request, fault: Exception) -> Response:
    """Two did the same at one moment, and the database let one of them."""
    print(f"keeve: changed meanwhile: {type(fault).__name__}", file=sys.stderr)
    message = "Someone else just changed this. Check it and try again."
    return _bad_input(request, InputError("changed_meanwhile", message, []))


def _own_fault(request: Request, fault: Exception) -> Response:
    """A fault of ours that nobody foresaw; ``launch/serve.py`` says where it was."""
    message = "Keeve made a mistake here. Nothing was changed. Go back and try again."
    return (
        _json(500, "own_fault", message)
        if _wants_json(request)
        else _plain(request, 500, "Not done", message)
    )


def _no_route(request: Request, fault: Exception) -> Response:
    """An address that is none of ours, or a body that cannot be read. Nothing that was sent is ever echoed."""
    status = fault.status_code if isinstance(fault, HTTPException) else 422
    if status == TOO_LARGE:
        return _bad_input(request, too_large())
    if status in (400, TOO_SLOW) or (_wants_json(request) and status not in (404, 405)):
        return _bad_input(request, unreadable())
    message = "Nothing here, or it belongs to another crew."
    if _wants_json(request):
        return _json(404, "not_found", message)
    return _plain(request, 404, "Page not found", message)


def _json(status: int, code: str, message: str) -> JSONResponse:
    return JSONResponse({"error": {"code": code, "message": message, "fields": []}}, status_code=status)


def _plain(request: Request, status: int, title: str, message: str) -> HTMLResponse:
    if not hasattr(request.state, "visitor"):  # the database was gone before it could be asked who this is
        request.state.visitor = None
    return pages.page(request, "message.html", status, title=title, message=message)
