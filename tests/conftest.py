"""A real PostgreSQL for every test that asks for one: thrown away afterwards."""

import contextlib
import os
from collections.abc import Iterator
from uuid import uuid4

import pytest
from helpers import NOON
from hypothesis import settings
from playwright.sync_api import Browser, sync_playwright
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.engine import make_url

from keeve.launch.postgres import throwaway
from keeve.services import accounts
from keeve.services.accounts import Visitor
from keeve.store.database import connect
from keeve.store.migrate import migrate

# Speed is measured in ./keeve bench, never by a test that fails on a busy machine.
settings.register_profile("keeve", deadline=None)
settings.load_profile("keeve")

CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
PASSWORD = "a long enough password"


@contextlib.contextmanager
def _database() -> Iterator[str]:
    """A database of our own on the server of DATABASE_URL, else a server of our own."""
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
def engine() -> Iterator[Engine]:
    with _database() as url:
        engine = connect(url)
        migrate(engine)
        yield engine
        engine.dispose()


def new_visitor(engine: Engine, crew: str = "Crew") -> tuple[Visitor, str]:
    """Somebody signed in to a crew of their own, and the token of the session."""
    name = f"person-{uuid4().hex[:8]}"
    crew_id = accounts.add_crew(engine, crew)
    accounts.add_account(engine, crew_id, sign_in_name=name, name=name.title(), password=PASSWORD)
    token = accounts.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=NOON)
    visitor = accounts.visitor(engine, token, NOON)
    assert visitor is not None
    return visitor, token


@pytest.fixture
def visitor(engine: Engine) -> Visitor:
    return new_visitor(engine)[0]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        yield chromium
        chromium.close()
