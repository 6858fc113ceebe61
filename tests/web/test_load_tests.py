"""Specimens and tests of a load: made, due on Today, broken, held against what was to be expected."""

import re
from datetime import timedelta
from uuid import UUID

import pytest
from helpers import NOON, Run, job
from people import PASSWORD

from keeve.core.loads.event import event_json
from keeve.core.log.specimens import SpecimenRow, ages_of, specimens_of
from keeve.core.planning.make_plan import make_plan
from keeve.data import calendar_feeds, loads, plans, sessions
from keeve.web.security import FORM_HEADER, SESSION_COOKIE, masked
from web.conftest import Client

CONCRETE = {"mix": "concrete-nominal", "materials": {}, "vessels": []}
CUBES = {"shape": "cube", "size": "150 mm", "due": "7, 28, 28", "mark": "A"}


@pytest.fixture
def load_id(client: Client) -> UUID:
    """A load of concrete that was mixed and placed."""
    plan_id = plans.save_plan(client.engine, client.visitor, job(**CONCRETE))
    run = Run(make_plan(job(**CONCRETE))).to_judgement()
    run.judge("too-dry")
    run.do("water_added", water_l=run.now.window.target_l - run.now.held.added_l)
    run.do("mixed", minutes=3)
    run.to_right()
    run.do("placed", volume_l=run.now.remaining_l)
    found = loads.begin_load(client.engine, client.visitor, plan_id, 1, NOON)
    assert found is not None
    client.clock.turn(60)
    told = [{"kind": "accepted", "occurred_at": NOON.isoformat()}, *map(event_json, run.events)]
    for event in told:
        event.pop("received_at", None)
        event.pop("recorded_by", None)
    assert loads.record(client.engine, client.visitor, found, told, client.clock.now)
    return found


def wait(client: Client, days: float) -> None:
    """So many days later; whoever comes back then signs in again."""
    client.clock.turn(days * 24 * 60)
    now, name = client.clock.now, client.visitor.name.lower()
    token = sessions.sign_in(client.engine, sign_in_name=name, password=PASSWORD, address="", now=now)
    again = sessions.visitor(client.engine, token, now)
    assert again is not None
    client.headers["Cookie"] = f"{SESSION_COOKIE}={token}"
    client.headers[FORM_HEADER] = masked(again.form_token)


def lines(client: Client, load_id: UUID) -> list[SpecimenRow]:
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    return specimens_of(running.plan, running.load, running.state)


def words(page: str) -> str:
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page))


def test_cubes_are_due_on_today_until_they_are_broken(client: Client, load_id: UUID) -> None:
    assert client.post(f"/log/{load_id}/specimens", data=CUBES).status_code == 303
    made = lines(client, load_id)
    assert [(line.name, line.due_days) for line in made] == [("A 1", 7), ("A 2", 28), ("A 3", 28)]
    assert "Test 1 cube" not in words(client.get("/").text)
    wait(client, 7)
    assert "Test 1 cube" in words(client.get("/").text)
    # By hand: 495 kN on 150 x 150 mm.
    result = {"load_kn": "495", "mpa": ""}
    assert client.post(f"/log/{load_id}/specimens/{made[0].made_id}/1", data=result).status_code == 303
    assert lines(client, load_id)[0].mpa == pytest.approx(22.0)
    assert "Test 1 cube" not in words(client.get("/").text)
    wait(client, 25)
    page = words(client.get("/").text)
    assert "Test 2 cubes" in page
    assert "Late" in page
    feed = calendar_feeds.new_feed(client.engine, client.visitor, client.clock.now)
    assert "Test 2 cubes" in client.get(f"/calendar/{feed}.ics").text
    record = words(client.get(f"/log/{load_id}").text)
    assert "22.0 MPa at 7 days" in record.replace("\u202f", " ")


