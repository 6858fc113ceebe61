"""Loads over HTTP, without a browser: what is offered, what is carried over, what is taken back."""

import re
from datetime import timedelta
from typing import Any
from uuid import UUID

import pytest
from helpers import NOON, a_job_of, job, raw_event
from started import a_started_load

from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.log_filter import LogFilter
from keeve.core.units import in_figures
from keeve.data import jobs, loads, plans
from keeve.data.log_entries import find
from web.conftest import Client, Clock


def begun(client: Client, number: int = 1, **changes: Any) -> tuple[UUID, UUID]:
    """A load of a new plan of the example, its checks made: the plan's id and the load's."""
    plan_id = plans.save_plan(client.engine, client.visitor, job(**changes))
    return plan_id, begin(client, plan_id, number)


def begin(client: Client, plan_id: UUID, number: int) -> UUID:
    return a_started_load(client.engine, client.visitor, plan_id, number)


def running(client: Client, load_id: UUID) -> RunningLoad:
    found = loads.running_load(client.engine, client.visitor, load_id)
    assert found is not None
    return found


def open_options(client: Client, load_id: UUID) -> list[dict[str, Any]]:
    answer = client.get(f"/bench/{load_id}/offers").json()["offers"]
    return [option for option in answer if option["why_not"] is None]


def do_step(client: Client, clock: Clock, load_id: UUID) -> None:
    """The step in hand, by what the options say of it."""
    clock.turn(1)
    now = running(client, load_id).situation(clock.now)
    position = str(now.position)
    what = {"judge": f"{position} right"}.get(now.act, position)
    option = next(item for item in open_options(client, load_id) if item["target"] == what)
    event = {**option["event"]}
    for amount in option["amounts"]:
        if amount["needed"]:
            event[amount["name"]] = amount["default"]
    while (
        answer := client.post(f"/bench/{load_id}/events", json={**raw_event("", clock.now), **event})
    ).is_error:
        assert answer.json()["error"]["code"] == "not_yet", answer.text
        clock.turn(1)


def to_place(client: Client, clock: Clock, load_id: UUID) -> None:
    while running(client, load_id).situation(clock.now).act != "place":
        do_step(client, clock, load_id)


@pytest.mark.parametrize(
    ("mix", "mixer"),
    [
        ("concrete-bagged", "barrow"),
        ("concrete-fine-high-strength", "forced-action"),
        ("lime-hydraulic-3.5", "tilting-drum"),
        ("overlay-stampable", "paddle"),
        ("screed-1-4-fibre", "forced-action"),
    ],
)
def test_a_family_is_mixed_and_logged(client: Client, clock: Clock, mix: str, mixer: str) -> None:
    plan_id, load_id = begun(client, **a_job_of(mix, mixer))
    to_place(client, clock, load_id)
    place = next(option for option in open_options(client, load_id) if option["action"] == "place")
    placed = raw_event("placed", clock.now, volume_l=place["amounts"][0]["default"])
    for event in (placed, raw_event("cleaned", clock.now, device_seq=2)):
        assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    assert running(client, load_id).situation(clock.now).act == "done"
    assert "Judged right" in re.sub("<[^>]+>", " ", client.get(f"/log/{load_id}").text)
    assert client.get(f"/plan/{plan_id}/paper.pdf").content.startswith(b"%PDF")


def test_the_options_say_what_may_be_done_and_why_not(client: Client) -> None:
    _, load_id = begun(client)
    answer = client.get(f"/bench/{load_id}/offers").json()["offers"]
    by_key = {(item["action"], item["target"]): item for item in answer}
    water = by_key["add_water", "1"]
    assert water["why_not"] is None
    planned = running(client, load_id).load.water
    assert water["amounts"][0]["default"] == pytest.approx(planned.start_l * 0.8)
    assert water["amounts"][0]["most"] == pytest.approx(planned.ceiling_l)
    assert by_key["place", ""]["why_not"]["code"] == "not_judged"
    assert Client(client.engine, Clock()).get(f"/bench/{load_id}/offers").status_code == 404


