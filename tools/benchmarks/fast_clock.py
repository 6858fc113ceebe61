"""Keeve by a clock that runs faster than the world's: served for ``day.py``."""

import os
from collections.abc import Callable
from datetime import UTC, datetime

from fastapi import FastAPI

from keeve.app import create_app
from keeve.store.database import connect

TIMES = 60
BEGAN = "KEEVE_DAY_BEGAN"


def clock_from(began: datetime) -> Callable[[], datetime]:
    """The clock of a day that began at that moment."""
    return lambda: began + (datetime.now(UTC) - began) * TIMES


def make_app() -> FastAPI:
    """The application, as each worker makes it."""
    return create_app(
        connect(os.environ["DATABASE_URL"]), clock=clock_from(datetime.fromisoformat(os.environ[BEGAN]))
    )
