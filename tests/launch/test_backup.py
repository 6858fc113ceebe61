"""Backup and restore on the filled demo, and data from a newer version."""

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path

import pytest
from helpers import NOON
from sqlalchemy import Engine, text

from keeve.cli import main
from keeve.demo import enter, load_demo
from keeve.launch.backup import keep_tonights, restore, until_night
from keeve.launch.postgres import Cluster, throwaway
from keeve.launch.system import ROOT
from keeve.launch.up import up
from keeve.store.database import connect
from keeve.store.migrate import migrate, newest_version

COUNTS = (
    "select (select count(*) from event), (select count(*) from plan), (select count(*) from mix_version), "
    "(select count(*) from account)"
)


# What is kept: all but the version of the schema.
EVERY = "schemaname = 'public' and tablename <> 'alembic_version'"


@pytest.fixture(scope="module")
def with_demo() -> Iterator[Path]:
    """The folder of a cluster with the demo in it, shut down: each test works on a copy."""
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        load_demo(engine, NOON)
        engine.dispose()
        cluster.stop()
        yield cluster.folder


@pytest.fixture
def cluster(with_demo: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Cluster]:
    with throwaway(like=with_demo) as cluster:
        monkeypatch.setenv("DATABASE_URL", cluster.url)
        monkeypatch.setenv("KEEVE_BACKUP_URL", of_owner(cluster.url))
        monkeypatch.setenv("KEEVE_DATA", str(cluster.folder / "data"))
        yield cluster


def of_owner(url: str) -> str:
    """The address of the owner of the cluster, who sees every crew's rows."""
    return url.replace("keeve_app:", "keeve:")


@pytest.fixture
def filled(cluster: Cluster) -> Iterator[Engine]:
    engine = connect(of_owner(cluster.url))
    yield engine
    engine.dispose()


def counts(engine: Engine) -> tuple[int, ...]:
    with engine.connect() as connection:
        return tuple(connection.execute(text(COUNTS)).one())


