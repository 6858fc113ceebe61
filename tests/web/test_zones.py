"""Times on the pages are those of the crew, whatever the server's zone is."""

from datetime import UTC, datetime, timedelta

from web.conftest import Client, Clock
from web.test_jobs_by_http import a_job


def test_a_load_across_the_night_of_a_clock_change_is_told_in_the_crews_time(
    client: Client, clock: Clock
) -> None:
    # In London clocks went an hour forward at 01:00 UTC on 29 March 2026.
    assert client.post("/crew/zone", data={"zone": "Europe/London"}).status_code == 303
    clock.now = datetime(2026, 3, 29, 0, 50, tzinfo=UTC)
    client.post(f"/plan/{a_job(client)}/load/1/begin")
    assert "today 00:50" in client.get("/log").text
    clock.now += timedelta(minutes=20)
    client.post(f"/plan/{a_job(client, 'Later')}/load/1/begin")
    log = client.get("/log").text
    assert 0 < log.index("today 02:10") < log.index("today 00:50")


def test_a_day_begins_when_it_does_where_the_crew_is(client: Client, clock: Clock) -> None:
    client.post("/crew/zone", data={"zone": "Pacific/Auckland"})
    clock.now = datetime(2026, 5, 4, 11, 30, tzinfo=UTC)
    client.post(f"/plan/{a_job(client)}/load/1/begin")
    clock.now += timedelta(hours=1)
    assert "yesterday 23:30" in client.get("/log").text


def test_a_zone_that_is_none_is_refused(client: Client) -> None:
    answer = client.post("/crew/zone", data={"zone": "Moon/Tycho"})
    assert (answer.status_code, "from the list" in answer.text) == (422, True)
