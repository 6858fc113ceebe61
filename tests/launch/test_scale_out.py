"""Two servers on one database, through a pooler: what one is told the other knows, and either goes on alone."""

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from uuid import UUID

import httpx2
import pytest
from helpers import job, raw_event
from people import client_of, new_visitor
from sqlalchemy import Engine, select, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError

from keeve.data import loads, plans, sessions
from keeve.data.accounts import Visitor
from keeve.launch.postgres import free_port, throwaway
from keeve.launch.system import ROOT, is_root
from keeve.store import models
from keeve.store.database import connect, crew_session, open_session

EVENTS = 60


@contextlib.contextmanager
def pooler(url: str) -> Iterator[str]:
    """PgBouncer before a database, a connection for each transaction; gives the address to use."""
    to = make_url(url)
    folder = Path(tempfile.mkdtemp(prefix="keeve-pooler-"))
    (folder / "users").write_text(f'"{to.username}" "{to.password}"\n')
    port = free_port()
    settings = f"""
[databases]
keeve = host={to.host} port={to.port} dbname={to.database}
[pgbouncer]
listen_addr = 127.0.0.1
listen_port = {port}
unix_socket_dir =
auth_type = scram-sha-256
auth_file = {folder}/users
pool_mode = transaction
default_pool_size = 8
server_lifetime = 2
max_client_conn = 100
"""
    (folder / "pgbouncer.ini").write_text(settings)
    for path in (folder, *folder.iterdir()):
        if is_root():  # it refuses to run as root
            shutil.chown(path, "postgres")
    program = shutil.which("pgbouncer", path=f"{os.environ['PATH']}:/usr/sbin")
    assert program is not None
    user = "postgres" if is_root() else None
    with (
        (folder / "log").open("wb") as log,
        subprocess.Popen([program, str(folder / "pgbouncer.ini")], user=user, stderr=log) as process,
    ):
        try:
            yield (
                to.set(port=port, database="keeve")
                .update_query_dict({"pooler": "transaction"})
                .render_as_string(False)
            )
        finally:
            process.terminate()
    shutil.rmtree(folder)


@pytest.fixture(scope="module")
def pooled() -> Iterator[str]:
    with throwaway() as cluster, pooler(cluster.url) as url:
        yield url


class Server:
    """``./keeve up`` on a database that runs elsewhere."""

    def __init__(self, database: str) -> None:
        environment = {**os.environ, "DATABASE_URL": database, "PYTHONPATH": str(ROOT / "src")}
        command = [sys.executable, "-m", "keeve", "up", "--port", "0", "--workers", "1"]
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)

    def wait(self) -> None:
        """Until it has said where it is."""
        assert self.process.stdout is not None
        self.origin = self.process.stdout.readline().split()[-1]

    def stop(self) -> None:
        self.process.terminate()
        self.process.communicate(timeout=30)


@pytest.fixture(scope="module")
def servers(pooled: str) -> Iterator[list[Server]]:
    """Two, started at once on a database that neither has brought to its schema."""
    started = [Server(pooled), Server(pooled)]
    for server in started:
        server.wait()
    yield started
    for server in started:
        server.stop()


def test_crews_are_apart_through_a_pooler(pooled: str, servers: list[Server]) -> None:
    """Each transaction may get the connection that another crew's has just left, also one that failed."""
    engine = connect(pooled)
    crews = [new_visitor(engine, now=datetime.now(UTC))[0] for _ in range(4)]
    for visitor in crews:
        plans.save_plan(engine, visitor, job(title=visitor.name))

    def looks(number: int) -> None:
        visitor = crews[number % len(crews)]
        with crew_session(engine, visitor.crew_id) as session:
            assert session.scalars(select(models.StoredPlan.title)).all() == [visitor.name]
        with open_session(engine) as session:
            assert session.scalars(select(models.StoredPlan.title)).all() == []
        with pytest.raises(DBAPIError), crew_session(engine, visitor.crew_id) as session:
            session.execute(text("select 1 / 0"))

    with ThreadPoolExecutor(6) as threads:
        list(threads.map(looks, range(120)))
    engine.dispose()


def test_the_limits_of_a_statement_hold_through_a_pooler(pooled: str, servers: list[Server]) -> None:
    engine = connect(pooled)
    # What the pooler opened before the first schema has no limits yet; it goes when its lifetime is over.
    deadline = time.monotonic() + 60
    while (found := limits_of(engine)) != ("8s", "5s"):
        assert time.monotonic() < deadline, found
        time.sleep(0.2)
    # Asked often enough for a statement to be prepared, were it not for the pooler.
    assert all(sessions.visitor(engine, "nobody", datetime.now(UTC)) is None for _ in range(30))
    engine.dispose()


def test_two_servers_share_everything_and_either_goes_on_alone(pooled: str, servers: list[Server]) -> None:
    engine = connect(pooled)
    visitor, token = new_visitor(engine, now=datetime.now(UTC))
    clients = [client_of(visitor, token, server.origin) for server in servers]
    load_id = loads.begin_load(engine, visitor, plans.save_plan(engine, visitor, job()), 1, datetime.now(UTC))
    assert load_id is not None
    # Signed in at the one is signed in at the other; both tell of the same load at once.
    assert all(client.get("/").status_code == 200 for client in clients)
    events = [raw_event("note", at=datetime.now(UTC), text=f"level {number}") for number in range(EVENTS)]

    def tell(number: int) -> None:
        if number == EVENTS // 2:
            servers[0].process.kill()  # in the midst of it, with whatever it was doing
        ways = [clients[number % 2], clients[1]]
        while ways:
            with contextlib.suppress(httpx2.TransportError):
                answer = ways[0].post(f"/bench/{load_id}/events", json=events[number])
                assert answer.status_code == 200, answer.text
                return
            ways = ways[1:]
        raise AssertionError("nobody took it")

    with ThreadPoolExecutor(4) as several:
        list(several.map(tell, range(EVENTS)))
    assert notes_of(engine, visitor, load_id) == sorted(str(event["id"]) for event in events)
    # Signed out at the one that is left, nobody is signed in.
    assert clients[1].post("/sign-out").status_code == 303
    assert clients[1].get("/crew").headers["location"].startswith("/sign-in")
    for client in clients:
        client.close()
    engine.dispose()


def limits_of(engine: Engine) -> tuple[str, str]:
    with engine.connect() as connection:
        names = ("statement_timeout", "lock_timeout")
        statement, lock = (str(connection.scalar(text(f"show {name}"))) for name in names)
        return statement, lock


def notes_of(engine: Engine, visitor: Visitor, load_id: UUID) -> list[str]:
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    return sorted(str(event.id) for event in running.events if event.kind == "note")
