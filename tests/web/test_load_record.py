"""The record of a load: entries put right and struck out for a reason, photos with what they were taken of."""

import re
from dataclasses import replace
from io import BytesIO
from uuid import UUID

import pytest
from helpers import NOON, raw_event
from PIL import Image
from started import a_started_load

from keeve.core.loads.running_load import RunningLoad
from keeve.data import loads, photos
from web.conftest import Client, Clock
from web.test_loads_by_http import to_place


@pytest.fixture
def load_id(client: Client) -> UUID:
    found = a_started_load(client.engine, client.visitor)
    water = raw_event("water_added", step=1, water_l=7.5)
    loads.record_event(client.engine, client.visitor, found, water, NOON)
    client.clock.turn(30)
    return found


def running(client: Client, load_id: UUID) -> RunningLoad:
    found = loads.running_load(client.engine, client.visitor, load_id)
    assert found is not None
    return found


def fixed(client: Client, load_id: UUID, kind: str, **typed: str) -> tuple[int, str]:
    """What a form on an entry answers, and the page after it."""
    event = next(event for event in running(client, load_id).events if event.kind == kind)
    answer = client.post(f"/log/{load_id}/entries/{event.id}", data=typed)
    page = client.get(f"/log/{load_id}") if answer.status_code == 303 else answer
    return answer.status_code, re.sub(r"\s+", " ", page.text)


def test_a_figure_is_put_right_in_the_units_of_the_reader(client: Client, load_id: UUID) -> None:
    client.post("/plan/units", data={"units": "us"})
    typed = {"what": "put-right", "figure": "water_l", "value": "2 1/2 gal", "reason": "The tub was full"}
    status, page = fixed(client, load_id, "water_added", **{**typed, "value": "2.5 US gal"})
    assert status == 303
    assert running(client, load_id).state.water_l == pytest.approx(2.5 * 3.785411784)
    assert "Originally: Added water, 7.93" in page
    assert "The tub was full" in page


def test_an_entry_is_struck_out_and_says_why(client: Client, load_id: UUID) -> None:
    status, page = fixed(client, load_id, "water_added", what="strike", reason="That was load 2")
    assert status == 303
    assert running(client, load_id).state.water_l == 0
    assert "That was load 2" in page


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"what": "strike", "reason": ""}, "Give a reason"),
        ({"what": "put-right", "figure": "water_l", "value": "9", "reason": ""}, "Give a reason"),
        ({"what": "put-right", "figure": "water_l", "value": "nine", "reason": "Read again"}, "nine"),
        (
            {"what": "put-right", "figure": "water_l", "value": "900", "reason": "Read again"},
            "too much for a load",
        ),
        ({"what": "put-right", "figure": "hours", "value": "9", "reason": "Read again"}, "reading"),
    ],
)
def test_what_cannot_be_is_refused_and_what_was_typed_stays(
    client: Client, load_id: UUID, typed: dict[str, str], words: str
) -> None:
    status, page = fixed(client, load_id, "water_added", **typed)
    assert status == 422
    assert words in page
    assert f'value="{typed["reason"]}"' in page
    assert running(client, load_id).state.water_l == 7.5


def photo() -> dict[str, tuple[str, bytes, str]]:
    out = BytesIO()
    Image.new("RGB", (640, 480), "tan").save(out, "JPEG")
    return {"photo": ("a.jpg", out.getvalue(), "image/jpeg")}


def test_a_photo_is_shown_with_what_it_was_taken_of_to_its_own_crew(client: Client, load_id: UUID) -> None:
    event = running(client, load_id).events[-1]
    sent = client.post(f"/photos/of/{load_id}", files=photo(), data={"event_id": str(event.id)})
    assert (sent.status_code, sent.headers["location"]) == (303, f"/log/{load_id}#entry-{event.id}")
    page = client.get(f"/log/{load_id}").text
    path = re.search(r"/photos/[0-9a-f-]+\.jpg", page)
    assert path is not None
    assert page.index(f"entry-{event.id}") < path.start() < page.index('id="photos"')
    shown = client.get(path[0])
    assert (shown.status_code, shown.headers["content-type"]) == (200, "image/jpeg")
    assert Image.open(BytesIO(shown.content)).size == (640, 480)
    assert Image.open(BytesIO(client.get(f"{path[0]}?small=true").content)).size == (400, 300)
    stranger = Client(client.engine, Clock())
    assert stranger.get(path[0]).status_code == 404
    assert stranger.post(f"/photos/of/{load_id}", files=photo()).status_code == 404


def test_a_photo_is_removed_by_who_took_it_or_a_lead(client: Client, load_id: UUID) -> None:
    client.post(f"/photos/of/{load_id}", files=photo())
    (taken,) = photos.photos_of(client.engine, client.visitor, load_id)[None]
    another = replace(
        client.visitor, account_id=Client(client.engine, Clock()).visitor.account_id, role="mixer"
    )
    assert not photos.photos_of(client.engine, another, load_id)[None][0].may_remove
    assert photos.remove(client.engine, another, taken.id) is None
    assert client.post(f"/photos/{taken.id}/remove").status_code == 303
    assert client.get(f"/photos/{taken.id}.jpg").status_code == 404
    assert photos.photos_of(client.engine, client.visitor, load_id) == {}


def test_what_is_no_photo_says_so_and_too_many_are_refused(
    client: Client, load_id: UUID, monkeypatch: pytest.MonkeyPatch
) -> None:
    refused = client.post(f"/photos/of/{load_id}", files={"photo": ("a.jpg", b"no photo", "image/jpeg")})
    assert (refused.status_code, "Use a JPEG, PNG or WebP picture" in refused.text) == (422, True)
    assert client.post(f"/photos/of/{load_id}").status_code == 422
    monkeypatch.setattr(photos, "MOST_OF_LOAD", 1)
    assert client.post(f"/photos/of/{load_id}", files=photo()).status_code == 303
    assert client.post(f"/photos/of/{load_id}", files=photo()).status_code == 422


def test_a_photo_of_right_is_shown_at_the_next_judgement_of_that_mix(client: Client, load_id: UUID) -> None:
    to_place(client, client.clock, load_id)
    event_id = running(client, load_id).events[-1].id
    sent = client.post(
        f"/photos/of/{load_id}", files=photo(), data={"event_id": str(event_id), "at_bench": "true"}
    )
    assert sent.headers["location"] == f"/bench/{load_id}"
    assert "No photo of this mix yet" in client.get(f"/bench/{load_id}/own-look").text
    other = a_started_load(client.engine, client.visitor)
    look = client.get(f"/bench/{other}/own-look").text
    assert re.search(r"/photos/[0-9a-f-]+\.jpg", look)
    assert "Right, by" in look
    stranger = Client(client.engine, Clock())
    assert stranger.get(f"/bench/{other}/own-look").status_code == 404


def test_two_loads_of_a_mix_side_by_side(client: Client, load_id: UUID) -> None:
    assert "No other load of this mix yet" in client.get(f"/log/{load_id}/beside").text
    other = a_started_load(client.engine, client.visitor)
    page = re.sub(r"\s+", " ", client.get(f"/log/{load_id}/beside?other={other}").text)
    assert f'href="/log/{load_id}"' in page
    assert f'href="/log/{other}"' in page
    assert "Water ratio" in page
    assert client.get(f"/log/{load_id}/beside?other={UUID(int=1)}").status_code == 404
    assert Client(client.engine, Clock()).get(f"/log/{load_id}/beside").status_code == 404
