"""People who sign in, for the tests that need a database."""

from datetime import datetime
from uuid import uuid4

import httpx2
from helpers import NOON
from sqlalchemy import Engine

from keeve.data import accounts, sessions
from keeve.data.accounts import Visitor
from keeve.web.security import FORM_HEADER, SESSION_COOKIE, masked

PASSWORD = "a long enough password"


def new_visitor(engine: Engine, crew: str = "Crew", now: datetime = NOON) -> tuple[Visitor, str]:
    """Somebody signed in to a crew of their own, and the token of the session."""
    name = f"person-{uuid4().hex[:8]}"
    crew_id = accounts.add_crew(engine, crew)
    accounts.add_account(engine, crew_id, sign_in_name=name, name=name.title(), password=PASSWORD)
    token = sessions.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=now)
    visitor = sessions.visitor(engine, token, now)
    assert visitor is not None
    return visitor, token


def client_of(visitor: Visitor, token: str, origin: str) -> httpx2.Client:
    """A client of a server that runs, as the browser of somebody signed in."""
    headers = {"Cookie": f"{SESSION_COOKIE}={token}", FORM_HEADER: masked(visitor.form_token)}
    return httpx2.Client(base_url=origin, headers=headers, timeout=30)
