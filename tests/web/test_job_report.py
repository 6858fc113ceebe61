"""The report of a job: what it says is what was told, and the same record gives the same file."""

import io
import re
from collections import Counter
from typing import Any
from uuid import UUID

import pytest
from pypdf import PdfReader
from sqlalchemy import Engine

from keeve.core.log.load_row import LoadRow
from keeve.core.log.log_filter import LogFilter
from keeve.data import jobs, loads
from keeve.data.accounts import Visitor
from keeve.data.log_entries import find
from keeve.web import worker_process
from web.conftest import Client, Clock
from web.test_load_record import fixed, load_id, running

__all__ = ["load_id"]


@pytest.fixture(scope="module")
def slab(engine: Engine, demo: tuple[Visitor, str]) -> list[LoadRow]:
    return find(engine, demo[0], LogFilter(mix_id="concrete-nominal"), limit=100)


def report_of(client: Client, job_id: UUID, asked: str = "") -> tuple[bytes, str]:
    """The file, and its text on one line, as an independent reader has it."""
    answer = client.get(f"/jobs/{job_id}/report.pdf{asked}")
    assert answer.headers["content-type"] == "application/pdf"
    text = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(answer.content)).pages)
    return answer.content, " ".join(text.replace("\u202f", " ").replace("\u2009", " ").split())


def job_of(listed: LoadRow, engine: Engine, visitor: Visitor) -> UUID:
    found = loads.running_load(engine, visitor, listed.id)
    assert found is not None
    return found.plan_id


def test_the_report_of_the_demos_slab(engine: Engine, demo: tuple[Visitor, str], slab: list[LoadRow]) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    job_id = job_of(slab[0], engine, demo[0])
    content, text = report_of(client, job_id, "?specified=25&standard=en-206")
    assert "Slipway slab · 1 of" in text
    assert "records up to" in text
    batched = text.split("Materials used")[1]
    # The sums, from every event by itself.
    events = loads.events_of(engine, demo[0], [one.id for one in slab])
    went_in: Counter[str] = Counter()
    for event in (event for told in events.values() for event in told):
        if event["kind"] == "charged":
            went_in[event["material"]] += event["mass_kg"]
        if event["kind"] == "water_added":
            went_in["water"] += event["water_l"]
    for name, amount in went_in.items():
        unit = "L" if name == "water" else "kg"
        figures = batched.split(f"{name.capitalize()} ")[1].split()
        assert f"{figures[2]} {figures[3]}" == f"{amount:.0f} {unit}", name
    for one in slab:
        ratio = one.ratio or 0.0
        over = "over max, " if ratio > 0.655 else ""
        line = f"{one.number} {one.begun_at:%-d %b %Y %H:%M} {one.water_l:.1f} L {over}{ratio:.2f}"
        assert line in text
    assert text.count("over max, 0.") == 10
    assert "25.0 MPa met" in text
    assert "Water, load to load" in text
    assert text.count("Signature") - text.count("Signatures") == 2
    # How somebody judges goes to no client.
    assert "Wetter or drier, by person" not in text
    assert "local codes and licensed professionals" in text
    # A day later it is the same, also where it is made anew.
    worker_process._made.clear()
    later = Clock()
    later.turn(24 * 60)
    assert (
        report_of(Client(engine, later, seen_as=demo), job_id, "?specified=25&standard=en-206")[0] == content
    )


def test_what_was_put_right_or_struck_out_is_in_it(client: Client, load_id: UUID) -> None:
    plan_id = running(client, load_id).plan_id
    typed = {"what": "put-right", "figure": "water_l", "value": "3.5"}
    assert fixed(client, load_id, "water_added", **typed, reason="read the wrong mark")[0] == 303
    _, text = report_of(client, plan_id)
    assert "Corrected by" in text
    assert "read the wrong mark" in text
    client.clock.turn(1)
    assert fixed(client, load_id, "water_added", what="strike", reason="it was the other drum")[0] == 303
    assert "it was the other drum" in report_of(client, plan_id)[1]


@pytest.mark.parametrize("units", ["metric", "us"])
def test_every_job_of_the_demo_has_a_report(
    engine: Engine, demo: tuple[Visitor, str], monkeypatch: pytest.MonkeyPatch, units: str
) -> None:
    texts = []

    async def write(request: Any, person: Any, act: Any, text: str, files: Any) -> bytes:
        texts.append(text)
        return b"%PDF"

    monkeypatch.setattr(worker_process, "run", write)
    worker_process._made.clear()
    client = Client(engine, Clock(), seen_as=demo)
    client.post("/units", data={"units": units})
    every = [*jobs.jobs(engine, demo[0]), *jobs.jobs(engine, demo[0], state="archived")]
    for job in every:
        assert client.get(f"/jobs/{job.id}/report.pdf").content == b"%PDF", job.title
    assert len(texts) == len(every) >= 10
    for text, job in zip(texts, every, strict=True):
        assert f"<h1>{job.title}</h1>" in text
        assert "None" not in re.sub(r"<style>.*?</style>", "", text, flags=re.DOTALL)
        # A picture knows its own styles only.
        assert all("<style>" in picture for picture in re.findall(r"<svg.*?</svg>", text, re.DOTALL))
    worker_process._made.clear()


def test_a_job_without_loads_has_a_report_that_says_so(client: Client) -> None:
    typed = {
        "title": "Sill bed",
        "need.0.kind": "volume",
        "need.0.volume_m3": "0.25",
        "mixer.working_l": "90",
    }
    plan_path = client.post("/plan", data=typed).headers["location"]
    job_id = UUID(plan_path.split("/")[2])
    assert "Materials used Nothing yet." in report_of(client, job_id)[1]


def test_a_strength_that_is_none_is_refused_on_the_page_of_the_job(
    engine: Engine, demo: tuple[Visitor, str], slab: list[LoadRow]
) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    job_id = job_of(slab[0], engine, demo[0])
    refused = client.get(f"/jobs/{job_id}/report.pdf?specified=strong&standard=aci-318")
    assert refused.status_code == 422
    assert "Specified strength" in refused.text
    assert 'value="strong"' in refused.text
    assert client.get(f"/jobs/{UUID(int=7)}/report.pdf").status_code == 404
