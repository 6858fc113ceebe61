"""``./keeve benchmark``: the bars of speed, as people feel them.

Side by side in one run: a bare page and a bare insert for orientation, and a well-known general-purpose application
that lists 25 rows of a table (Datasette over SQLite, in an environment of its own).
"""

import asyncio
import contextlib
import os
import re
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from random import Random
from statistics import median, quantiles
from typing import Any, NamedTuple
from uuid import UUID, uuid4

import httpx2
from felt import a_browser, in_browser, resident_mb, sent_bytes
from fill import fill_log
from sqlalchemy import Engine
from without_signal import without_signal

from keeve.core.day_plan.day import DayJob, DayPlan, Outcome, Work, play, suits
from keeve.core.day_plan.day_changes import changes
from keeve.core.planning.job import Mixer, Vessel, VolumeNeed
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.vessel_loads import counted_load
from keeve.core.zones import zones
from keeve.data import accounts, loads, plans, sessions
from keeve.data.accounts import Visitor
from keeve.demo import load_demo
from keeve.demo.jobs import BOATHOUSE_SCREED, COPING_BED, MOORING_BLOCKS
from keeve.devices.weather import SimulatedWeather
from keeve.formats.job_file import read_job
from keeve.launch.postgres import as_reader_of_all, free_port, throwaway
from keeve.launch.system import ROOT
from keeve.store.database import connect
from keeve.store.migrate import migrate
from keeve.web.security import masked

HERE = Path(__file__).parent
# Loads in the log; the longer is only listed.
FEW, MANY = 1_000, 1_000_000
ROUNDS = 40
BENCHES, SECONDS = 50, 10
# Loads that are tapped on in a browser.
_TAPPED = 19
# As the pages do.
NEWS_S = 2.0
ROWS = 25


class Person(NamedTuple):
    """Somebody signed in: who, and the headers that carry the session."""

    visitor: Visitor
    headers: dict[str, str]


class Served(NamedTuple):
    """A server on loopback and the process that runs it."""

    origin: str
    process: "subprocess.Popen[str]"


class Row(NamedTuple):
    """One line of the table."""

    what: str
    bar: str
    measured: str
    met: bool


def main() -> int:
    """Measure everything and print the table."""
    with throwaway(durable=True) as cluster:
        engine, owner = connect(cluster.url), connect(as_reader_of_all(cluster.url))
        try:
            rows = _measure(engine, owner, cluster.url)
        finally:
            engine.dispose()
            owner.dispose()
    width = max(len(row.what) for row in rows)
    for row in rows:
        print(f"{row.what:<{width}}  {row.bar:<26}  {row.measured:<44}  {'met' if row.met else 'NOT MET'}")
    return 0 if all(row.met for row in rows) else 1


def _measure(engine: Engine, owner: Engine, url: str) -> list[Row]:
    migrate(engine)
    load_demo(engine, datetime.now(UTC))
    print("filling the logs ...", file=sys.stderr, flush=True)
    few, many = person(engine), person(engine)
    fill_log(owner, few.visitor.crew_id, few.visitor.account_id, FEW)
    fill_log(owner, many.visitor.crew_id, many.visitor.account_id, MANY, only_listed=True)
    mixer = person(engine)
    load_ids = _begun(engine, mixer.visitor, BENCHES)
    rows = [_core_plan(), _counting(), _day_plan()]
    with (
        _keeve(url) as app,
        by_uvicorn("bare:app", DATABASE_URL=url) as bare,
        _datasette() as general,
    ):
        rows.append(_start(url))
        paths = {
            "Today": ("/", few),
            "Plan": ("/plan", few),
            "Bench": (f"/bench/{load_ids[0]}", mixer),
            "Log": ("/log", few),
            "Charts": ("/log/charts", few),
            "Jobs": ("/jobs", few),
            "Day": ("/day", few),
        }
        rows += _pages(app, bare, general, paths, few)
        rows += [_flat(app, name, path, few, many) for name, path in _FLAT.items()]
        rows.append(_replan(app, few))
        rows.append(_history(app, person(engine)))
        rows.append(_weight(app, few))
        with a_browser() as chromium:
            rows += in_browser(chromium, app.origin, paths, mixer.headers, load_ids[1:3])
            rows += without_signal(chromium, app.origin, mixer.headers, load_ids[3:_TAPPED])
        bare_ms = _bare_insert(bare, mixer)
    with _keeve(url, workers=2) as app:
        rows += _events(app.origin, mixer, load_ids, bare_ms)
        rows.append(_sustained(app.origin, mixer, load_ids))
        rows.append(_memory(app))
    return [Row(*row) for row in rows]


