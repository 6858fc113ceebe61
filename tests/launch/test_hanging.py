"""A database that hangs holds up nothing that needs none, everything else says so, and what was sent arrives once."""

import contextlib
import os
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest
from helpers import NOON, job, raw_event
from sqlalchemy import text
from web.conftest import Client, Clock

from keeve.data import loads, plans
from keeve.data.database import DatabaseDown
from keeve.launch.postgres import Cluster, throwaway
from keeve.store.database import connect
from keeve.store.migrate import migrate
from keeve.web import timeouts


def processes(cluster: Cluster) -> list[int]:
    """The server and everything that works for it."""
    server = (cluster.folder / "postgres" / "postmaster.pid").read_text().split()[0]
    found = [int(server)]
    for status in Path("/proc").glob("[0-9]*/status"):
        with contextlib.suppress(OSError):
            if f"\nPPid:\t{server}\n" in status.read_text():
                found.append(int(status.parent.name))
    return found


@contextlib.contextmanager
def hanging(cluster: Cluster) -> Iterator[None]:
    held = processes(cluster)
    for pid in held:
        os.kill(pid, signal.SIGSTOP)
    try:
        yield
    finally:
        for pid in held:
            os.kill(pid, signal.SIGCONT)


def test_a_database_that_hangs(monkeypatch: pytest.MonkeyPatch) -> None:
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        # One loop for all of it: a thread that hangs ends in the loop it was begun in.
        with Client(engine, Clock()) as client:
            load_id = loads.begin_load(
                engine, client.visitor, plans.save_plan(engine, client.visitor, job()), 1, NOON
            )
            events, event = f"/bench/{load_id}/events", raw_event("accepted")
            assert client.get("/").status_code == 200
            monkeypatch.setattr(timeouts, "MOST_SECONDS", 0.5)
            with hanging(cluster):
                assert client.get("/static/keeve.css").status_code == 200
                assert "Password" in client.get("/sign-in").text
                for answer in (
                    client.get("/"),
                    client.get(f"/bench/{load_id}"),
                    client.post(events, json=event),
                ):
                    assert answer.status_code == 503
                    assert "reach its database" in answer.text
                    assert answer.headers["refresh"]
            monkeypatch.setattr(timeouts, "MOST_SECONDS", 30)
            assert client.post(events, json=event).status_code == 200
            assert client.post(events, json=event).status_code == 200
            running = loads.running_load(engine, client.visitor, load_id) if load_id else None
            assert running is not None
            assert [one.kind for one in running.events].count("accepted") == 1
        engine.dispose()


def test_a_statement_and_a_wait_for_a_lock_end() -> None:
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        engine.dispose()
        for statement, held in (("select pg_sleep(600)", None), ("lock table crew", "lock table crew")):
            with engine.connect() as first, engine.connect() as second:
                first.execute(text("set local statement_timeout = '200ms'"))
                first.execute(text("set local lock_timeout = '100ms'"))
                if held:
                    second.execute(text(held))
                with pytest.raises(DatabaseDown):
                    first.execute(text(statement))
        with engine.connect() as connection:
            limits = [
                connection.scalar(text(f"show {name}")) for name in ("statement_timeout", "lock_timeout")
            ]
        assert limits == ["8s", "5s"]
        engine.dispose()
