"""What follows a pour, on the pages and in the calendar: asked for, said, taken back, read by a reader of calendars."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from random import Random
from uuid import UUID

import icalendar
import pytest
from helpers import a_job_of, raw_event
from people import new_visitor

from keeve.core.zones import zone_named
from keeve.data import calendar_feeds, crews, pours
from keeve.devices.weather import SimulatedWeather
from keeve.formats.calendar_text import CalendarEntry, calendar_text
from web.conftest import Client, Clock
from web.test_loads_by_http import begin, begun, to_place

WEATHER = SimulatedWeather()


def placed(client: Client, clock: Clock, load_id: UUID) -> datetime:
    """Mix a load and place some of it; when."""
    to_place(client, clock, load_id)
    event = raw_event("placed", clock.now, volume_l=5.0, device_seq=9)
    assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    return clock.now


def a_pour(client: Client, clock: Clock) -> UUID:
    """A floor of concrete, one load of it placed."""
    need = {"shape": "slab-volume", "length_m": 3, "width_m": 1, "thickness_m": 0.1}
    plan_id, load_id = begun(client, **a_job_of("concrete-nominal", "tilting-drum") | {"need": need})
    placed(client, clock, load_id)
    return plan_id


def followed(client: Client) -> list[pours.PourLine]:
    return pours.pours(client.engine, client.visitor, WEATHER, client.clock.now)


def states(client: Client) -> dict[str, str]:
    return {line.task.what: line.state for line in followed(client)[0].tasks}


def say(client: Client, job_id: UUID, task: str, said: str, **more: str) -> int:
    client.clock.turn(0.01)  # the newest counts
    where = f"/cure/{job_id}/{client.clock.now.date()}/task"
    return client.post(where, data={"task": task, "said": said, **more}).status_code


def test_loads_of_a_day_are_one_pour_and_those_of_the_next_another(client: Client, clock: Clock) -> None:
    plan_id, first = begun(client)
    began = placed(client, clock, first)
    clock.turn(60)
    ended = placed(client, clock, begin(client, plan_id, 2))
    (pour,) = followed(client)
    assert (pour.job_id, pour.cure.first_at, pour.cure.last_at) == (plan_id, began, ended)
    clock.turn(24 * 60)
    placed(client, clock, begin(client, plan_id, 3))
    assert [pour.day for pour in followed(client)] == [clock.now.date(), began.date()]


def test_a_night_shift_is_one_pour(client: Client, clock: Clock) -> None:
    clock.turn(11 * 60)
    plan_id, first = begun(client)
    began = placed(client, clock, first)
    clock.turn(2 * 60)
    placed(client, clock, begin(client, plan_id, 2))
    (pour,) = followed(client)
    assert (pour.day, pour.cure.first_at) == (began.date(), began)
    assert pour.cure.last_at.date() > pour.day


def test_a_cast_has_its_own_page_and_no_pour(client: Client, clock: Clock) -> None:
    _, load_id = begun(client, **a_job_of("plaster-casting", "bucket"))
    placed(client, clock, load_id)
    assert followed(client) == []


def test_what_is_due_is_on_today_and_what_is_done_is_not(client: Client, clock: Clock) -> None:
    job_id = a_pour(client, clock)
    assert "Saw the joints" in client.get("/").text
    assert say(client, job_id, "saw-joints", "done", back="today") == 303
    assert states(client)["saw-joints"] == "done"
    assert "Saw the joints" not in client.get("/").text
    page = client.get("/cure").text
    assert client.visitor.name in page
    assert "follow the local code" in page
    assert say(client, job_id, "saw-joints", "open") == 303
    assert say(client, job_id, "keep-wet", "skipped") == 303
    assert (states(client)["saw-joints"], states(client)["keep-wet"]) == ("later", "skipped")
    assert say(client, job_id, "keep-wet", "perhaps") == 422
    load_id = client.get("/log").text.split('class="row-words" href="/log/')[1].split('"')[0]
    record = client.get(f"/log/{load_id}").text
    assert "Done: Saw the joints" in record
    assert "Reopened: Saw the joints" in record
    assert "Skipped: Keep it wet or under sheets" in record
    clock.turn(60 * 24 * 5)
    assert states(client)["saw-joints"] == "late"
    assert "Late" in client.get("/").text


def test_a_thermometer_moves_the_dates_and_nonsense_is_refused(client: Client, clock: Clock) -> None:
    job_id = a_pour(client, clock)
    (before,) = followed(client)
    here = f"/cure/{job_id}/{clock.now.date()}"
    clock.turn(30)
    assert client.post(f"{here}/temperature", data={"c": "45 °C"}).status_code == 303
    (after,) = followed(client)
    assert [reading.c for reading in after.readings] == [45.0]
    begins = [{line.task.what: line.task.begins for line in pour.tasks} for pour in (before, after)]
    assert begins[1]["walk-on"] < begins[0]["walk-on"]
    for typed in ("warm", "450"):
        wrong = client.post(f"{here}/temperature", data={"c": typed})
        assert (wrong.status_code, f'value="{typed}"' in wrong.text) == (422, True)
    assert client.post(f"{here}/remove").status_code == 303
    assert followed(client) == []
    assert "Nothing curing" in client.get("/cure").text


def calendar(client: Client, address: str) -> icalendar.Calendar:
    answer = Client(client.engine, client.clock, signed_in=False).get(address)
    assert answer.headers["content-type"].startswith("text/calendar")
    return icalendar.Calendar.from_ical(answer.text)


def test_a_calendar_reads_what_is_open_by_its_secret_address(client: Client, clock: Clock) -> None:
    job_id = a_pour(client, clock)
    assert client.post("/cure/calendar").status_code == 303

    def address() -> str:
        return client.get("/cure").text.split("<code>http://127.0.0.1")[1].split("</code>")[0]

    events = {str(event["uid"]).split(".")[-1]: event for event in calendar(client, address()).events}
    wanted = {line.task.what: line.task for line in followed(client)[0].tasks if line.state != "over"}
    assert set(events) == {f"{what}@keeve" for what in wanted}
    for what, task in wanted.items():
        event = events[f"{what}@keeve"]
        assert abs(event["dtstart"].dt - task.begins) < timedelta(seconds=1)
        assert task.ends is None or abs(event["dtend"].dt - task.ends) < timedelta(seconds=1)
        assert str(event["summary"]).startswith(task.do)
        assert bool(event.alarms.times) == (task.kind == "do")
    say(client, job_id, "saw-joints", "done")
    assert len(calendar(client, address()).events) == len(wanted) - 1
    # A new address ends the one before, and it ends with its withdrawal.
    old = address()
    client.post("/cure/calendar")
    assert client.get(old).status_code == 404
    new = address()
    assert client.get(new).status_code == 200
    client.post("/cure/calendar/withdraw")
    assert client.get(new).status_code == 404


def test_an_address_ends_with_its_person_in_the_crew(client: Client, clock: Clock) -> None:
    engine, lead = client.engine, client.visitor
    other, _ = new_visitor(engine)
    crews.join(engine, other, crews.invite(engine, lead, "mixer", clock.now), clock.now)
    joined = replace(other, crew_id=lead.crew_id)
    token = calendar_feeds.new_feed(engine, joined, clock.now)
    reader = calendar_feeds.reader_of(engine, token)
    assert reader is not None
    assert reader.crew_id == lead.crew_id
    assert crews.remove(engine, lead, other.account_id, clock.now)
    assert calendar_feeds.reader_of(engine, token) is None


@pytest.mark.parametrize("seed", range(20))
def test_any_words_and_times_come_back_from_a_reader_of_calendars(seed: int) -> None:
    chance = Random(seed)
    letters = "aä,;:\\\"'\n €漢–\t=%🏗"

    def words() -> str:
        return "".join(chance.choice(letters) for _ in range(chance.randint(1, 200))).strip() or "-"

    def moment() -> datetime:
        return datetime(2026, 1, 1, tzinfo=UTC) + timedelta(minutes=chance.randrange(10**6))

    given = [CalendarEntry(f"{seed}.{n}", words(), words(), moment(), moment(), n % 2 == 0) for n in range(9)]
    read = icalendar.Calendar.from_ical(
        calendar_text("Crew; one, two", given, "https://site.test/cure", moment())
    )
    assert not list(read.errors)
    for entry, event in zip(given, read.events, strict=True):
        assert (str(event["summary"]), str(event["description"])) == (entry.summary, entry.description)
        assert (event["dtstart"].dt, event["dtend"].dt) == (entry.begins, entry.ends)


def test_the_air_of_the_crews_own_place_counts(client: Client, clock: Clock) -> None:
    a_pour(client, clock)
    (here,) = followed(client)
    visitor = replace(client.visitor, zone=zone_named("Asia/Singapore"))
    (there,) = pours.pours(client.engine, visitor, WEATHER, clock.now)
    begins = [{line.task.what: line.task.begins for line in pour.tasks} for pour in (here, there)]
    assert begins[1]["walk-on"] < begins[0]["walk-on"]