@contextlib.contextmanager
def _datasette() -> Iterator[Served]:
    """Datasette over a table of a thousand rows, of which it lists 25."""
    port = free_port()
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "bench.db"
        with sqlite3.connect(file) as table:
            table.execute("create table load (id text primary key, number integer, begun_at text)")
            table.executemany(
                "insert into load values (?, ?, ?)",
                [(str(uuid4()), number, datetime.now(UTC).isoformat()) for number in range(1000)],
            )
        command = [ROOT / ".venv/benchmark/bin/datasette", file, "--port", str(port)]
        command += ["--setting", "default_page_size", str(ROWS)]
        with subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, text=True
        ) as process:
            served = Served(f"http://127.0.0.1:{port}", process)
            try:
                _until_up(served.origin)
                yield served
            finally:
                process.terminate()


def person(engine: Engine) -> Person:
    """Somebody with a crew of their own."""
    name = f"bench-{uuid4().hex[:8]}"
    crew_id = accounts.add_crew(engine, name)
    password = uuid4().hex
    accounts.add_account(engine, crew_id, sign_in_name=name, name=name, password=password)
    now = datetime.now(UTC)
    token = sessions.sign_in(engine, sign_in_name=name, password=password, address=name, now=now)
    visitor = sessions.visitor(engine, token, now)
    if visitor is None:
        raise RuntimeError("the bench's person cannot sign in")
    return Person(visitor, {"Cookie": f"__Host-keeve={token}", "X-Form-Token": masked(visitor.form_token)})


def _begun(engine: Engine, visitor: Visitor, wanted: int) -> list[UUID]:
    """Loads begun, for as many benches."""
    found = []
    while len(found) < wanted:
        plan_id = plans.save_plan(engine, visitor, read_job(COPING_BED))
        for number in (1, 2, 3, 4):
            load_id = loads.begin_load(engine, visitor, plan_id, number, datetime.now(UTC))
            if load_id is not None:
                found.append(load_id)
    return found[:wanted]


@contextlib.contextmanager
def _keeve(url: str, workers: int = 1) -> Iterator[Served]:
    """Keeve as ``./keeve up`` serves it, from when it has said its address."""
    command = [sys.executable, "-m", "keeve", "up", "--port", "0", "--workers", str(workers)]
    environment = {**os.environ, "DATABASE_URL": url}
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as process:
        if process.stdout is None:
            raise RuntimeError("nothing to read the address from")
        served = Served(process.stdout.readline().split()[-1], process)
        try:
            _until_up(served.origin)
            yield served
        finally:
            process.terminate()
            process.communicate()  # what it still says when it stops


@contextlib.contextmanager
def by_uvicorn(app: str, *options: str, **environment: str) -> Iterator[Served]:
    """An application of this folder, served as it is."""
    port = free_port()
    command = [sys.executable, "-m", "uvicorn", app, "--port", str(port), "--log-level", "warning", *options]
    with subprocess.Popen(command, cwd=HERE, env={**os.environ, **environment}, text=True) as process:
        served = Served(f"http://127.0.0.1:{port}", process)
        try:
            _until_up(served.origin)
            yield served
        finally:
            process.terminate()


def _until_up(origin: str) -> None:
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        with contextlib.suppress(httpx2.TransportError):
            httpx2.get(f"{origin}/static/favicon.svg")
            return
        time.sleep(0.01)
    raise RuntimeError(f"{origin} did not start")


def _start(url: str) -> Row:
    """From the command to the first answer, on a database server that runs already."""
    taken = []
    for _ in range(3):
        began = time.perf_counter()
        with _keeve(url):
            taken.append(time.perf_counter() - began)
    return Row("app start", "under 2 s", f"{median(taken):.2f} s", median(taken) < 2)


def _core_plan() -> Row:
    job = read_job(COPING_BED)
    times = _times(lambda: make_plan(job), 300)
    return Row("core plan", "under 3 ms", f"p50 {times[0]:.2f} ms, p95 {times[1]:.2f} ms", times[1] < 3)


