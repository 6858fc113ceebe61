"""Who is asking, whether the request came from our own page, and the headers on every answer."""

import hmac
import ipaddress
import secrets
from base64 import urlsafe_b64decode, urlsafe_b64encode
from collections.abc import Mapping
from datetime import UTC, datetime, tzinfo
from typing import Annotated, TypeGuard
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request, Response
from starlette.datastructures import Headers, UploadFile
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from keeve.core.units import System
from keeve.data.accounts import Visitor
from keeve.data.database import DatabaseDown, Engine
from keeve.data.sessions import visitor
from keeve.devices.weather import Weather
from keeve.web.limits import MOST_FIELDS, check_texts
from keeve.web.timeouts import TimeoutRoute, with_timeout

SESSION_COOKIE = "__Host-keeve"
# A stranger has no session yet; this cookie ties the sign-in form to the browser that asked for it.
STRANGER_COOKIE = "__Host-keeve-visit"
UNITS_COOKIE = "__Host-keeve-units"
BROWSER_COOKIE = "__Host-keeve-browser"
# In whose hands the browser is, for the page's scripts; it opens nothing.
HOLDER_COOKIE = "__Host-keeve-holder"
FORM_FIELD = "form_token"
FORM_HEADER = "X-Form-Token"

SIGN_IN = "/sign-in"
_SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})

_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "
        "connect-src 'self'; manifest-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
}
# A worker has a policy of its own, that of its script: this one alone may run what is compiled, and fetch its parts.
_OF_DEVICE = b"default-src 'none'; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self'"
# Where a certificate is used, a browser that was here once comes by no other way.
_ONLY_HTTPS = {"Strict-Transport-Security": "max-age=31536000"}


class SecureHeaders:
    """Puts the security headers on every answer; pages of a crew's work are never cached."""

    def __init__(self, app: ASGIApp, *, is_secure: bool = False) -> None:
        self.app = app
        everywhere = Headers(_HEADERS | (_ONLY_HTTPS if is_secure else {}))
        # Static files say themselves for how long they may be kept.
        self.of_files = dict(everywhere.raw)
        self.of_pages = {**self.of_files, b"cache-control": b"no-store"}
        self.of_device = {**self.of_files, b"content-security-policy": _OF_DEVICE}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, add the headers to what comes back."""

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                ours = self._headers_of(scope["path"])
                theirs = [header for header in message["headers"] if header[0] not in ours]
                message["headers"] = [*theirs, *ours.items()]
            await send(message)

        await self.app(scope, receive, send_with_headers if scope["type"] == "http" else send)

    def _headers_of(self, path: str) -> Mapping[bytes, bytes]:
        if path.startswith("/static/"):
            return self.of_files
        return self.of_device if path.startswith("/device/") else self.of_pages


class SignInNeeded(Exception):  # noqa: N818 - an answer, not a fault
    """The page is for a signed-in person."""


class NotAllowed(Exception):  # noqa: N818 - an answer, not a fault
    """The person's role in the crew does not cover this."""


class ForeignForm(Exception):  # noqa: N818 - an answer, not a fault
    """The request did not come from our own page."""


def clock() -> datetime:
    """This moment, with its zone."""
    return datetime.now(UTC)


# The dependencies of every route wait for nothing: as coroutines they spare each request a hop to a thread.


async def now_of(request: Request) -> datetime:
    """The moment of the request, by the clock of this application."""
    moment: datetime = request.app.state.clock()
    return moment


async def engine_of(request: Request) -> Engine:
    """The database of this application."""
    engine: Engine = request.app.state.engine
    return engine


async def weather_of(request: Request) -> Weather:
    """Who knows the weather."""
    weather: Weather = request.app.state.weather
    return weather


async def _visitor_or_none(request: Request) -> Visitor | None:
    """Who a request comes from; a stranger, who has no session, waits for no turn."""
    token = request.cookies.get(SESSION_COOKIE)
    if not token:
        return None
    state = request.app.state
    return await with_timeout(lambda: visitor(state.engine, token, state.clock()), request.url.path)


async def guard(request: Request) -> None:
    """On every route: look up the visitor, and on anything that changes, check where it came from.

    Leaves ``request.state.visitor`` (or None), ``request.state.form`` (of a picture or a table its file's name) and
    what those hold as ``request.state.files`` (empty where there is none).
    """
    request.state.form = {}
    request.state.files = {}
    request.state.visitor = None
    check_texts([("address", request.url.path), *request.query_params.multi_items()])
    try:
        request.state.visitor = await _visitor_or_none(request)
    except (TimeoutError, *DatabaseDown):
        # Whoever would sign in still sees the form.
        if request.url.path != SIGN_IN or request.method not in _SAFE_METHODS:
            raise
        return
    if request.method in _SAFE_METHODS:
        return
    if request.headers.get("sec-fetch-site", "same-origin") not in {"same-origin", "none"}:
        raise ForeignForm
    origin = request.headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != request.headers.get("host"):
        raise ForeignForm
    given = request.headers.get(FORM_HEADER)
    if "form" in request.headers.get("content-type", ""):
        async with request.form(max_fields=MOST_FIELDS) as form:
            files = {name: value for name, value in form.items() if _is_file(value, name)}
            typed = {name: await _text_of(value) for name, value in form.items() if name not in files}
            typed |= {name: (value.filename or "")[:LONGEST_FILE_NAME] for name, value in files.items()}
            request.state.files = {name: await value.read() for name, value in files.items()}
        check_texts(typed.items())
        request.state.form = typed
        given = given or request.state.form.get(FORM_FIELD)
    found: Visitor | None = request.state.visitor
    expected = found.form_token if found else request.cookies.get(STRANGER_COOKIE, "")
    if not expected or not given or not hmac.compare_digest(expected.encode(), _unmasked(given)):
        raise ForeignForm


