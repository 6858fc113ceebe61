"""Turns: what asks the database runs in a few threads, and nobody waits for it without end. Taps have their own."""

from collections.abc import Callable
from functools import wraps
from inspect import iscoroutinefunction
from typing import Any, TypeVar

from anyio import CapacityLimiter, fail_after
from anyio.lowlevel import RunVar
from anyio.to_thread import run_sync
from fastapi.routing import APIRoute

_T = TypeVar("_T")

# A page takes some hundredths of a second. What takes longer than this waits for a database that hangs.
MOST_SECONDS = 10.0


# Threads that answer taps on benches, whatever else is asked meanwhile.
_OF_TAPS = RunVar[CapacityLimiter]("of_taps")
_TAP_THREADS = 2
_TAPS = "/bench/"


def _threads_for(path: str) -> CapacityLimiter | None:
    """The threads in which what is asked at a path is answered; None for those of everything else."""
    if not path.startswith(_TAPS):
        return None
    try:
        return _OF_TAPS.get()
    except LookupError:
        found = CapacityLimiter(_TAP_THREADS)
        _OF_TAPS.set(found)
        return found


async def with_timeout(act: Callable[[], _T], path: str = "") -> _T:
    """The result of a function, run in a thread when it is its turn.

    Args:
        act: the function.
        path: what was asked for.

    Raises:
        TimeoutError: it takes too long; its thread is left to end by itself.
    """
    with fail_after(MOST_SECONDS):
        return await run_sync(act, abandon_on_cancel=True, limiter=_threads_for(path))


class TimeoutRoute(APIRoute):
    """A route whose plain function is run in turn."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **options: Any) -> None:
        super().__init__(
            path, endpoint if iscoroutinefunction(endpoint) else _turned(endpoint, path), **options
        )


def _turned(endpoint: Callable[..., Any], path: str) -> Callable[..., Any]:
    @wraps(endpoint)
    async def turned(**given: Any) -> Any:
        return await with_timeout(lambda: endpoint(**given), path)

    return turned