def test_a_load_begun_by_mistake_is_as_if_it_had_not_been(client: Client) -> None:
    plan_id, load_id = begun(client)
    water = raw_event("water_added", NOON + timedelta(seconds=1), step=1, water_l=1.0)
    client.post(f"/bench/{load_id}/events", json=water)
    refused = client.post(
        f"/bench/{load_id}/events", json=raw_event("taken_back", NOON + timedelta(seconds=2))
    )
    assert refused.json()["error"]["code"] == "something_in"
    undo = raw_event("undone", NOON + timedelta(seconds=3), cancels=water["id"])
    assert client.post(f"/bench/{load_id}/events", json=undo).status_code == 200
    back = client.post(f"/bench/{load_id}/events", json=raw_event("taken_back", NOON + timedelta(seconds=4)))
    assert back.status_code == 200
    assert "Cancelled" in back.text
    assert find(client.engine, client.visitor, LogFilter(), limit=5) == []
    assert loads.loads_in_work(client.engine, client.visitor, NOON) == []
    assert jobs.jobs(client.engine, client.visitor)[0].begun == 0
    late = raw_event("water_added", NOON + timedelta(seconds=5), step=1, water_l=1.0)
    assert client.post(f"/bench/{load_id}/events", json=late).status_code == 422
    again = begin(client, plan_id, 1)
    assert again != load_id
    # Nobody has made the day's checks yet.
    assert running(client, again).state.checks
    assert begin(client, plan_id, 1) == again
    assert client.post(f"/bench/{again}/events", json={**late, "id": raw_event("x")["id"]}).status_code == 200


def test_a_mix_by_the_bag_starts_with_what_the_last_load_took(client: Client, clock: Clock) -> None:
    """Load 1 starts at 1.5 L a bag and takes 1.2 L more: so much goes into the start of load 2."""
    plan_id, load_id = begun(client, **a_job_of("concrete-bagged", "tilting-drum"))
    first = running(client, load_id)
    while running(client, load_id).situation(clock.now).act != "judge":
        do_step(client, clock, load_id)
    position = running(client, load_id).situation(clock.now).position
    for event in (
        raw_event("judged", clock.now, reading="too-dry", step=position),
        raw_event("water_added", clock.now, device_seq=2, water_l=1.2),
        raw_event("mixed", clock.now, device_seq=3, minutes=3.0),
        raw_event("judged", clock.now, device_seq=4, reading="right", step=position),
    ):
        assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    taken_l = first.load.water.start_l + 1.2
    card = client.get(f"/plan/{plan_id}/load/2").text
    paper = client.get(f"/plan/{plan_id}/print").text
    second = running(client, begin(client, plan_id, 2))
    situation = second.situation(clock.now)
    assert situation.load.water.start_l == pytest.approx(taken_l)
    assert situation.load.water.target_l == pytest.approx(taken_l)
    # Card, paper and bench say the same litres, and paper how long they hold.
    share_l = situation.step.water_l if situation.step else None
    assert share_l is not None
    words = f"{in_figures(share_l, 1)}\u202fL"
    for page in (card, paper, client.get(f"/bench/{second.id}").text):
        assert words in page or f'value="{in_figures(share_l, 1)}"' in page
    assert "Same as the last load" in card
    assert "Good until the next load is judged" in paper


def test_card_and_bench_have_one_figure_where_a_stockpile_is_followed(client: Client, clock: Clock) -> None:
    plan_id, load_id = begun(client)
    to_place(client, clock, load_id)
    card = client.get(f"/plan/{plan_id}/load/2").text
    found = loads.begin_load(client.engine, client.visitor, plan_id, 2, clock.now)
    assert found is not None
    step = running(client, found).situation(clock.now).load
    start = f"{in_figures(step.water.start_l * 0.8, 1)}\u202fL"
    assert start in re.sub(r"<[^>]+>", "", card)


def test_an_event_of_a_load_that_nobody_looks_at_is_kept_without_a_page(client: Client) -> None:
    _, load_id = begun(client)
    note, only_kept = raw_event("note", text="level"), {"Prefer": "return=minimal"}
    for _ in range(2):  # sent again, it is kept once
        answer = client.post(f"/bench/{load_id}/events", json=note, headers=only_kept)
        assert (answer.status_code, answer.content) == (204, b"")
    assert [event.kind for event in running(client, load_id).events].count("note") == 1
    refused = client.post(f"/bench/{load_id}/events", json=raw_event("judged"), headers=only_kept)
    assert refused.status_code == 422
