"""The pages of jobs: the list, one job, its changes and what is refused."""

from forms_in_html import fields_in
from helpers import Run, job
from started import a_started_load

from keeve.core.loads.event import event_json
from keeve.data import loads, plans
from web.conftest import Client


def a_job(client: Client, title: str = "Sill bed") -> str:
    saved = client.post("/plan", data={"title": title, "mixer.working_l": "60"})
    return str(saved.headers["location"]).split("/")[2]


def test_a_job_is_renamed_noted_on_archived_and_deleted_on_its_page(client: Client) -> None:
    job_id = a_job(client)
    here = f"/jobs/{job_id}"
    assert client.post(f"{here}/title", data={"title": "North sill"}).headers["location"] == here
    assert client.post(f"{here}/notes", data={"note": "Gate key at the <lock>"}).headers["location"] == here
    page = client.get(here).text
    assert "North sill" in page
    assert "Gate key at the &lt;lock&gt;" in page
    assert "North sill" in client.get("/jobs?q=gate").text
    assert "No jobs match" in client.get("/jobs?q=quay").text
    assert "North sill" in client.get(f"/plan/{job_id}/load/1").text
    assert client.post(f"{here}/archive").headers["location"] == "/jobs"
    assert "North sill" not in client.get("/jobs").text
    assert "North sill" in client.get("/jobs?archived=yes").text
    client.clock.turn(1)
    assert client.post(f"{here}/archive", data={"back": "yes"}).headers["location"] == here
    client.clock.turn(1)
    assert client.post(f"{here}/delete").headers["location"] == "/jobs"
    assert client.get(here).status_code == 404
    assert client.get(f"/plan/{job_id}/load/1").status_code == 404


def test_what_is_refused_keeps_what_was_typed(client: Client) -> None:
    job_id = a_job(client)
    for what, field, text in (("title", "title", "x" * 200), ("notes", "note", "y" * 3000)):
        answer = client.post(f"/jobs/{job_id}/{what}", data={field: text})
        assert answer.status_code == 422
        assert text in answer.text
        assert client.get(f"/jobs/{job_id}/{what}").status_code == 303
    client.post(f"/plan/{job_id}/load/1/begin")
    answer = client.post(f"/jobs/{job_id}/delete")
    assert (answer.status_code, "Archive it instead" in answer.text) == (422, True)


def test_a_changed_job_is_one_job_with_two_versions(client: Client) -> None:
    job_id = a_job(client)
    client.post(f"/plan/{job_id}/load/1/begin")
    page = client.get(f"/plan?change={job_id}").text
    assert "Change Sill bed" in page
    assert "1 load already mixed" in page
    form = fields_in(page, "plan-form")
    wrong = client.post("/plan", data={**form, "need.0.length_m": "far"})
    assert wrong.status_code == 422
    assert fields_in(wrong.text, "plan-form")["_version_of"] == job_id
    changed = client.post("/plan", data={**form, "need.0.length_m": "9"}).headers["location"].split("/")[2]
    assert changed != job_id
    page = client.get(f"/jobs/{job_id}").text
    assert "Version 2" in page
    assert f"/plan/{changed}/load/1" in page
    assert client.get("/jobs").text.count("Sill bed</b>") == 1
    assert "/jobs/" + job_id in client.get(f"/plan/{changed}/load/1").text
    # A duplicate is a job of its own.
    again = fields_in(client.get(f"/plan?again={changed}").text, "plan-form")
    assert "_version_of" not in again
    client.post("/plan", data=again)
    assert client.get("/jobs").text.count("Sill bed</b>") == 2


def test_what_is_left_to_place_is_said_and_what_was_thrown_away_is_left(client: Client) -> None:
    """Four loads of 68.8 L along 12.5 m: one is placed, one thrown away."""
    slab = {"shape": "slab-volume", "length_m": 12.5, "width_m": 0.5, "thickness_m": 0.04}
    made = plans.save_plan(client.engine, client.visitor, job(need=slab, waste_fraction=0.1))
    saved = plans.saved_plan(client.engine, client.visitor, made)
    assert saved is not None
    assert "left to place" not in client.get(f"/jobs/{saved.job_id}").text
    for number, last in ((1, {"kind": "placed"}), (2, {"kind": "discarded", "reason": "Not needed"})):
        load_id = a_started_load(client.engine, client.visitor, made, number)
        run = Run(saved.plan, number).to_right()
        run.do(**({**last, "volume_l": run.now.remaining_l} if number == 1 else last))
        for event in run.events:
            loads.record_event(client.engine, client.visitor, load_id, event_json(event), run.at)
    page = " ".join(client.get(f"/jobs/{saved.job_id}").text.split())
    assert "left to place: 206 L, 9.37 m of 12.50 m" in page.replace("\u202f", " ").replace("\xa0", " ")


def test_two_jobs_are_side_by_side_by_what_differs(client: Client) -> None:
    one = a_job(client)
    assert "No other job yet" in client.get(f"/jobs/{one}/beside").text
    saved = client.post(
        "/plan", data={"title": "Quay slab", "mix": "concrete-nominal", "mixer.working_l": "60"}
    )
    other = str(saved.headers["location"]).split("/")[2]
    page = client.get(f"/jobs/{one}/beside?other={other}").text
    assert "Quay slab" in page
    for words in ("Stone", "Loads", "Working time, min"):
        assert f'<th scope="row">{words}</th>' in page
    saved = client.post("/plan", data={"title": "Sill bed", "mixer.working_l": "30"})
    smaller = str(saved.headers["location"]).split("/")[2]
    page = client.get(f"/jobs/{one}/beside?other={smaller}").text
    # The same mix in more and smaller loads: what differs stands first.
    assert page.index(">Loads<") < page.index(">Mix<")
    assert client.get(f"/jobs/{one}/beside?other={one[:-4]}0000").status_code == 404
    assert Client(client.engine, client.clock).get(f"/jobs/{one}/beside").status_code == 404
