"""Who waits for whom: what is read in behind the pages waits until nobody asks."""

import time
from concurrent.futures import ThreadPoolExecutor

import anyio

from keeve.web.turns import in_turn, quiet


def test_it_is_quiet_once_nobody_has_asked_for_so_long() -> None:
    asked_at: list[float] = []

    async def ask_a_few_times() -> None:
        for _ in range(5):
            asked_at.append(time.monotonic())
            await in_turn(lambda: None)
            await anyio.sleep(0.04)

    async def waited_since() -> float:
        async with anyio.create_task_group() as tasks:
            tasks.start_soon(ask_a_few_times)
            await quiet(0.1)
            return time.monotonic() - asked_at[-1]

    with ThreadPoolExecutor(1) as elsewhere:  # the browser of other tests has a loop in this thread
        assert elsewhere.submit(anyio.run, waited_since).result() >= 0.1