def test_everything_comes_back(filled: Engine, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    before = counts(filled)
    file = tmp_path / "keeve.backup"
    assert main(["backup", str(file)]) == 0
    assert main(["backup", str(file)]) == 1
    assert "already exists" in capsys.readouterr().err
    with filled.begin() as connection:
        tables = connection.execute(
            text("select string_agg(tablename, ', ') from pg_tables where " + EVERY)
        ).scalar()
        connection.execute(text(f"truncate {tables}"))
    assert counts(filled) == (0, 0, 0, 0)
    filled.dispose()
    assert main(["restore", str(file)]) == 0
    assert counts(filled) == before
    # The rows are guarded again, and the schema is known.
    with pytest.raises(Exception, match="never changed or removed"), filled.begin() as connection:
        connection.execute(text("delete from event"))
    migrate(filled)


def test_a_backup_is_its_owners_and_is_verified(
    filled: Engine, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "keeve.backup"
    assert main(["backup", str(file)]) == 0
    assert file.stat().st_mode & 0o777 == 0o600
    capsys.readouterr()
    before = counts(filled)
    assert main(["verify", str(file)]) == 0
    said = capsys.readouterr().out
    assert f"{before[3]} accounts, {before[1]} plans" in said
    assert f"{before[0]} events" in said
    assert counts(filled) == before
    file.write_bytes(file.read_bytes()[:5000])
    assert main(["verify", str(file)]) == 1


@pytest.mark.parametrize("version", ["0027", "v9999"])
def test_a_backup_of_another_version_changes_nothing(
    filled: Engine, tmp_path: Path, capsys: pytest.CaptureFixture[str], version: str
) -> None:
    file = tmp_path / "other.backup"
    with filled.begin() as connection:
        connection.execute(text("update alembic_version set version_num = :version"), {"version": version})
    assert main(["backup", str(file)]) == 0
    with filled.begin() as connection:
        connection.execute(text("update alembic_version set version_num = 'v1'"))
    before = counts(filled)
    assert main(["restore", str(file)]) == 1
    assert "made by another version of Keeve. Nothing was changed." in capsys.readouterr().err
    assert counts(filled) == before


def test_a_restore_signs_everybody_out(filled: Engine, tmp_path: Path) -> None:
    file = tmp_path / "keeve.backup"
    enter(filled, NOON)
    assert main(["backup", str(file)]) == 0
    filled.dispose()
    assert main(["restore", str(file)]) == 0
    with filled.connect() as connection:
        assert connection.scalar(text("select count(*) from sign_in")) == 0


def test_who_may_not_see_every_crew_makes_no_backup(
    cluster: Cluster, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("KEEVE_BACKUP_URL")
    assert main(["backup", str(tmp_path / "keeve.backup")]) == 1
    assert "Set KEEVE_BACKUP_URL" in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []


def test_every_night_has_a_backup_for_two_weeks(cluster: Cluster, filled: Engine, tmp_path: Path) -> None:
    (tmp_path / "keeve-notes.backup").write_text("mine")
    for number in range(16):
        day = NOON.date() + timedelta(days=number)
        if number in (0, 15):
            keep_tonights(cluster.url, tmp_path, day)
            keep_tonights(cluster.url, tmp_path, day)
        else:
            (tmp_path / f"keeve-{day:%Y-%m-%d}.backup").write_text("kept")
    kept = sorted(path.name for path in tmp_path.iterdir())
    assert kept[0] == f"keeve-{NOON.date() + timedelta(days=2):%Y-%m-%d}.backup"
    assert (len(kept), kept[-1]) == (15, "keeve-notes.backup")
    assert main(["verify", str(tmp_path / kept[-2])]) == 0
    for hour, hours in ((0, 2), (1, 1), (2, 24), (23, 3)):
        assert until_night(NOON.replace(hour=hour)) == timedelta(hours=hours)


def test_a_broken_backup_changes_nothing(
    filled: Engine, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    before = counts(filled)
    broken = tmp_path / "broken.backup"
    broken.write_text("no backup")
    assert main(["restore", str(broken)]) == 1
    assert "Nothing was changed" in capsys.readouterr().err
    assert main(["restore", str(tmp_path / "nowhere")]) == 1
    assert counts(filled) == before


def test_a_backup_that_cannot_be_written_leaves_no_half(
    filled: Engine, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["backup", "/dev/full/keeve.backup"]) == 1
    assert "did not finish" in capsys.readouterr().err


@pytest.mark.parametrize("version", ["0027", "v9999"])
def test_data_of_another_version_is_left_as_it_is(
    filled: Engine, capsys: pytest.CaptureFixture[str], version: str
) -> None:
    with filled.begin() as connection:
        connection.execute(text("update alembic_version set version_num = :version"), {"version": version})
    before = counts(filled)
    assert up(host="127.0.0.1", port=0, certificate=None, key=None) == 1
    assert "made by another version of Keeve" in capsys.readouterr().err
    assert counts(filled) == before


@pytest.mark.parametrize(
    ("url", "said"),
    [
        ("postgresql://nobody:x@127.0.0.1:1/none", "refused Keeve"),
        ("mysql://x", "isn't a PostgreSQL address"),
        ("nonsense", "isn't a PostgreSQL address"),
    ],
)
def test_a_wrong_database_url(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], url: str, said: str
) -> None:
    monkeypatch.setenv("DATABASE_URL", url)
    assert up(host="127.0.0.1", port=0, certificate=None, key=None) == 1
    assert said in capsys.readouterr().err


def test_a_dead_network_at_install_is_one_sentence(tmp_path: Path) -> None:
    """The launcher in a bare copy, with a package index that does not answer."""
    shutil.copy(ROOT / "keeve", tmp_path)
    for lock in ROOT.glob("requirements*.lock"):
        shutil.copy(lock, tmp_path)
    dead = {
        "PIP_INDEX_URL": "http://127.0.0.1:1/",
        "PIP_RETRIES": "0",
        "PIP_FIND_LINKS": "",
        "PIP_CONFIG_FILE": os.devnull,
    }
    done = subprocess.run(
        [tmp_path / "keeve", "calc", "slab-volume"],
        env={**os.environ, **dead},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1
    assert "check that a package index can be reached" in done.stderr.splitlines()[-1]


def test_several_workers_serve_one_address(cluster: Cluster) -> None:
    import httpx2

    command = [sys.executable, "-m", "keeve", "up", "--port", "0", "--workers", "2"]
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as started:
        assert started.stdout is not None
        origin = started.stdout.readline().split()[-1]
        with httpx2.Client(transport=httpx2.HTTPTransport(retries=5), timeout=60) as client:
            assert {client.get(f"{origin}/sign-in").status_code for _ in range(6)} == {200}
        started.send_signal(signal.SIGINT)
        assert started.wait(timeout=30) == 0


@pytest.mark.parametrize(
    "file", sorted((ROOT / "tests" / "golden").glob("version-*.backup")), ids=lambda file: file.stem
)
def test_a_backup_of_every_version_comes_back_at_this_one_with_its_doors_shut(
    filled: Engine, file: Path
) -> None:
    assert restore(file) == 0
    with filled.connect() as connection:
        assert connection.scalar(text("select version_num from alembic_version")) == newest_version()
        assert connection.scalar(text("select count(*) from load")) == 1
        titles = connection.scalars(text("select title from plan")).all()
        assert "Kept from version 1" in titles
        doors = (
            "select (select count(*) from sign_in), (select count(*) from invitation where used_at is null), "
            "(select count(*) from share_link where withdrawn_at is null), "
            "(select count(*) from calendar_feed where withdrawn_at is null)"
        )
        assert connection.execute(text(doors)).one() == (0, 0, 0, 0)


def test_a_night_that_was_broken_off_is_told_and_made_again(
    cluster: Cluster, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    day = date(2026, 5, 4)
    broken = tmp_path / "keeve-2026-05-03.backup.unfinished"
    broken.write_bytes(b"half of it")
    keep_tonights(of_owner(cluster.url), tmp_path, day)
    assert "keeve-2026-05-03.backup.unfinished was broken off" in capsys.readouterr().err
    assert [file.name for file in tmp_path.iterdir()] == ["keeve-2026-05-04.backup"]
