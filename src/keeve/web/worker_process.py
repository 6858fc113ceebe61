"""Heavy work: in a process of its own, away from the threads that answer taps, one piece a person at a time.

Memory and time end it there: what a small file unfolds into, and figures that take for ever, harm nobody else.
"""

import asyncio
import os
import pickle
import resource
import signal
from collections.abc import Callable, Hashable
from concurrent.futures import TimeoutError as TookTooLong
from functools import cache
from hashlib import sha256
from multiprocessing import get_context
from multiprocessing.util import Finalize
from typing import Any, Literal, TypeVar
from weakref import WeakValueDictionary

from fastapi import HTTPException, Request
from pebble import ProcessExpired, ProcessPool

from keeve.core.errors import InputError
from keeve.data.accounts import Visitor

_T = TypeVar("_T")

# One a serving process, and it stands back: on two processors two benches go on while it works.
_PROCESSES = 1
_NICENESS = 10
_FIRST = 100
_MOST_SECONDS = 60
_MOST_WAITING = 12
# A long paper takes a third of that; a workbook of two kilobytes would take more than twice as much.
_MOST_MEMORY = 1536 * 2**20
# Whose work it is: a crew's, or that of programs and strangers, for whom nobody's paper waits.
Queue = Literal["crews", "strangers"]
# It is let go after so many pieces, with what it has piled up in memory: paper piles up, rules do not.
_PIECES_A_PROCESS: dict[Queue, int] = {"crews": 100, "strangers": 5_000}
_LOOKED_AFTER_SECONDS = 0.3
_NOBODY_THERE = 499

_turns: WeakValueDictionary[Hashable, asyncio.Lock] = WeakValueDictionary()
_waiting: dict[Queue, int] = {"crews": 0, "strangers": 0}


@cache
def _pool(queue: Queue) -> ProcessPool:
    pool = ProcessPool(
        max_workers=_PROCESSES,
        max_tasks=_PIECES_A_PROCESS[queue],
        initializer=_stand_back,
        context=get_context("spawn"),
    )
    # Before what is left of its own is waited for, which a forked process does first and atexit knows nothing of.
    Finalize(None, _end, [pool], exitpriority=_FIRST)
    return pool


def _end(pool: Any) -> None:
    pool.stop()
    pool.join()


def _stand_back() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the server, which ends this process
    os.nice(_NICENESS)
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY, _MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


async def run(
    request: Request,
    person: Hashable,
    act: Callable[..., _T],
    *given: Any,
    queue: Queue = "crews",
    seconds: float = _MOST_SECONDS,
) -> _T:
    """The result of a function of a module for plain values, worked out in another process.

    It is ended where the person went away meanwhile.

    Args:
        request: who waits for it.
        person: whoever asked, by account or address: their next piece waits for this one.
        act: the function.
        given: its arguments.
        queue: whose work it is.
        seconds: how long it may take.

    Raises:
        InputError: it takes too long or too much memory, or too many wait already.
    """
    if _waiting[queue] >= _MOST_WAITING:
        raise InputError("busy", "Keeve is busy. Try again in a minute.", [])
    _waiting[queue] += 1
    try:
        async with _turns.setdefault(person, asyncio.Lock()):
            future = _pool(queue).schedule(act, args=given, timeout=seconds)
            found: _T = await _unless_left(request, future)
            return found
    finally:
        _waiting[queue] -= 1


async def made_once(request: Request, visitor: Visitor, act: Callable[..., bytes], *given: Any) -> bytes:
    """The result of ``run``, kept: the same is not made twice.

    Args:
        request: who waits for it.
        visitor: who asked.
        act: the function.
        given: its arguments.
    """
    key = sha256(pickle.dumps((act, given))).digest()
    if key not in _made:
        _made[key] = await run(request, visitor.account_id, act, *given)
        for old in list(_made)[:-_MOST_KEPT]:
            _made.pop(old, None)
    return _made[key]


# The newest that this process asked for, by what they were made of.
_made: dict[bytes, bytes] = {}
_MOST_KEPT = 24


async def _unless_left(request: Request, future: Any) -> Any:
    done = asyncio.wrap_future(future)
    try:
        while not (await asyncio.wait({done}, timeout=_LOOKED_AFTER_SECONDS))[0]:
            if await request.is_disconnected():
                raise HTTPException(_NOBODY_THERE)
        return done.result()
    except TookTooLong:
        raise InputError("too_slow", "That takes too long. Try less at once.", []) from None
    except (ProcessExpired, MemoryError):
        # It was killed, or ran out of memory: another process takes its place.
        raise InputError("too_much", "That's too much to work out. Try less at once.", []) from None
    finally:
        future.cancel()  # ends it where it still runs
