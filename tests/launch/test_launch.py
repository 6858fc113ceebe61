"""Starting: refusals in one sentence, and a whole start and stop of the command itself."""

import os
import re
import signal
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine

from keeve.data import accounts
from keeve.demo import PASSWORD, SIGN_IN_NAME
from keeve.launch import up as launching
from keeve.launch.postgres import Cluster, throwaway
from keeve.launch.system import ROOT, LaunchError, install
from keeve.launch.up import prepare, up
from keeve.store.database import connect
from keeve.store.migrate import migrate


@pytest.mark.parametrize(
    ("host", "files", "said"),
    [
        ("0.0.0.0", (None, None), "add --cert and --key"),
        ("here", (None, None), "isn't an address"),
        ("127.0.0.1", (Path("/nowhere.pem"), None), "no file /nowhere.pem"),
        ("127.0.0.1", (Path(__file__), Path(__file__)), "don't match as certificate and key"),
        ("127.0.0.1", (Path(__file__), None), "--cert and --key together"),
    ],
)
def test_addresses_that_will_not_do(
    host: str, files: tuple[Path | None, Path | None], said: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert up(host=host, port=0, certificate=files[0], key=files[1]) == 1
    assert said in capsys.readouterr().err


def test_a_port_that_is_taken(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(launching, "_TRIES", 1)
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
        assert up(host="127.0.0.1", port=port, certificate=None, key=None) == 1
    assert f"Port {port} on 127.0.0.1 is in use" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("options", "data", "said"),
    [
        ({"port": 70_000}, "", "There is no port 70000"),
        ({"workers": 0}, "", "Use --workers from 1 to"),
        ({"workers": 999}, "", "Use --workers from 1 to"),
        ({}, "/proc/nowhere", "/proc/nowhere: "),
        ({}, "/dev/null/data", "/dev/null/data: Not a directory. Fix that"),
    ],
)
def test_a_start_that_cannot_be_is_one_sentence(
    options: dict[str, int],
    data: str,
    said: str,
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.delenv("DATABASE_URL", raising=False)
    if data:
        monkeypatch.setenv("KEEVE_DATA", data)
    assert up(**{"host": "127.0.0.1", "port": 0, "certificate": None, "key": None, **options}) == 1  # type: ignore[arg-type]
    told = capsys.readouterr().err
    assert said in told
    assert told.count("\n") == 1


def test_a_package_that_may_not_be_installed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("shutil.which", lambda name: None)
    with pytest.raises(LaunchError, match="apt-get install postgresql"):
        install("postgresql", "The PostgreSQL server")


@pytest.fixture(scope="module")
def own_database() -> Iterator[str]:
    with throwaway() as cluster:
        yield cluster.url.replace("postgresql+psycopg", "postgres")


def started(database: str, host: str) -> "subprocess.Popen[str]":
    environment = {**os.environ, "DATABASE_URL": database, "PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-m", "keeve", "up", "--port", "0", "--host", host]
    return subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)


@pytest.mark.parametrize(("host", "shown"), [("127.0.0.1", "127.0.0.1"), ("::1", "[::1]")])
def test_up_serves_with_its_demo_and_stops_what_it_started(own_database: str, host: str, shown: str) -> None:
    """Started as a person would, on a database of its own, stopped by Ctrl-C."""
    with started(own_database, host) as up:
        assert up.stdout is not None
        first = up.stdout.readline()
        found = re.search(rf"http://{re.escape(shown)}:\d+", first)
        assert found, first
        assert "Demo sign-in: name wren" in up.stdout.readline()
        with urllib.request.urlopen(f"{found[0]}/sign-in") as answer:
            assert b"Sign in" in answer.read()
        up.send_signal(signal.SIGINT)
        assert up.wait(timeout=20) == 0


def test_it_is_stopped_as_soon_as_it_says_where_it_is(own_database: str) -> None:
    """While what was read in is put aside a Ctrl-C was lost: it was raised where nobody could hear it."""
    for _ in range(2):
        with started(own_database, "127.0.0.1") as up:
            assert up.stdout is not None
            assert "Keeve is at" in up.stdout.readline()
            up.send_signal(signal.SIGINT)
            assert up.wait(timeout=20) == 0


def test_who_may_sign_in_where_others_reach_it(quick_passwords: None) -> None:
    with throwaway() as cluster:
        # First on another address: nobody knows a password but who started it.
        said = prepare(cluster.url, is_local=False)
        found = re.fullmatch(r"First account: name lead, password (\S+)\. Sign in.*", said)
        assert found
        own = connect(cluster.url)
        assert accounts.has_password(own, "lead", found[1])
        assert not accounts.has_account(own, SIGN_IN_NAME)
        assert prepare(cluster.url, is_local=False) == "Sign in with your account."
        # The demo is there on this machine, with its known password; elsewhere that opens nothing.
        assert prepare(cluster.url).endswith(f"name {SIGN_IN_NAME}, password {PASSWORD}")
        assert accounts.has_password(own, SIGN_IN_NAME, PASSWORD)
        prepare(cluster.url, is_local=False)
        assert not accounts.has_password(own, SIGN_IN_NAME, PASSWORD)
        asked = prepare(cluster.url, is_local=False, with_demo=True).split()[-1]
        assert asked != PASSWORD
        assert accounts.has_password(own, SIGN_IN_NAME, asked)
        prepare(cluster.url)
        assert accounts.has_password(own, SIGN_IN_NAME, PASSWORD)
        own.dispose()


def test_a_cluster_keeps_its_data_and_migrates_again(tmp_path_factory: pytest.TempPathFactory) -> None:
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        migrate(engine)
        with engine.begin() as connection:
            connection.exec_driver_sql("insert into crew (id, name) values (gen_random_uuid(), 'Kept')")
        engine.dispose()
        cluster.stop()
        again = Cluster(cluster.folder, durable=False)
        again.start()
        engine = connect(again.url)
        with engine.connect() as connection:
            assert connection.exec_driver_sql("select name from crew").scalar() == "Kept"
        engine.dispose()
        again.stop()


def test_models_and_migrations_agree(engine: Engine) -> None:
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from keeve.store.models import Base

    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
