"""Plaster over HTTP, without a browser: from a mesh file to a dry cast."""

import json
import re
from datetime import timedelta
from typing import Any
from uuid import UUID

import pytest
from helpers import CAST, job, raw_event
from started import a_started_load

from keeve.core.rules.mesh import MOST_BYTES
from keeve.data import loads, plans
from keeve.demo.rose import rose_stl
from web.conftest import Client

MESH = "/plan/mesh?name=rose.stl&unit=mm&up=z&cut=length&close=no"


def begun(client: Client, plan_id: UUID, number: int = 1) -> UUID:
    return a_started_load(client.engine, client.visitor, plan_id, number, client.clock.now)


def do(client: Client, load_id: UUID, kind: str, minutes: float, **what: Any) -> str:
    """An event so many minutes on; the page that answers it."""
    client.clock.now += timedelta(minutes=minutes)
    answer = client.post(f"/bench/{load_id}/events", json=raw_event(kind, client.clock.now, **what))
    assert answer.status_code == 200, answer.text
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", answer.text))


def to_pour(client: Client, load_id: UUID) -> str:
    """Every step up to the pour, as planned."""
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    load = running.load
    do(client, load_id, "water_added", 1, step=1, water_l=load.water.start_l)
    do(client, load_id, "charged", 1, step=2, material="plaster", mass_kg=load.charges[0].mass_kg)
    do(client, load_id, "rested", 3.6, step=3)
    page = do(client, load_id, "mixed", 2.1, step=4)
    return do(client, load_id, "mixed", 0.5, step=5) if running.plan.mix.regime_traits.makes_casts else page


def test_from_a_mesh_file_to_two_cards_a_strip_reminder_and_a_dry_weight(client: Client) -> None:
    read = client.post(MESH, content=rose_stl()).json()
    assert read["sides"] == {"length_m": "420", "width_m": "420", "height_m": "70"}
    assert "closed" in read["words"]
    form = {
        "title": "Rose mould",
        "mix": "plaster-casting",
        "need.0.kind": "mould",
        "need.0.container.by": "frame",
        **{f"need.0.container.{name}": text for name, text in read["sides"].items()},
        "need.0.container.wall_m": "30",
        "need.0.container.base_m": "25",
        "need.0.model.by": "mesh",
        "need.0.model.mesh": json.dumps(read["mesh"]),
        "need.0.pieces.0": "1",
        "need.0.pieces.1": "1",
        "mixer.kind": "bucket",
        "mixer.working_l": "12",
        "conditions.water_c": "18",
    }
    preview = client.post("/plan/preview", data=form).json()
    assert preview["errors"] == {}
    saved = client.post("/plan", data=form, follow_redirects=False)
    plan_id = UUID(saved.headers["location"].split("/")[2])
    saved_plan = plans.saved_plan(client.engine, client.visitor, plan_id)
    assert saved_plan is not None
    assert [load.pours for load in saved_plan.plan.loads] == ["Mould, piece 1 of 2", "Mould, piece 2 of 2"]
    again = client.get(f"/plan?again={plan_id}").text
    assert "rose.stl" in again
    card = client.get(f"/plan/{plan_id}/load/1").text
    assert "Setting times" in card
    assert "piece 1 of 2" in card
    assert client.get(f"/plan/{plan_id}/print").status_code == 200
    assert client.get(f"/plan/{plan_id}/paper.pdf").content[:4] == b"%PDF"

    load_id = begun(client, plan_id)
    page = to_pour(client, load_id)
    assert "Pour as it loses its shine" in page
    assert "What does it look like" not in page
    page = do(client, load_id, "seen", 3, sight="gloss-going")
    assert "Re-timed from what you saw: gloss going." in page
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    do(client, load_id, "placed", 0.5, volume_l=running.situation(client.clock.now).remaining_l)
    page = do(client, load_id, "cleaned", 5)
    assert "Leave it in the mould" in page
    assert "In the mould, take out from" in re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", client.get("/").text))
    page = do(client, load_id, "stripped", 30)
    assert "Not dry: do not use" in page
    running = loads.running_load(client.engine, client.visitor, load_id)
    drying = running.situation(client.clock.now).drying if running else None
    assert drying is not None
    for day in range(8):
        kg = drying.dry_kg + (drying.wet_kg - drying.dry_kg) * 0.4**day
        page = do(client, load_id, "weighed", 24 * 60, mass_kg=kg)
        if day == 3:
            assert "Dry about" in page
            assert "do not use" in client.get("/").text
    assert "Dry: ready to use" in page
    assert "Load 1 is done" in do(client, load_id, "tracking_stopped", 1)
    assert "Casts" not in client.get("/").text
    log = client.get(f"/log/{load_id}").text
    for words in ("Out of the mould", "Weighed", "Dry, ready to use", "Drying"):
        assert words in log
    assert client.get("/log").status_code == client.get("/log.csv").status_code == 200


def test_what_own_loads_show_is_in_the_next_clock(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job(**{**CAST, "need": {"volume_m3": 0.016}}))
    for number in (1, 2, 3):
        load_id = begun(client, plan_id, number)
        to_pour(client, load_id)
        running = loads.running_load(client.engine, client.visitor, load_id)
        clock = running.situation(client.clock.now).clock if running else None
        assert clock is not None
        assert clock.met_at is not None
        client.clock.now = clock.met_at + timedelta(minutes=10 * 1.2)
        do(client, load_id, "seen", 0, sight="gloss-going")
        client.clock.now += timedelta(hours=1)
    page = client.get(f"/bench/{begun(client, plan_id, 4)}").text
    assert "Your last 3 loads set" in page
    assert "slower. Already included" in page
    assert "improving" in page


