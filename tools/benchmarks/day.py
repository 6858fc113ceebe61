"""``./keeve benchmark --day``: fifty benches for a day of eight hours, sixty times as fast as real.

Each bench begins load after load and does what it is offered, as a person would: it waits where a step takes its time,
and for a while between taps. At the end everything that was acknowledged is there, once, and nothing else.
"""

import asyncio
import random
import sys
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from statistics import median, quantiles
from typing import Any
from uuid import UUID, uuid4

import httpx2
from fast_clock import BEGAN, TIMES, clock_from
from run import Person, by_uvicorn, person
from sqlalchemy import Engine, text

from keeve.data import loads, plans
from keeve.demo.jobs import COPING_BED
from keeve.formats.job_file import read_job
from keeve.launch.postgres import throwaway
from keeve.store.database import connect, crew_session
from keeve.store.migrate import migrate

BENCHES, HOURS, WORKERS = 50, 8, 2
# What is done where it is offered, the first of these before the others.
_WORK = (
    "accept", "charge step", "add_water step", "admix step", "rest step", "mix step", "judge", "place", "mix", "clean",
)  # fmt: skip
_BETWEEN_TAPS_S = (20.0, 90.0)  # of the day that is played


def main() -> int:
    """Play the day, and say how it went."""
    with throwaway(durable=True) as cluster:
        engine = connect(cluster.url)
        try:
            migrate(engine)
            return _play(engine, cluster.url)
        finally:
            engine.dispose()


def _play(engine: Engine, url: str) -> int:
    began = datetime.now(UTC)
    someone = person(engine)
    options = ("--factory", "--workers", str(WORKERS), "--timeout-keep-alive", "75")
    environment = {"DATABASE_URL": url, BEGAN: began.isoformat()}
    with by_uvicorn("fast_clock:make_app", *options, **environment) as served:
        day = _Day(engine, someone, clock_from(began), served.origin)
        asyncio.run(day.play())
    return day.told()


class _Day:
    """A day: who works, what was acknowledged, how long it took."""

    def __init__(self, engine: Engine, someone: Person, now: Callable[[], datetime], origin: str) -> None:
        self.engine, self.someone, self.now = engine, someone, now
        limits = httpx2.Limits(max_connections=BENCHES, max_keepalive_connections=BENCHES)
        self.client = httpx2.AsyncClient(base_url=origin, headers=someone.headers, limits=limits, timeout=30)
        self.acknowledged: list[str] = []
        self.taken_ms: list[float] = []
        self.refused = self.broken = 0

    async def play(self) -> None:
        """Every bench works until the day is over."""
        over = time.monotonic() + HOURS * 3600 / TIMES
        await asyncio.gather(*(self._bench(number, over) for number in range(BENCHES)))
        await self.client.aclose()

    async def _bench(self, number: int, over: float) -> None:
        chance = random.Random(number)
        await asyncio.sleep(chance.uniform(0, 1))
        while time.monotonic() < over:
            for load_id in await asyncio.to_thread(self._begin_loads):
                await self._work(load_id, str(number), chance, over)

    def _begin_loads(self) -> list[UUID]:

        plan_id = plans.save_plan(self.engine, self.someone.visitor, read_job(COPING_BED))
        begun = (
            loads.begin_load(self.engine, self.someone.visitor, plan_id, each, self.now()) for each in (1, 2)
        )
        return [load_id for load_id in begun if load_id]

    async def _work(self, load_id: UUID, device: str, chance: random.Random, over: float) -> None:
        """One load from its checks until its mixer is clean."""
        for sequence in range(60):
            answer = await self._asked("GET", f"/bench/{load_id}/offers")
            option = _next(answer.json()["offers"])
            if option is None or time.monotonic() >= over:
                return
            ready_at = datetime.fromisoformat(option["ready_at"]) if option["ready_at"] else self.now()
            pause = timedelta(seconds=chance.uniform(*_BETWEEN_TAPS_S))
            await asyncio.sleep(max(ready_at - self.now(), pause).total_seconds() / TIMES)
            await self._tap(load_id, _event(option, device, sequence, self.now()))

    async def _tap(self, load_id: UUID, event: dict[str, Any]) -> None:
        began = time.perf_counter()
        answer = await self._asked("POST", f"/bench/{load_id}/events", event)
        self.taken_ms.append((time.perf_counter() - began) * 1000)
        if answer.status_code == 422:
            self.refused += 1
            return
        self.acknowledged.append(event["id"])

    async def _asked(self, method: str, path: str, event: dict[str, Any] | None = None) -> httpx2.Response:
        """The answer; asked again where the line broke, as the bench does."""
        while True:
            try:
                answer = await self.client.request(method, path, json=event)
            except httpx2.TransportError:
                self.broken += 1
                continue
            if answer.status_code != 422:
                answer.raise_for_status()
            return answer

    def told(self) -> int:
        """How it went; 0 where everything acknowledged is there once, and nothing but what the server adds itself."""
        with crew_session(self.engine, self.someone.visitor.crew_id) as connection:
            kept = connection.scalars(
                text("select id from event where content ->> 'device_id' <> 'keeve'")
            ).all()
            done = connection.scalar(text("select count(distinct load_id) from event where kind = 'cleaned'"))
        is_whole = sorted(map(str, kept)) == sorted(self.acknowledged)
        p50, p95 = median(self.taken_ms), quantiles(self.taken_ms, n=20)[-1]
        print(
            f"{BENCHES} benches, {HOURS} h in {HOURS} min: {done} loads from the checks to the clean mixer, "
            f"{len(self.acknowledged)} steps, p50 {p50:.1f} ms, p95 {p95:.1f} ms, "
            f"{self.refused} refused, {self.broken} asked again"
        )
        print("everything acknowledged is there once" if is_whole else "LOST OR DOUBLED")
        return 0 if is_whole else 1


def _next(options: list[dict[str, Any]]) -> dict[str, Any] | None:
    """The next act of a person."""
    for what in _WORK:
        for option in options:
            of_step = " step" if option["target"].isdigit() else ""
            fits = f"{option['action']}{of_step}" == what and option["why_not"] is None
            if fits and (what != "judge" or option["event"].get("reading") == "right"):
                return option
    return None


def _event(option: dict[str, Any], device: str, sequence: int, at: datetime) -> dict[str, Any]:
    event: dict[str, Any] = {**option["event"], "id": str(uuid4()), "device_id": device, "schema": 1}
    for amount in option["amounts"]:
        if amount["needed"]:
            group, _, name = amount["name"].rpartition(".")
            (event.setdefault(group, {}) if group else event)[name] = amount["default"]
    return {**event, "device_seq": sequence, "occurred_at": at.isoformat()}


if __name__ == "__main__":
    sys.exit(main())
