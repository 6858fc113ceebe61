"""People who sign in, for the tests that need a database."""

from uuid import uuid4

from helpers import NOON
from sqlalchemy import Engine

from keeve.services import accounts, sessions
from keeve.services.accounts import Visitor

PASSWORD = "a long enough password"


def new_visitor(engine: Engine, crew: str = "Crew") -> tuple[Visitor, str]:
    """Somebody signed in to a crew of their own, and the token of the session."""
    name = f"person-{uuid4().hex[:8]}"
    crew_id = accounts.add_crew(engine, crew)
    accounts.add_account(engine, crew_id, sign_in_name=name, name=name.title(), password=PASSWORD)
    token = sessions.sign_in(engine, sign_in_name=name, password=PASSWORD, address=name, now=NOON)
    visitor = sessions.visitor(engine, token, NOON)
    assert visitor is not None
    return visitor, token