def test_what_came_of_them_is_held_against_the_law(client: Client, load_id: UUID) -> None:
    client.post(f"/log/{load_id}/specimens", data={**CUBES, "due": "28 28"})
    client.post(f"/log/{load_id}/specimens", data={**CUBES, "shape": "cylinder", "due": "28"})
    cylinder, cube, _ = sorted(lines(client, load_id), key=lambda line: line.shape, reverse=True)
    assert cube.expected is not None
    assert cylinder.expected is not None
    assert cube.expected.mpa == pytest.approx(1.25 * cylinder.expected.mpa)
    wait(client, 28)
    for number, mpa in ((1, "30"), (2, "34 MPa")):
        assert (
            client.post(f"/log/{load_id}/specimens/{cube.made_id}/{number}", data={"mpa": mpa}).status_code
            == 303
        )
    (age,) = ages_of(lines(client, load_id), 25.0)
    assert (age.days, age.record.mean, age.record.verdict) == (28, 32.0, "too-few")


def test_a_test_far_from_its_day_counts_for_no_age(client: Client, load_id: UUID) -> None:
    client.post(f"/log/{load_id}/specimens", data={**CUBES, "due": "28"})
    (cube,) = lines(client, load_id)
    wait(client, 40)
    client.post(f"/log/{load_id}/specimens/{cube.made_id}/1", data={"mpa": "30"})
    (tested,) = lines(client, load_id)
    assert (tested.state(client.clock.now), tested.test_days) == ("tested", None)
    assert ages_of([tested]) == []


@pytest.mark.parametrize(
    ("path", "typed", "said"),
    [
        ("specimens", {**CUBES, "due": "a week"}, "one number of days per specimen"),
        ("specimens", {**CUBES, "size": "3 m"}, "Size"),
        ("specimens", {**CUBES, "shape": "prism"}, "Span"),
        ("specimens", {**CUBES, "shape": "ball"}, "Shape"),
        ("specimens", {**CUBES, "day": "soon"}, "2026-05-04"),
        ("fresh", {}, "Enter what you measured"),
        ("fresh", {"slump_mm": "400"}, "Slump"),
        ("specimens/{made}/1", {"load_kn": "", "mpa": ""}, "either the breaking load or the strength"),
        ("specimens/{made}/1", {"load_kn": "500", "mpa": "22"}, "either the breaking load or the strength"),
        ("specimens/{made}/9", {"load_kn": "500"}, "no such specimen"),
        ("specimens/{made}/1", {"load_kn": "500", "day": "2026-05-01"}, "before it was made"),
        ("specimens/{made}/1", {"what": "lost", "reason": " "}, "tested"),
    ],
)
def test_what_cannot_be_is_refused_and_what_was_typed_stays(
    client: Client, load_id: UUID, path: str, typed: dict[str, str], said: str
) -> None:
    client.post(f"/log/{load_id}/specimens", data=CUBES)
    wait(client, 8)
    before = lines(client, load_id)
    refused = client.post(f"/log/{load_id}/{path.format(made=before[0].made_id)}", data=typed)
    assert refused.status_code == 422
    assert said in words(refused.text)
    if "{made}/9" not in path:
        assert all(
            f'value="{text}"' in refused.text
            for name, text in typed.items()
            if name in ("due", "load_kn") and text
        )
    assert lines(client, load_id) == before


def test_tests_of_the_fresh_mix_and_checks_of_a_cast_stand_in_the_story(
    client: Client, load_id: UUID
) -> None:
    assert (
        client.post(f"/log/{load_id}/fresh", data={"slump_mm": "75", "air_fraction": "2"}).status_code == 303
    )
    assert client.post(f"/log/{load_id}/checks/edges-whole", data={"holds": "no"}).status_code == 303
    page = words(client.get(f"/log/{load_id}").text).replace("\u202f", " ")
    assert "Slump 75 mm" in page
    assert "Air 2.0 %" in page
    assert "Checked, failed: edges and corners are whole" in page


def test_a_lost_specimen_is_due_no_more(client: Client, load_id: UUID) -> None:
    client.post(f"/log/{load_id}/specimens", data={**CUBES, "due": "7"})
    (cube,) = lines(client, load_id)
    wait(client, 7)
    lost = {"what": "lost", "reason": "Dropped"}
    assert client.post(f"/log/{load_id}/specimens/{cube.made_id}/1", data=lost).status_code == 303
    assert "Test 1 cube" not in words(client.get("/").text)
    assert lines(client, load_id)[0].state(client.clock.now + timedelta(days=9)) == "lost"
