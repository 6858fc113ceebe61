"""A card by a link: read without signing in, until it is withdrawn; on paper as a code."""

import re

import pytest
from markupsafe import Markup
from sqlalchemy import Engine

from keeve.screens.paper import printed as paper
from web.conftest import Client, Clock


def a_plan(client: Client) -> str:
    saved = client.post("/plan", data={"title": "Sill bed", "mixer.working_l": "60"})
    return str(saved.headers["location"]).split("/")[2]


def link_on(client: Client, plan_id: str) -> str:
    found = re.search(r"/shared/([\w-]+)<", client.get(f"/jobs/{plan_id}").text)
    assert found is not None
    return f"/shared/{found[1]}"


def test_a_link_is_read_without_signing_in_until_it_is_withdrawn(
    client: Client, engine: Engine, clock: Clock
) -> None:
    plan_id = a_plan(client)
    assert "/shared/" not in client.get(f"/jobs/{plan_id}").text
    assert client.post(f"/plan/{plan_id}/share").headers["location"] == f"/jobs/{plan_id}#share"
    link = link_on(client, plan_id)
    client.post(f"/plan/{plan_id}/share")
    assert link_on(client, plan_id) == link
    stranger = Client(engine, clock, signed_in=False)
    card = stranger.get(link).text
    assert "Load 1 of" in card
    assert "Sill bed" in card
    # It is only read: nothing on it leads into the crew's work.
    assert plan_id not in card
    assert "<form" not in card.partition("<main")[2].partition("</main")[0]
    assert "Load 2 of" in stranger.get(f"{link}?load=2&gauge=volume").text
    assert stranger.get(f"{link}?load=99").status_code == 404
    # A new name shows at once; a withdrawn link shows nothing any more, and a new one is another.
    client.post(f"/jobs/{plan_id}/title", data={"title": "North sill"})
    assert "North sill" in stranger.get(link).text
    client.post(f"/plan/{plan_id}/withdraw")
    assert stranger.get(link).status_code == 404
    client.post(f"/plan/{plan_id}/share")
    assert link_on(client, plan_id) != link


def test_only_the_crew_shares_and_withdraws(client: Client, engine: Engine, clock: Clock) -> None:
    plan_id = a_plan(client)
    client.post(f"/plan/{plan_id}/share")
    other = Client(engine, clock)
    for act in ("share", "withdraw"):
        assert other.post(f"/plan/{plan_id}/{act}").status_code == 404
    assert client.get(link_on(client, plan_id)).status_code == 200
    assert other.get("/shared/guessed").status_code == 404


def test_the_code_on_paper_leads_to_the_shared_card(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    plan_id, seen = a_plan(client), list[str]()
    monkeypatch.setattr(paper, "code_of", lambda address: (seen.append(address), Markup("<svg></svg>"))[1])
    assert client.get(f"/plan/{plan_id}/paper.pdf").status_code == 200
    assert seen[0] == f"http://127.0.0.1/plan/{plan_id}/load/1/bench"
    client.post(f"/plan/{plan_id}/share")
    seen.clear()
    client.get(f"/plan/{plan_id}/paper.pdf")
    assert seen[0] == f"http://127.0.0.1{link_on(client, plan_id)}?load=1"
