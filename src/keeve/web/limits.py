"""How much may be sent, held to before it is read, and of what signs."""

import asyncio
import time
from collections.abc import Iterable

from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from keeve.core.errors import InputError
from keeve.core.rules.mesh import MOST_BYTES as MOST_MESH_BYTES
from keeve.core.texts import why_unfit

# Forms and the small files on them (a mix, a job).
_MOST_BYTES = 1_000_000
# An event is a few hundred bytes, the figures of a rule a few thousand.
_MOST_BYTES_BELOW = {
    "/bench/": 20_000,
    "/api/": 200_000,
    "/plan/mesh": MOST_MESH_BYTES,
    "/photos/": 20_000_000,
    "/log/import": 20_000_000,
}
TOO_LARGE, TOO_SLOW = 413, 408
# More of a body comes within that, and all of it within this: a photo on a slow line takes two or three minutes.
_SECONDS_FOR_MORE, _MOST_SECONDS = 20.0, 300.0

# The largest plan form has a few hundred fields; the longest text on one is a job packed into it.
MOST_FIELDS = 2_000
_LONGEST_NAME, _LONGEST_TEXT = 120, _MOST_BYTES


class BodyLimit:
    """Ends the reading of a body where it is larger than what the address could want.

    The framework's own limit answers in its own words, in plain text, whatever we would say.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on with what it may read of its body."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        most = _most_bytes(scope["path"])
        announced = dict(scope["headers"]).get(b"content-length", b"0")
        left = most if not announced.isdigit() or int(announced) <= most else -1

        is_whole, ends = False, time.monotonic() + _MOST_SECONDS

        async def receive_within() -> Message:
            nonlocal left, is_whole
            if left < 0:
                raise HTTPException(TOO_LARGE)
            if is_whole:
                # Whether whoever asked has gone away is waited for without end.
                return await receive()
            try:
                async with asyncio.timeout(min(_SECONDS_FOR_MORE, ends - time.monotonic())):
                    message = await receive()
            except TimeoutError:
                raise HTTPException(TOO_SLOW) from None
            left -= len(message.get("body", b""))
            is_whole = not message.get("more_body", False)
            if left < 0:
                raise HTTPException(TOO_LARGE)
            return message

        await self.app(scope, receive_within, send)


def too_large() -> InputError:
    """The refusal of what is larger."""
    return InputError("too_large", "Too large. Choose a smaller file or send less.", [])


def unreadable() -> InputError:
    """The refusal of what no page of ours sends."""
    return InputError("unreadable", "Keeve couldn't read that. Reload the page.", [])


def _most_bytes(path: str) -> int:
    return next((most for start, most in _MOST_BYTES_BELOW.items() if path.startswith(start)), _MOST_BYTES)


def check_texts(texts: Iterable[tuple[str, str]]) -> None:
    """Refuse texts by name that hold what cannot be kept, and more of them than any page sends.

    Raises:
        InputError: one of them, named.
    """
    for number, (name, text) in enumerate(texts):
        if number >= MOST_FIELDS or why_unfit("name", name, _LONGEST_NAME):
            raise unreadable()
        if why := why_unfit(name, text, _LONGEST_TEXT, is_one_line=False):
            raise InputError("unfit", why, [name])
