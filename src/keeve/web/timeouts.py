"""Turns: what asks the database runs in a few threads, and nobody waits for it without end."""

from collections.abc import Callable
from functools import wraps
from inspect import iscoroutinefunction
from typing import Any, TypeVar

from anyio import fail_after
from anyio.to_thread import run_sync
from fastapi.routing import APIRoute

_T = TypeVar("_T")

# A page takes some hundredths of a second. What takes longer than this waits for a database that hangs.
MOST_SECONDS = 10.0


async def with_timeout(act: Callable[[], _T]) -> _T:
    """The result of a function, run in a thread when it is its turn.

    Raises:
        TimeoutError: it takes too long; its thread is left to end by itself.
    """
    with fail_after(MOST_SECONDS):
        return await run_sync(act, abandon_on_cancel=True)


class TimeoutRoute(APIRoute):
    """A route whose plain function is run in turn."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **options: Any) -> None:
        super().__init__(path, endpoint if iscoroutinefunction(endpoint) else _turned(endpoint), **options)


def _turned(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(endpoint)
    async def turned(**given: Any) -> Any:
        return await with_timeout(lambda: endpoint(**given))

    return turned
