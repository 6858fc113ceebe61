"""A real PostgreSQL and a real Chromium for the tests that ask for one. The core's import neither."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from typing import TYPE_CHECKING
from uuid import uuid4

import pytest
from hypothesis import HealthCheck, settings

if TYPE_CHECKING:
    from playwright.sync_api import Browser
    from sqlalchemy import Engine

    from keeve.data.accounts import Visitor

# Speed is measured in ./keeve benchmark, never by a test that fails on a busy machine.
settings.register_profile("keeve", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("keeve")

CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip


@contextlib.contextmanager
def _database() -> Iterator[str]:
    """A database of this worker's own on the server of DATABASE_URL, else a server of its own."""
    from sqlalchemy import create_engine, text
    from sqlalchemy.engine import make_url

    from keeve.launch.postgres import throwaway
    from keeve.store.database import connect

    given = os.environ.get("DATABASE_URL")
    if not given:
        with throwaway() as cluster:
            yield cluster.url
        return
    server, name = connect(given), f"keeve_test_{uuid4().hex[:12]}"
    admin = create_engine(server.url, isolation_level="AUTOCOMMIT")
    with admin.connect() as connection:
        connection.execute(text(f"create database {name}"))
    yield make_url(given).set(database=name).render_as_string(hide_password=False)
    with admin.connect() as connection:
        connection.execute(text(f"drop database {name} with (force)"))
    admin.dispose()
    server.dispose()


@pytest.fixture(scope="session")
def engine(quick_passwords: None) -> Iterator[Engine]:
    from keeve.store.database import connect
    from keeve.store.migrate import migrate

    with _database() as url:
        engine = connect(url)
        migrate(engine)
        yield engine
        engine.dispose()


@pytest.fixture(scope="session")
def quick_passwords() -> None:
    """Passwords are hashed as ever, but in no time: thousands of people sign in here."""
    from argon2 import PasswordHasher

    from keeve.data import accounts

    cheap = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
    accounts._hasher.cache_clear()
    accounts._hasher = lambda: cheap  # type: ignore[assignment]


@pytest.fixture
def visitor(engine: Engine) -> Visitor:
    from people import new_visitor

    return new_visitor(engine)[0]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        yield chromium
        chromium.close()
