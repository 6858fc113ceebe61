"""Nothing that is kept can lock a crew out: what is written is what can be read, and what cannot is set aside."""

from datetime import timedelta
from typing import Any
from uuid import UUID, uuid4

import pytest
from helpers import NOON, raw_event
from sqlalchemy import text
from sqlalchemy.exc import DataError
from started import a_started_load

from keeve.core.errors import InputError
from keeve.data import accounts, jobs, loads
from keeve.store import models
from keeve.store.database import crew_session
from web.conftest import Client

PAGES = ("/", "/bench", "/log", "/plan", "/yard", "/log.csv")


@pytest.fixture
def load_id(client: Client) -> UUID:
    return a_started_load(client.engine, client.visitor)


def every_page_answers(client: Client, load_id: UUID) -> None:
    for path in (*PAGES, f"/bench/{load_id}", f"/log/{load_id}", f"/bench/{load_id}/offers"):
        assert client.get(path).status_code in (200, 303), path


def keep(client: Client, load_id: UUID, content: dict[str, Any]) -> None:
    """An event as an earlier version let it in."""
    row = {"id": uuid4(), "load_id": load_id, "account_id": client.visitor.account_id, "received_at": NOON}
    with crew_session(client.engine, client.visitor.crew_id) as session:
        session.add(models.Event(**row, content=content))


# Each was accepted once, and after it every page of the crew failed.
LET_IN = {
    "a NUL in a note": raw_event("note", text="level\x00"),
    "a long name": {**raw_event("note", text="level"), "recorded_by": "W" * 121},
    "a hose beyond measure": raw_event("flow_measured", vessel_l=1e308, seconds=1e-308),
    "a charge beyond measure": raw_event("charged", step=2, material="sand", mass_kg=1e308),
    "half a character": raw_event("note", text="\ud800"),
    "a kind nobody knows": raw_event("blessed"),
    "no event at all": {"note": "kept by hand"},
}


@pytest.mark.parametrize("content", LET_IN.values(), ids=LET_IN)
def test_what_cannot_be_read_is_set_aside_with_a_word(
    client: Client, load_id: UUID, content: dict[str, Any]
) -> None:
    keep(client, load_id, content)
    every_page_answers(client, load_id)
    assert "can't be read" in client.get(f"/bench/{load_id}").text
    assert "can't be read" in client.get(f"/log/{load_id}").text
    # The work goes on, on this load and on the next.
    event = raw_event("water_added", NOON + timedelta(seconds=5), step=1, water_l=5.0)
    assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    plan_id = jobs.jobs(client.engine, client.visitor)[0].id
    assert client.post(f"/plan/{plan_id}/load/2/begin").status_code == 303


@pytest.mark.parametrize(
    "content",
    [item for item in LET_IN.values() if "kind" in item and "recorded_by" not in item],
    ids=[name for name, item in LET_IN.items() if "kind" in item and "recorded_by" not in item],
)
def test_none_of_it_is_let_in_any_more(client: Client, load_id: UUID, content: dict[str, Any]) -> None:
    with pytest.raises(InputError):
        loads.record_event(client.engine, client.visitor, load_id, {**content, "id": str(uuid4())}, NOON)
    every_page_answers(client, load_id)


def test_a_name_too_long_is_kept_nowhere(client: Client, load_id: UUID) -> None:
    with pytest.raises(InputError):
        accounts.add_account(
            client.engine,
            client.visitor.crew_id,
            sign_in_name="long",
            name="W" * 121,
            password="long enough it is",
        )
    rename = text("update account set name = :name where id = :id")
    with pytest.raises(DataError), client.engine.begin() as connection:
        connection.execute(rename, {"name": "W" * 121, "id": client.visitor.account_id})
    with client.engine.begin() as connection:
        connection.execute(rename, {"name": "W" * 120, "id": client.visitor.account_id})
    assert client.post(f"/bench/{load_id}/events", json=raw_event("note", text="level")).status_code == 200
    every_page_answers(client, load_id)


def test_an_id_that_another_load_has_is_refused(client: Client, load_id: UUID) -> None:
    plan_id = jobs.jobs(client.engine, client.visitor)[0].id
    other = loads.begin_load(client.engine, client.visitor, plan_id, 2, NOON)
    event = raw_event("note", text="level")
    assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    answer = client.post(f"/bench/{other}/events", json=event)
    assert (answer.status_code, answer.json()["error"]["code"]) == (422, "id_taken")