def _counting() -> Row:
    """Counting a load out, from 0.1 L to a truck's 10 m3, in vessels of half a litre to 40 L."""
    job, chance = read_job(COPING_BED), Random(1)
    times = []
    for _ in range(300):
        volume_m3, bucket_l = 10 ** chance.uniform(-4, 1), chance.choice([0.5, 1, 3, 5, 10, 12, 19, 40])
        changes = {
            "need": [VolumeNeed(volume_m3=volume_m3)],
            "mixer": Mixer(kind=job.mixer.kind, working_l=volume_m3 * 1000),
            "vessels": [Vessel(name="bucket", volume_l=bucket_l)],
            "gauge": "weight",
        }
        plan = make_plan(job.model_copy(update=changes))
        begun = time.perf_counter()
        counted_load(plan, plan.loads[0], "volume")
        times.append((time.perf_counter() - begun) * 1000)
    p95 = quantiles(times, n=20)[-1]
    return Row(
        "counting a load out", "p95 under 5 ms", f"p50 {median(times):.2f} ms, p95 {p95:.2f} ms", p95 < 5
    )


def _day_plan() -> Row:
    """Sixty loads of three jobs in two mixers: planned by the weather; and with every change tried that would help."""
    plans = [make_plan(read_job(job)) for job in (BOATHOUSE_SCREED, MOORING_BLOCKS, COPING_BED)]
    works = []
    for plan in plans:
        loads = [plan.loads[0].numbered(number) for number in range(1, 21)]
        works.append(Work(plan.model_copy(update={"loads": loads}), (5.0, 30.0), ("lay floor",)))
    jobs = [
        DayJob(plan_id=str(uuid4()), first_load=1, loads=20, begins_min=450, mixers=[1, 2], placing_m3_h=0.2)
        for _ in works
    ]
    day = DayPlan(jobs=jobs, hands=4)
    place = zones()["Europe/London"]
    hours = SimulatedWeather().hours(place, datetime(2026, 5, 4, tzinfo=UTC), 96)
    air = [hour.air for hour in hours]

    def planned() -> Outcome:
        return play(day, works, suits(day, works, air))

    plain, tried = _times(planned, 30), _times(lambda: changes(day, works, planned()), 30)
    told = f"p50 {plain[0]:.0f} ms, p95 {plain[1]:.0f} ms; every change tried, p50 {tried[0]:.0f} ms"
    return Row("day of 60 loads", "under 100 ms", told, plain[1] < 100)


def _times(act: Callable[[], Any], rounds: int = ROUNDS) -> tuple[float, float]:
    """p50 and p95 of an act, in ms, after a few that do not count."""
    for _ in range(5):
        act()
    taken = []
    for _ in range(rounds):
        began = time.perf_counter()
        act()
        taken.append((time.perf_counter() - began) * 1000)
    return median(taken), quantiles(taken, n=20)[-1]


def _get(origin: str, path: str, who: Person) -> Callable[[], Any]:
    client = httpx2.Client(base_url=origin, headers=who.headers)

    def ask() -> None:
        answer = client.get(path)
        if answer.status_code != 200:
            raise RuntimeError(f"{path} answered {answer.status_code}")

    return ask


def _pages(
    app: Served, bare: Served, general: Served, paths: dict[str, tuple[str, Person]], filled: Person
) -> list[Row]:
    """Each main page, against half of a general application's page of 25 rows; a bare page for orientation."""
    rows = []
    bare_ms = _times(_get(bare.origin, f"/?crew={filled.visitor.crew_id}", filled))[0]
    for name, (path, who) in paths.items():
        # One after the other, so that a slow minute of the machine is in both.
        general_ms = _times(_get(general.origin, "/bench/load", who))[0]
        ours_ms = _times(_get(app.origin, path, who))[0]
        measured = (
            f"p50 {ours_ms:.1f} ms to {general_ms:.1f} ms, {ours_ms / general_ms:.2f}×; bare {bare_ms:.1f} ms"
        )
        rows.append(Row(f"page {name}", "half of Datasette's page", measured, ours_ms <= general_ms / 2))
    return rows


