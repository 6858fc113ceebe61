"""The first start: killed at any moment, run twice at once, and taken over when the first launcher ends."""

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from random import Random

import pytest
from sqlalchemy import text

from keeve.launch.postgres import Cluster
from keeve.launch.system import ROOT
from keeve.store.database import connect
from keeve.store.migrate import migrate

KILLS = int(os.environ.get("KEEVE_KILLS", "2"))
# What ``up`` does before it serves.
START = """
import sys
from datetime import UTC, datetime
from pathlib import Path
from keeve.launch.postgres import Cluster
from keeve.launch.up import prepare
cluster = Cluster(Path(sys.argv[1]), durable=False)
cluster.start()
prepare(cluster.url)
print(cluster.url, flush=True)
sys.stdin.read()
cluster.stop()
"""


@pytest.fixture
def folder() -> Iterator[Path]:
    made = Path(tempfile.mkdtemp(prefix="keeve-first-"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made)


def starting(folder: Path) -> "subprocess.Popen[str]":
    return subprocess.Popen(
        [sys.executable, "-c", START, str(folder)],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )


def ended(process: "subprocess.Popen[str]") -> str:
    """What a start that was let finish has said."""
    said, _ = process.communicate("", timeout=60)
    assert process.returncode == 0
    return said.strip()


def test_killed_at_any_moment_it_begins_anew(folder: Path) -> None:
    chance = Random(18)
    for _ in range(KILLS):
        process = starting(folder)
        # Any moment: somewhere between the first import and the last row of the demo.
        try:
            process.wait(timeout=chance.uniform(0.1, 5.0))
        except subprocess.TimeoutExpired:
            process.kill()
        process.communicate()
    assert ended(starting(folder)).startswith("postgresql")
    cluster = Cluster(folder, durable=False)
    cluster.start()
    engine = connect(cluster.url)
    with engine.connect() as connection:
        assert connection.scalar(text("select count(*) from demo_crew")) == 2
    engine.dispose()
    cluster.stop()


def test_two_first_starts_at_once_make_one(folder: Path) -> None:
    both = [starting(folder) for _ in range(2)]
    said = []
    for process in both:
        assert process.stdout is not None
        said.append(process.stdout.readline())
    assert said[0] == said[1] != ""
    for process in both:
        ended(process)


def test_a_second_launcher_shares_the_server_and_leaves_it_running(folder: Path) -> None:
    first, second = (Cluster(folder, durable=False) for _ in range(2))
    first.start()
    second.start()
    assert second.url == first.url
    second.stop()
    engine = connect(first.url)
    migrate(engine)
    with engine.connect() as connection:
        assert connection.scalar(text("select count(*) from crew")) == 0
    engine.dispose()
    first.stop()
