"""Heavy work is done elsewhere, in turn, and ends where nobody waits for it."""

import asyncio
import os
import signal
import time
from collections.abc import Awaitable, Callable
from multiprocessing import get_context
from typing import Any
from uuid import uuid4

import pytest
from anyio.from_thread import start_blocking_portal
from fastapi import HTTPException

from keeve.core.errors import InputError
from keeve.web import worker_process


class Asking:
    """A request of somebody who goes away when told to."""

    left = False

    async def is_disconnected(self) -> bool:
        return self.left


def in_a_loop(work: Callable[[], Awaitable[Any]]) -> None:
    """Do it in a loop of its own: a browser of another test may have one in this thread."""
    with start_blocking_portal() as portal:
        portal.call(work)


def run(*asked: Any, request: Any = None, person: Any = None, **how: Any) -> Any:
    return worker_process.run(request or Asking(), person or uuid4(), *asked, **how)


def test_it_is_done_in_another_process() -> None:
    async def work() -> None:
        assert await run(os.getpid) != os.getpid()
        with pytest.raises(ZeroDivisionError):
            await run(divmod, 1, 0)

    in_a_loop(work)


def test_a_process_that_had_heavy_work_done_ends() -> None:
    def worker() -> None:
        worker_process._pool.cache_clear()

        async def work() -> None:
            assert await run(divmod, 7, 2) == (3, 1)

        asyncio.run(work())

    # As a worker of several is made.
    process = get_context("fork").Process(target=worker)
    process.start()
    process.join(timeout=30)
    is_over = process.exitcode is not None
    process.kill()
    assert is_over
    assert process.exitcode == 0


def test_a_persons_pieces_are_done_one_after_the_other() -> None:
    person = uuid4()

    async def work() -> None:
        slow = asyncio.create_task(run(time.sleep, 0.3, person=person))
        await asyncio.sleep(0)
        began = time.monotonic()
        await run(os.getpid, person=person)
        assert slow.done()
        assert time.monotonic() - began > 0.2

    in_a_loop(work)


def test_whoever_goes_away_is_not_waited_for() -> None:
    request = Asking()

    async def work() -> None:
        long = asyncio.create_task(run(time.sleep, 600, request=request))
        await asyncio.sleep(0.1)
        request.left = True
        with pytest.raises(HTTPException):
            await long
        assert await run(os.getpid)  # the next one is not kept by it

    in_a_loop(work)


def killed() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def test_a_process_that_is_killed_is_told_and_another_takes_its_place() -> None:
    with pytest.raises(InputError, match="too much"):
        in_a_loop(lambda: run(killed))
    in_a_loop(lambda: run(os.getpid))


def test_what_takes_too_long_or_is_too_much_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(InputError, match="takes too long"):
        in_a_loop(lambda: run(time.sleep, 600, seconds=0.3))
    monkeypatch.setattr(worker_process, "_MOST_WAITING", 0)
    with pytest.raises(InputError, match="in a minute"):
        in_a_loop(lambda: run(os.getpid))