def test_a_load_that_thickened_is_thrown_away_and_mixed_again(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job(**CAST))
    load_id = begun(client, plan_id)
    to_pour(client, load_id)
    client.clock.now += timedelta(minutes=30)
    page = client.get(f"/bench/{load_id}").text
    assert "It has thickened" in page
    do(client, load_id, "discarded", 1, reason="Working time over")
    page = do(client, load_id, "cleaned", 1)
    assert "Mix load 1 again" in page
    answer = client.post(f"/plan/{plan_id}/load/1/begin", data={}, follow_redirects=False)
    again = UUID(answer.headers["location"].rpartition("/")[2])
    assert again != load_id
    assert loads.loads_of_plan(client.engine, client.visitor, plan_id)[1].id == again


def test_each_stage_of_a_coat_may_be_told(client: Client) -> None:
    plan_id = plans.save_plan(
        client.engine, client.visitor, job(**{**CAST, "mix": "plaster-coat", "need": {"volume_m3": 0.008}})
    )
    load_id = begun(client, plan_id)
    page = to_pour(client, load_id)
    assert "Start the next load at" in page
    page = do(client, load_id, "seen", 5, sight="like-butter")
    assert "Soft butter · now" in page


@pytest.mark.parametrize(
    ("address", "content", "words"),
    [
        (MESH, b"nothing", "cannot be read as a mesh"),
        (MESH.replace("rose.stl", "rose.exe"), b"", "must be one of"),
        (MESH.replace("unit=mm", "unit=ell"), rose_stl(), "unit must be one of"),
        (MESH, rose_stl()[: 84 + 50 * 100], "ends before"),
        (MESH, b"0" * (MOST_BYTES + 1), "Too large"),
    ],
)
def test_a_mesh_that_cannot_be_read_is_refused_in_words(
    client: Client, address: str, content: bytes, words: str
) -> None:
    answer = client.post(address, content=content, headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert words in answer.json()["error"]["message"]


def test_a_form_without_its_mesh_file_says_so(client: Client) -> None:
    form = {
        "mix": "plaster-casting",
        "need.0.kind": "mould",
        "need.0.container.by": "mesh",
        "mixer.kind": "bucket",
    }
    for given in ({}, {"need.0.container.mesh": "{not json"}):
        errors = client.post("/plan/preview", data={**form, **given}).json()["errors"]
        assert "Mesh file" in " ".join(errors.values())


def test_casts_before_it_say_when_it_will_be_dry(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job(**{**CAST, "need": {"volume_m3": 0.016}}))

    def cast(number: int) -> UUID:
        """A cast out of its mould."""
        load_id = begun(client, plan_id, number)
        to_pour(client, load_id)
        running = loads.running_load(client.engine, client.visitor, load_id)
        assert running is not None
        do(client, load_id, "placed", 0.5, volume_l=running.situation(client.clock.now).remaining_l)
        do(client, load_id, "cleaned", 5)
        do(client, load_id, "stripped", 30)
        return load_id

    for number, left in ((1, 0.4), (2, 0.25)):
        load_id = cast(number)
        running = loads.running_load(client.engine, client.visitor, load_id)
        drying = running.situation(client.clock.now).drying if running else None
        assert drying is not None
        for day in range(12):
            kg = drying.dry_kg + (drying.wet_kg - drying.dry_kg) * left**day
            if "ready to use" in do(client, load_id, "weighed", 24 * 60, mass_kg=kg):
                break
        do(client, load_id, "tracking_stopped", 1)
    page = re.sub(r"\s+", " ", client.get(f"/log/{cast(3)}").text)
    said = re.search(
        r"Your casts of this mix usually dry in about (\d+) days \((\d+) to (\d+), 2 casts\)", page
    )
    assert said, page[page.index("Drying") :][:300]
    usual, low, high = map(int, said.groups())
    assert 2 <= low <= usual <= high <= 12
    assert low < high
    learnt = client.get(f"/plan?again={plan_id}&learnt=yes").text
    assert "Drying time" in learnt


def test_card_paper_and_bench_give_one_pour_time(client: Client) -> None:
    """After a load that set half as slow again, the next card, its paper and its bench say the same, whoever looks."""
    plan_id = plans.save_plan(client.engine, client.visitor, job(**{**CAST, "need": {"volume_m3": 0.008}}))
    first = begun(client, plan_id)
    to_pour(client, first)
    do(client, first, "seen", 9, sight="trail-stays")

    def told(page: str) -> list[str]:
        return re.findall(r"Setting times: (.*?)</figcaption>", re.sub(r"\s+", " ", page))

    card = told(client.get(f"/plan/{plan_id}/load/2").text)
    paper = told(client.get(f"/plan/{plan_id}/print").text)
    bench = told(client.get(f"/bench/{begun(client, plan_id, 2)}").text)
    fresh = told(client.get("/plan?mix=plaster-casting").text)
    assert card
    assert bench == card
    assert card[0] in paper
    assert card != fresh
