"""The page of a day: jobs put in, moved, refused, the offered changes taken, its clock where the crew is."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any
from uuid import UUID

import icalendar
import pytest
from forms_in_html import fields_in

from keeve.core.day_plan.day import DayPlan
from keeve.core.zones import zone_named
from keeve.data import calendar_feeds, day_lists, days
from keeve.devices.weather import SimulatedWeather
from web.conftest import Client, Clock
from web.test_loads_by_http import begun, to_place

DAY = date(2026, 5, 4)
WEATHER = SimulatedWeather()


def shown(client: Client) -> dict[str, str]:
    return fields_in(client.get(f"/day?day={DAY}").text, "day-form")


def save(client: Client, **changed: str) -> Any:
    client.clock.now += timedelta(seconds=1)  # the newest counts
    return client.post(f"/day/{DAY}", data=shown(client) | changed)


def planned(client: Client) -> DayPlan:
    return days.planned(client.engine, client.visitor, DAY)


def view(client: Client) -> days.DayView:
    return days.day_view(client.engine, client.visitor, WEATHER, DAY, client.clock.now)


def with_a_job(client: Client, **changes: Any) -> str:
    """A job put into the day; its plan."""
    plan_id = str(begun(client, **changes)[0])
    assert save(client, add=plan_id).status_code == 303
    return plan_id


def test_an_empty_day_says_what_to_do_and_a_job_is_put_into_it(client: Client) -> None:
    assert "Add a job to see its loads" in client.get(f"/day?day={DAY}").text
    plan_id = with_a_job(client)
    (job,) = planned(client).jobs
    # Load 1 was begun already: what is left goes in.
    assert (job.plan_id, job.first_load, job.loads) == (plan_id, 2, 3)
    page = client.get(f"/day?day={DAY}").text
    assert "Coping bed" in page
    assert "check a real forecast" in page
    assert save(client, **{"remove.0": "on"}).status_code == 303
    assert planned(client).jobs == []


def test_what_cannot_be_read_is_named_and_kept(client: Client) -> None:
    with_a_job(client)
    for field, typed, words in (
        ("begins.0", "soon", "Start: enter a time"),
        ("loads.0", "many", "Loads today"),
        ("placing.0", "", "You place per hour"),
        ("hands", "0", "People must be"),
        ("loads.0", "0", "Loads today must be"),
        ("placing.0", "0", "You place per hour must be"),
        ("plan_id.0", "other", "jobs is gone"),
        ("hands", "1.5", "whole number"),
    ):
        answer = save(client, **{field: typed})
        assert (answer.status_code, words in answer.text) == (422, True), (field, answer.text)
        if typed and field != "plan_id.0":
            assert fields_in(answer.text, "day-form")[field] == typed
    ticked = client.post(f"/day/{DAY}", data=shown(client) | {"mixer3.0": "on", "hands": "few"}).text
    assert 'name="mixer3.0" checked' in ticked
    form = {name: value for name, value in shown(client).items() if not name.startswith("mixer1.")}
    assert "tick one or more" in client.post(f"/day/{DAY}", data=form).text
    assert client.get(f"/day/{DAY}").status_code == 303
    assert client.get("/day?day=2036-01-01").status_code == 404


def test_a_change_that_is_offered_is_taken_and_one_that_is_not_is_refused(client: Client) -> None:
    with_a_job(client)
    slow = {
        "mixer1.0": "on",
        "mixer2.0": "on",
        "placing.0": "0.032",
        "begins.0": "13:00",
        "first_load.0": "2",
    }
    save(client, **slow)
    before = view(client)
    assert before.outcome.breaks
    page = client.get(f"/day?day={DAY}").text
    assert "This plan won't work" in page
    kinds = [f"{each.kind} {each.job} {each.to:g}" for each in before.changes]
    assert client.post(f"/day/{DAY}/change", data={"change": kinds[0]}).status_code == 303
    assert planned(client) == before.changes[0].day
    assert client.post(f"/day/{DAY}/change", data={"change": "magic 0 1"}).status_code == 422


def test_all_that_makes_it_hold_is_taken_at_once(client: Client) -> None:
    with_a_job(client)
    save(client, **{"mixer1.0": "on", "mixer2.0": "on", "placing.0": "0.04", "begins.0": "13:00"})
    assert view(client).holds
    assert client.post(f"/day/{DAY}/change", data={"change": "all"}).status_code == 303
    assert view(client).outcome.breaks == []
    assert "Finished by" in client.get(f"/day?day={DAY}").text


def test_the_bench_moves_the_ribbon(client: Client, clock: Clock) -> None:
    plan_id, load_id = begun(client)
    save(client, add=str(plan_id))
    save(client, **{"first_load.0": "1", "loads.0": "4"})
    to_place(client, clock, load_id)
    clock.turn(30)
    first, second = view(client).outcome.jobs[0][:2]
    minute = (clock.now - datetime(2026, 5, 4, tzinfo=UTC)) / timedelta(minutes=1)
    assert first.is_begun
    assert second.pieces[0].from_min >= minute
    clock.turn(60)
    later = view(client).outcome.jobs[0][1]
    assert later.pieces[0].from_min == pytest.approx(second.pieces[0].from_min + 60)


def test_another_crews_plan_is_not_put_into_a_day(client: Client, clock: Clock) -> None:
    plan_id = with_a_job(client)
    other = Client(client.engine, clock)
    assert other.post(f"/day/{DAY}", data=shown(other) | {"add": plan_id}).status_code == 303
    assert planned(other).jobs == []
    forged = shown(client)
    assert other.post(f"/day/{DAY}", data=forged).status_code == 422
    assert planned(other).jobs == []


def test_the_day_of_a_clock_change_has_the_minutes_it_has(client: Client, clock: Clock) -> None:
    """In London 29 March 2026 has 23 hours: what begins at 8:00 there begins seven hours after midnight."""
    london = replace(client.visitor, zone=zone_named("Europe/London"))
    day, plan_id = date(2026, 3, 29), str(begun(client)[0])
    plan = days.with_added(client.engine, london, DayPlan(), UUID(plan_id))
    found = days.day_view(client.engine, london, WEATHER, day, clock.now, plan)
    assert plan.jobs[0].begins_min == 480
    assert found.starts == [420]
    first = found.outcome.jobs[0][0].pieces[0]
    assert found.moment(first.from_min).astimezone(london.zone).strftime("%H:%M") == "08:00"
    for change in found.changes:
        assert {job.begins_min for job in change.day.jobs} <= {480, 510, 540} or change.kind == "later"


def test_the_list_of_a_day_is_ticked_and_shared_out(client: Client) -> None:
    here = f"/day/{DAY}/list"
    assert "Nothing to bring" in client.get(here).text
    with_a_job(client)
    assert "0 of" in client.get(here).text
    assert client.post(here, data={"item": "tub", "said": "there"}).status_code == 303
    assert "1 of" in client.get(here).text
    name = client.visitor.name
    assert client.post(here, data={"item": "tub", "said": "who", "who": name}).status_code == 303
    found = day_lists.day_list(client.engine, client.visitor, WEATHER, DAY, client.clock.now)
    (tub,) = [line for _, lines in found.groups for line in lines if line.need.key == "tub"]
    assert (tub.is_there, tub.who) == (True, name)
    assert client.post(here, data={"item": "tub", "said": "open"}).status_code == 303
    assert "0 of" in client.get(here).text
    for wrong in ({"said": "perhaps"}, {"said": "who", "who": "Nobody"}, {"said": "there", "item": ""}):
        assert client.post(here, data={"item": "tub"} | wrong).status_code == 422


def test_what_is_planned_is_on_today_and_in_the_calendar(client: Client, clock: Clock) -> None:
    with_a_job(client)
    save(client, **{"begins.0": "13:30"})
    page = client.get("/").text
    assert "Planned today" in page
    assert "13:30" in page
    token = calendar_feeds.new_feed(client.engine, client.visitor, clock.now)
    read = icalendar.Calendar.from_ical(client.get(f"/calendar/{token}.ics").text)
    (event,) = read.events
    assert str(event["summary"]) == "Coping bed: 3 loads"
    assert event["dtstart"].dt == datetime(2026, 5, 4, 13, 30, tzinfo=UTC)
    first = view(client)
    assert event["dtend"].dt == first.moment(first.outcome.ends_min).replace(microsecond=0)


def test_getting_ready_stands_before_the_first_load_of_a_job(client: Client) -> None:
    """By hand: mortar has its bricks damped, 5 min, and the hose run cool, 2 min: 7 min before the first load."""
    with_a_job(client)
    found = view(client)
    (job,) = found.outcome.jobs
    ready_min = found.ready_min(0)
    assert found.works[0].plan.mix.name == "Bricklaying mortar"
    assert ready_min == pytest.approx(job[0].pieces[0].from_min - 7)
    page = client.get(f"/day?day={DAY}").text
    assert "Get ready from" in page
    assert 'class="bar-ready"' in page
    card = client.get(f"/plan/{found.lines[0].job.plan_id}/load/1").text
    assert "Damp thirsty bricks, blocks or stone, 5 min" in card
    assert "Before you mix" not in client.get(f"/plan/{found.lines[0].job.plan_id}/load/2").text