def _bare_insert(bare: Served, mixer: Person) -> float:
    """p95 of a bare durable insert, ms."""
    plain = httpx2.Client(base_url=bare.origin)
    return _times(lambda: plain.post(f"/?crew={mixer.visitor.crew_id}"))[1]


def _event(device: str, sequence: int, kind: str, **what: Any) -> dict[str, Any]:
    own = {"id": str(uuid4()), "device_id": device, "device_seq": sequence, "schema": 1}
    return {"kind": kind, **own, "occurred_at": datetime.now(UTC).isoformat(), **what}


# What a long history must not make slower.
_FLAT = {
    "Log": "/log",
    "Charts": "/log/charts",
    "a rare word": "/log?words=sluice",
    "a common word": "/log?words=rained",
    "mix, state, word": "/log?mix=mortar-bricklaying&state=thrown-away&words=rained",
}


def _flat(app: Served, name: str, path: str, few: Person, many: Person) -> Row:
    short, long = (_times(_get(app.origin, path, who))[0] for who in (few, many))
    measured = f"{short:.1f} ms at {FEW:,} loads, {long:.1f} ms at {MANY:,}"
    # A few ms are the machine's.
    return Row(
        f"{name} over the years, p50", "flat within 1.5×", measured, long <= max(1.5 * short, short + 5)
    )


# Rows of a crew's own history.
_HISTORY = 10_000


def _history(app: Served, who: Person) -> Row:
    """A table of a crew's own history: chosen, looked at, taken in."""
    lines = ["Date;Job;Load;Mix;Water (L);w/c;Judged;Who"]
    lines += [
        f"{date(2019, 3, 1) + timedelta(days=row // 8)};Quay {row // 60};{row % 60};Concrete;"
        f"{11 + row % 3},4;0.59;right;Fill"
        for row in range(_HISTORY)
    ]
    file = {"table": ("history.csv", "\n".join(lines).encode(), "text/csv")}
    client = httpx2.Client(base_url=app.origin, headers=who.headers, timeout=60)
    began = time.perf_counter()
    there = client.post("/log/import", files=file).headers["location"]
    client.get(there).raise_for_status()
    looked = time.perf_counter()
    columns = ("begun_at", "job", "number", "mix_name", "water_l", "ratio", "reading", "judged_by")
    said = {f"column.{place}": name for place, name in enumerate(columns)} | {"unit.4": "L", "order": "year"}
    answer = client.post(f"{there}/take", data=said, headers={"Accept": "application/jsonl"})
    taken = time.perf_counter()
    if f'"done": {_HISTORY}' not in answer.text:
        raise RuntimeError(f"the history was answered {answer.status_code}: {answer.text[-200:]}")
    measured = f"{looked - began:.1f} s until looked at, {taken - looked:.1f} s to take it in"
    return Row(f"history of {_HISTORY:,} rows", "under 10 s", measured, taken - began < 10)


def _replan(app: Served, who: Person) -> Row:
    client = httpx2.Client(base_url=app.origin, headers={**who.headers, "Accept": "application/json"})
    sizes = {"need.0.length_m": "16.3", "need.0.width_m": "0.5", "need.0.thickness_m": "400"}
    form = {"mix": MOORING_BLOCKS["mix"], **sizes}

    def ask() -> None:
        if client.post("/plan/preview", data=form).json()["errors"]:
            raise RuntimeError("the bench's job does not plan")

    times = _times(ask)
    return Row(
        "live re-plan of 40 loads",
        "under 30 ms",
        f"p50 {times[0]:.1f} ms, p95 {times[1]:.1f} ms",
        times[1] < 30,
    )


def _weight(app: Served, who: Person) -> Row:
    """The weight of a first visit to the plan page over the wire, everything it links to included."""
    client = httpx2.Client(base_url=app.origin, headers={**who.headers, "Accept-Encoding": "gzip"})
    html = client.get("/plan").text
    links = sorted(set(re.findall(r'(?:href|src)="(/static/[^"]+)"', html)))
    total = sum(sent_bytes(client, path) for path in ["/plan", *links])
    return Row(
        "first view", "under 160 kB", f"{total / 1000:.0f} kB in {len(links) + 1} requests", total < 160_000
    )


# Kept, without the page that follows: that is what a tap on the bench is measured with.
_ONLY_KEPT = {"Prefer": "return=minimal"}