def screen_router() -> APIRouter:
    """A router for the pages of a screen: each is guarded, and run in turn."""
    return APIRouter(route_class=TimeoutRoute, dependencies=[Depends(guard)])


# What of the name of a file is looked at.
LONGEST_FILE_NAME = 120
# The field of a form for a table, which comes in any of several forms.
_TABLE = "table"


def _is_file(value: UploadFile | str, name: str) -> TypeGuard[UploadFile]:
    """Whether a value of a form is a table, or a file that is said to be a picture: it is no text."""
    return not isinstance(value, str) and (name == _TABLE or (value.content_type or "").startswith("image/"))


async def _text_of(value: UploadFile | str) -> str:
    """A value of a form; a file as its text."""
    return value if isinstance(value, str) else (await value.read()).decode(errors="replace")


def form_token(request: Request) -> str:
    """The token that forms on this visitor's pages carry; a stranger's first page brings a new one."""
    found: Visitor | None = request.state.visitor
    token = found.form_token if found else request.cookies.get(STRANGER_COOKIE) or _new_token(request)
    return masked(token)


def masked(token: str) -> str:
    """A token as it is sent in a page: another text each time, so that compressing the page gives nothing away."""
    plain = token.encode()
    pad = secrets.token_bytes(len(plain))
    return urlsafe_b64encode(pad + bytes(one ^ other for one, other in zip(pad, plain, strict=True))).decode()


def _unmasked(sent: str) -> bytes:
    """The token that was sent; nothing where it is none."""
    try:
        raw = urlsafe_b64decode(sent)
    except ValueError:
        return b""
    half = len(raw) // 2
    return bytes(one ^ other for one, other in zip(raw[:half], raw[half : 2 * half], strict=True))


def _new_token(request: Request) -> str:
    """The token of a stranger's first page: one a request."""
    if not hasattr(request.state, "new_token"):
        request.state.new_token = secrets.token_urlsafe(24)
    token: str = request.state.new_token
    return token


def tie_to_browser(request: Request, answer: Response) -> None:
    """Give a stranger's browser the cookie that ties the forms on a page to it, where it has none."""
    if request.state.visitor is None and STRANGER_COOKIE not in request.cookies:
        set_cookie(answer, STRANGER_COOKIE, _new_token(request))


def set_cookie(
    answer: Response, name: str, value: str, max_age: int | None = None, *, is_for_scripts: bool = False
) -> None:
    """A cookie that only our own pages get, and no script unless it is for scripts."""
    answer.set_cookie(
        name, value, max_age=max_age, path="/", secure=True, httponly=not is_for_scripts, samesite="lax"
    )


def address_of(request: Request) -> str:
    """The address a request came from."""
    return request.client.host if request.client else ""


# What a proxy says of whom it passes on.
_FORWARDED = ("forwarded", "via", "x-forwarded-for", "x-forwarded-host", "x-real-ip")


def has_demo(request: Request) -> bool:
    """Whether the demo is there for whoever asks: for all, or for those at this machine, past no proxy."""
    state = request.app.state
    if state.demo is None or state.demo_for_all:
        return state.demo is not None
    if any(name in request.headers for name in _FORWARDED):
        return False
    return all(_is_this_machine(host) for host in (address_of(request), request.url.hostname or ""))


def _is_this_machine(host: str) -> bool:
    try:
        return host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def device_of(request: Request) -> str:
    """The device of a request, as far as its browser says: nobody's name, only what one has in the hand."""
    said = request.headers.get("user-agent", "")
    if "Mobi" in said:
        return "Phone"
    return "Tablet" if "Tablet" in said or "Android" in said else "Computer"


def units_of(request: Request) -> System:
    """The units of whoever asks: as just changed, of the account, or as a stranger chose them."""
    if hasattr(request.state, "units"):
        changed: System = request.state.units
        return changed
    found: Visitor | None = request.state.visitor
    if found is not None:
        return found.units
    return "us" if request.cookies.get(UNITS_COOKIE) == "us" else "metric"


def zone_of(request: Request) -> tzinfo:
    """The zone in which whoever asks is shown the time."""
    found: Visitor | None = request.state.visitor
    return found.zone if found else UTC


async def _signed_in(request: Request) -> Visitor:
    found: Visitor | None = request.state.visitor
    if found is None:
        raise SignInNeeded
    return found


async def _anyone(request: Request) -> Visitor | None:
    found: Visitor | None = request.state.visitor
    return found


SignedIn = Annotated[Visitor, Depends(_signed_in)]
Anyone = Annotated[Visitor | None, Depends(_anyone)]


async def _may_mix(visitor: SignedIn) -> Visitor:
    if not visitor.may_mix:
        raise NotAllowed
    return visitor


async def _may_try(visitor: Anyone) -> Visitor | None:
    if visitor is not None and not visitor.may_mix:
        raise NotAllowed
    return visitor


async def _may_lead(visitor: SignedIn) -> Visitor:
    if not visitor.may_lead:
        raise NotAllowed
    return visitor


MayMix = Annotated[Visitor, Depends(_may_mix)]
# A stranger, who keeps nothing, or somebody who may mix.
MayTry = Annotated[Visitor | None, Depends(_may_try)]
MayLead = Annotated[Visitor, Depends(_may_lead)]
Database = Annotated[Engine, Depends(engine_of)]
Now = Annotated[datetime, Depends(now_of)]
Forecast = Annotated[Weather, Depends(weather_of)]
