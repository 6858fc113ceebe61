"""The next job begins with what the loads before it showed, as fields that can be changed."""

import json
import re
from uuid import UUID

import pytest
from core.log.test_one_load import to_right
from helpers import NOON, Run, job
from playwright.sync_api import Browser
from sqlalchemy import Engine
from started import a_started_load

from keeve.core.loads.event import event_json
from keeve.core.log.log_filter import LogFilter
from keeve.core.planning.job import Job
from keeve.data import loads, plans
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find
from keeve.formats.job_file import write_job
from web.conftest import Client, Clock, Visit
from web.test_first_minutes import PHONE, SMALL, TARGETS


def field(page: str, name: str) -> str:
    found = re.search(rf'<input id="[^"]*" name="{re.escape(name)}"[^>]*value="([^"]*)"', page)
    assert found, name
    return found[1]


@pytest.fixture(scope="module")
def slab(engine: Engine, demo: tuple[Visitor, str]) -> UUID:
    (newest, *_) = find(engine, demo[0], LogFilter(mix_id="concrete-nominal"), limit=1)
    assert newest.plan_id is not None
    return newest.plan_id


def test_the_demos_slab_again(engine: Engine, demo: tuple[Visitor, str], slab: UUID) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    charts = client.get("/log/charts?mix=concrete-nominal").text
    assert f"/plan?again={slab}&amp;learnt=yes" in charts
    assert f"/plan?again={slab}&amp;learnt=yes" in client.get(f"/jobs/{slab}").text
    page = client.get(f"/plan?again={slab}&learnt=yes").text
    assert "Starting from your own results" in page
    # The wet week came out usable or poor: it is not learnt from.
    assert "35 loads, 0.58 to 0.60 · planned 0.60" in re.sub(r"\s+", " ", page)
    ratio = float(field(page, "own_water.ratio"))
    assert 0.57 < ratio < 0.6
    assert 80 <= float(field(page, "own_water.start_share")) <= 95
    assert float(field(page, "pace.cycle_min")) > 3
    # As it was, without.
    assert field(client.get(f"/plan?again={slab}").text, "own_water.ratio") == ""
    # What the form makes is a job with it.
    opened = json.loads(re.search(r"name=\"opened\" value='([^']*)'", page)[1].replace("&#34;", '"'))  # type: ignore[index]
    assert opened["own_water"]["ratio"] == pytest.approx(ratio, abs=1e-3)


def test_the_job_that_is_kept_has_its_own_water(client: Client) -> None:
    raw = write_job(job(mix="concrete-nominal", materials={}, vessels=[]))
    raw["own_water"] = {"ratio": 0.581234, "start_share": 0.9}
    plan_id = plans.save_plan(client.engine, client.visitor, Job.model_validate(raw))
    page = client.get(f"/plan?again={plan_id}").text
    assert field(page, "own_water.ratio") == "0.581"
    names = dict(re.findall(r'<(?:input|select)[^>]* name="([^"]+)"[^>]*value="([^"]*)"', page))
    typed = {
        name: value for name, value in names.items() if not name.startswith("_") and name != "form_token"
    }
    typed["opened"] = json.dumps(raw)
    again = client.post("/plan", data={**typed, "mix": "concrete-nominal", "need.0.kind": "volume"})
    assert again.status_code == 303, re.findall(r'class="refusal[^>]*>([^<]*)', again.text)
    kept = plans.saved_plan(client.engine, client.visitor, UUID(again.headers["location"].split("/")[2]))
    assert kept is not None
    # Untouched it stays what it was, to the last place.
    assert kept.job.own_water.ratio == 0.581234
    outside = client.post("/plan", data={**typed, "need.0.kind": "volume", "own_water.ratio": "0.9"})
    assert outside.status_code == 422
    assert "outside the range of" in outside.text


def test_too_few_loads_say_so(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job())
    loads.begin_load(client.engine, client.visitor, plan_id, 1, NOON)
    page = client.get(f"/plan?again={plan_id}&learnt=yes")
    assert page.status_code == 200
    assert "Not enough results yet" in page.text
    assert client.get(f"/plan?again={UUID(int=3)}&learnt=yes").status_code == 404


@pytest.mark.parametrize("context", [{}, PHONE], ids=["desk", "phone"])
def test_the_page_can_be_used(
    browser: Browser, origin: str, demo: tuple[Visitor, str], slab: UUID, context: dict[str, object]
) -> None:
    with browser.new_context(**context) as opened:  # type: ignore[arg-type]
        visit = Visit(opened.new_page(), origin, demo[1])
        visit.sign_in()
        for path in (f"/plan?again={slab}&learnt=yes", f"/jobs/{slab}"):
            visit.page.goto(origin + path)
            visit.check()
            assert visit.page.evaluate("document.documentElement.scrollWidth <= innerWidth"), path
            if context is PHONE:
                assert visit.page.evaluate(SMALL) == [], path
                assert visit.page.evaluate(TARGETS) == [], path


def test_one_good_trial_becomes_the_job(client: Client) -> None:
    """From the record of a load: the whole job with its water; of a load that says nothing there is no such link."""
    load_id = a_started_load(client.engine, client.visitor, job_of={"trial_l": 20})
    link = f'"/plan?load={load_id}"'
    assert link not in client.get(f"/log/{load_id}").text
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    run = to_right(Run(running.plan))
    for event in run.events:
        loads.record_event(client.engine, client.visitor, load_id, event_json(event), run.at)
    assert link in client.get(f"/log/{load_id}").text
    page = client.get(f"/plan?load={load_id}").text
    assert "From one load, so the range is wide" in page
    assert float(field(page, "own_water.ratio")) == pytest.approx(run.now.ratio, abs=1e-3)
    assert field(page, "trial_l") == ""
    assert client.get(f"/plan?load={UUID(int=3)}").status_code == 404