def _events(origin: str, mixer: Person, load_ids: list[UUID], bare_ms: float) -> list[Row]:
    """Benches that are tapped on, each of which looks for what others told meanwhile."""

    async def all_at_once() -> tuple[list[float], list[float]]:
        return await asyncio.gather(_bench_crew(origin, mixer, load_ids), _watchers(origin, mixer))

    taken, looked = asyncio.run(all_at_once())
    p50, p95 = median(taken), quantiles(taken, n=20)[-1]
    what = f"event to durable, {BENCHES} benches, 1/s, 2 workers"
    measured = f"p50 {p50:.1f} ms, p95 {p95:.1f} ms; a bare insert p95 {bare_ms:.1f} ms"
    news_p95 = quantiles(looked, n=20)[-1]
    return [
        Row(what, "5× a bare durable insert", measured, p95 <= 5 * bare_ms),
        Row(
            f"{BENCHES} benches look for news, each every {NEWS_S:.0f} s",
            "told within 2 s",
            f"p50 {median(looked):.1f} ms, p95 {news_p95:.1f} ms",
            news_p95 < 1000,
        ),
    ]


async def _watchers(origin: str, mixer: Person) -> list[float]:
    """How long each look for news took, ms, as long as the benches are tapped on."""
    limits = httpx2.Limits(max_connections=BENCHES, max_keepalive_connections=BENCHES)
    async with httpx2.AsyncClient(base_url=origin, headers=mixer.headers, limits=limits) as client:

        async def one(number: int) -> list[float]:
            await asyncio.sleep(number / BENCHES * NEWS_S)
            taken = []
            for _ in range(int(SECONDS / NEWS_S)):
                began = time.perf_counter()
                (await client.get("/bench/news")).raise_for_status()
                taken.append((time.perf_counter() - began) * 1000)
                await asyncio.sleep(max(NEWS_S - taken[-1] / 1000, 0))
            return taken

        found = await asyncio.gather(*map(one, range(BENCHES)))
    return [each for taken in found for each in taken]


async def _bench_crew(
    origin: str, mixer: Person, load_ids: list[UUID], device: str = "", pause_s: float = 1.0
) -> list[float]:
    limits = httpx2.Limits(max_connections=BENCHES, max_keepalive_connections=BENCHES)
    async with httpx2.AsyncClient(base_url=origin, headers=mixer.headers, limits=limits) as client:
        taken = await asyncio.gather(
            *(_one_bench(client, *pair, device, pause_s) for pair in enumerate(load_ids))
        )
    return [item for each in taken for item in each]


async def _one_bench(
    client: httpx2.AsyncClient, number: int, load_id: UUID, device: str, pause_s: float
) -> list[float]:
    """An event each pause, begun at its own moment of it; the first two are warm-up."""
    await asyncio.sleep(number / BENCHES * pause_s)
    taken = []
    for sequence in range(SECONDS + 2):
        event = _event(f"{device}{number}", sequence, "note", text="level")
        began = time.perf_counter()
        answer = await client.post(f"/bench/{load_id}/events", json=event, headers=_ONLY_KEPT)
        spent = time.perf_counter() - began
        if answer.status_code != 204:
            raise RuntimeError(f"an event was answered {answer.status_code}: {answer.text[:200]}")
        if sequence >= 2:
            taken.append(spent * 1000)
        await asyncio.sleep(max(pause_s - spent, 0))
    return taken


def _sustained(origin: str, mixer: Person, load_ids: list[UUID]) -> Row:
    """How many events a second are taken when the benches tell them as fast as they are answered."""
    began = time.perf_counter()
    taken = asyncio.run(_bench_crew(origin, mixer, load_ids, "sustained", pause_s=0.0))
    a_second = len(taken) / (time.perf_counter() - began)
    return Row("events sustained, 2 workers", "100 a second", f"{a_second:.0f} a second", a_second >= 100)


def _memory(app: Served) -> Row:
    """The largest worker after its work: the children of the process that was started."""
    children = Path(f"/proc/{app.process.pid}/task/{app.process.pid}/children").read_text().split()
    most_mb = max(resident_mb(int(process)) for process in children)
    return Row("memory a worker", "under 150 MB", f"{most_mb:.0f} MB", most_mb < 150)


if __name__ == "__main__":
    sys.exit(main())
