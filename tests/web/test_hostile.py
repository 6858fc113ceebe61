"""Whatever is sent, the answer is no fault of the server's, and the crew's pages go on opening.

``KEEVE_HOSTILE=100000 ./keeve test tests/web/test_hostile.py`` sends that many and says which took longest.
"""

import os
import time
from collections.abc import Callable, Iterator
from random import Random
from typing import Any
from urllib.parse import quote
from uuid import UUID

import pytest
from fastapi.testclient import TestClient
from forms_in_html import fields_in
from helpers import NOON, RAW_JOB, raw_event
from hostile import TEXTS, VALUES, as_json, spoilt, spoilt_form, spoilt_text
from httpx2 import Response
from sqlalchemy.exc import ProgrammingError
from started import a_started_load

from keeve.core.loads.actions import ACTIONS
from keeve.core.mixes import get_mix, mix_text
from keeve.core.rules.calc import all_rules
from keeve.formats.job_file import read_job
from keeve.formats.packed_job import pack_job
from keeve.launch.serve import OneLine
from keeve.store.database import crew_session
from keeve.store.models import Event
from keeve.web.limits import MOST_FIELDS
from web.conftest import Client
from web.test_security import a_load, every_route

REQUESTS = int(os.environ.get("KEEVE_HOSTILE", "500"))
PAGES = (
    "/",
    "/jobs",
    "/plan",
    "/bench",
    "/log",
    "/log.csv",
    "/log.xlsx?events=true",
    "/log/import",
    "/log.jsonl",
    "/log.jsonl?events=true",
    "/yard",
    "/kit",
    "/mixes",
    "/crew",
    "/cure",
    "/day",
    "/account",
    "/crew/security",
)
# They take what they are given away: the session, or the work that the others go on with.
LEFT_OUT = {
    "/sign-out",
    "/account/sign-out-everywhere",
    "/account/password",
    "/jobs/{job_id}/delete",
    "/demo/afresh",
}
SLOW = ("pdf", "png", "mesh")
JSON = {"Content-Type": "application/json"}
KINDS = list(ACTIONS)


class Sender:
    """Somebody signed in who sends what nobody means to send."""

    def __init__(self, client: Client, seed: int) -> None:
        self.client, self.chance = client, Random(seed)
        self.ids = a_load(client)
        self.routes = [
            (method, path)
            for method, path in every_route()
            if path not in LEFT_OUT and not any(part in path for part in SLOW)
        ]
        paths = ("/plan", "/yard/new/scale", "/yard/new/bag", "/mixes/mortar-general/own")
        self.forms = {path: fields_in(client.get(path).text) for path in paths}
        self.mix, self.rules = mix_text(get_mix("mortar-general")), list(all_rules().values())

    def requests(self) -> Iterator[Response]:
        """One after the other, of every kind."""
        ways: list[Callable[[], Response]] = [
            self.route, self.route, self.plan_form, self.form, self.event, self.event, self.rule, self.rule_form,
            self.file, self.query,
        ]  # fmt: skip
        while True:
            yield self.chance.choice(ways)()

    def route(self) -> Response:
        """Any address with something else in it, and any body."""
        method, path = self.chance.choice(self.routes)
        texts = [text for text in TEXTS if len(text) < 400]
        ids = {
            name: known if self.chance.random() < 0.7 else quote(self.chance.choice(texts), safe="") or "-"
            for name, known in self.ids.items()
        }
        body: dict[str, Any] = {}
        if method == "POST":
            form = {
                name: self.chance.choice(TEXTS)
                for name in ("title", "note", "name", "role", "crew_id", "text")
            }
            body = {"data": form} if self.chance.random() < 0.5 else self._json(self.chance.choice(VALUES))
        return self.client.request(method, path.format(**ids), **body)

    def query(self) -> Response:
        """A page with something in its query."""
        path, name = self.chance.choice(
            [("/plan", "mix"), ("/plan", "shape"), ("/plan", "again"), ("/plan", "change"), ("/plan/quick", "job"),
             ("/mixes", "thickness"), ("/mixes/compare", "mix"), (f"/mixes/{self.ids['mix_id']}", "version"),
             ("/jobs", "q"), ("/log", "before"), ("/mixes/mortar-general", "mixer"), ("/sign-in", "next"),
             ("/sign-in", "job")]
        )  # fmt: skip
        text = self.chance.choice([text for text in TEXTS if len(text) < 8_000])
        return self.client.get(path, params={name: text})

    def plan_form(self) -> Response:
        """The plan form, spoilt."""
        address = self.chance.choice(("/plan", "/plan/preview", "/plan/preview", "/plan/units"))
        return self.client.post(address, data=spoilt_form(self.chance, self.forms["/plan"]))

    def form(self) -> Response:
        """Another form, spoilt."""
        path = self.chance.choice(list(self.forms))
        return self.client.post(path, data=spoilt_form(self.chance, self.forms[path]))

    def event(self) -> Response:
        """An event of the load or of its stockpile, spoilt or not."""
        figures = {"step": 1, "material": "sand", "mass_kg": 10.0, "water_l": 2.0, "reading": "right", "text": "note",
                   "add_kg": {"sand": 1.0}, "volume_l": 5.0, "typed": {"water_l": "2"}, "doses": {"a": 1}}  # fmt: skip
        kind = self.chance.choice([*KINDS, "rain", "pan", "felt"])
        kept = {name: figure for name, figure in figures.items() if self.chance.random() < 0.4}
        event = raw_event(kind, **kept)
        where = self.chance.choice(("events", "events", "stockpile"))
        bench = f"/bench/{self.ids['load_id']}"
        answer = self.client.post(f"{bench}/{where}", **self._json(spoilt(self.chance, event)))
        # What was kept can be read again by everybody.
        assert all(self.client.get(path).status_code == 200 for path in (bench, "/") if answer.is_success)
        return answer

    def rule(self) -> Response:
        """A rule by its example, spoilt, one or a list of them."""
        rule = self.chance.choice(self.rules)
        given: Any = spoilt(self.chance, rule.example.given)
        if self.chance.random() < 0.1:
            given = [given] * self.chance.choice((2, 100))
        return self.client.post(f"/api/v1/rules/{rule.id}", **self._json(given))

    def rule_form(self) -> Response:
        """The page of a rule, its fields spoilt."""
        rule = self.chance.choice(self.rules)
        fields = fields_in(self.client.get(f"/rules/{rule.id}").text)
        return self.client.post(f"/rules/{rule.id}/try", data=spoilt_form(self.chance, fields))

    def file(self) -> Response:
        """A file of a mix or of a job, or a job packed into an address, spoilt."""
        match self.chance.randrange(3):
            case 0:
                return self.client.post("/mixes/open", data={"file": spoilt_text(self.chance, self.mix)})
            case 1:
                job = as_json(spoilt(self.chance, RAW_JOB))
                return self.client.post("/plan/open", data={"file": job.encode(errors="replace").decode()})
            case _:
                packed = spoilt_text(self.chance, pack_job(read_job(RAW_JOB)))
                return self.client.get("/plan/quick", params={"job": packed[:8_000]})

    def _json(self, value: Any) -> dict[str, Any]:
        return {"content": as_json(value), "headers": JSON}


@pytest.mark.parametrize("seed", range(1, 3))
def test_nothing_that_is_sent_is_a_fault_of_the_server(client: Client, seed: int) -> None:
    sender = Sender(client, seed)
    slowest: list[tuple[float, str]] = []
    began = time.perf_counter()
    for number, answer in enumerate(sender.requests()):
        spent = time.perf_counter() - began
        asked = f"request {number}: {answer.request.method} {str(answer.request.url)[:200]}"
        assert answer.status_code < 500, (asked, bytes(answer.request.content)[:2_000])
        slowest = sorted([*slowest, (spent, asked)], reverse=True)[:5]
        if number >= REQUESTS // 2:
            break
        began = time.perf_counter()
    print("slowest:", *(f"{spent * 1000:.0f} ms, {asked}" for spent, asked in slowest), sep="\n  ")
    for path in PAGES:
        assert client.get(path, follow_redirects=True).status_code == 200, path
    assert client.get(f"/bench/{sender.ids['load_id']}").status_code == 200


@pytest.mark.parametrize(
    ("path", "size"),
    [
        ("/plan", 2_000_000),
        ("/sign-in", 2_000_000),
        ("/bench/x/events", 30_000),
        ("/api/v1/rules/tare", 300_000),
    ],
)
def test_a_body_is_read_no_further_than_its_address_could_want(client: Client, path: str, size: int) -> None:
    read = 0

    def pieces() -> Iterator[bytes]:
        nonlocal read
        for _ in range(1_000):
            read += 10_000
            yield b"x" * 10_000

    kind = "application/json" if path.startswith(("/bench", "/api")) else "application/x-www-form-urlencoded"
    answer = client.post(path, content=pieces(), headers={"Content-Type": kind})
    assert answer.status_code == 422
    assert "Too large" in answer.text
    announced = client.post(path, content=b"x" * size, headers={"Content-Type": kind})
    assert (announced.status_code, "Too large" in announced.text) == (422, True)


def test_a_form_has_no_more_fields_than_a_form_has(client: Client) -> None:
    answer = client.post("/plan", data={f"need.{number}.kind": "slab" for number in range(MOST_FIELDS + 1)})
    assert answer.status_code == 422
    many = client.post("/plan/preview", data={f"need.{number}.kind": "slab" for number in range(1_000)})
    assert many.status_code == 422


def test_a_note_of_the_year_1_is_refused_and_one_that_is_stored_is_set_aside(client: Client) -> None:
    """It broke the page of its load for good."""
    load_id = a_started_load(client.engine, client.visitor)
    note = {**raw_event("note", NOON, device_seq=1, text="early"), "occurred_at": "0001-01-01T00:00:00+14:00"}
    answer = client.post(f"/bench/{load_id}/events", json=note)
    assert (answer.status_code, "of this century" in answer.text) == (422, True)
    # As an older server took it.
    with crew_session(client.engine, client.visitor.crew_id) as session:
        whose = client.visitor.account_id
        session.add(
            Event(id=UUID(note["id"]), load_id=load_id, account_id=whose, received_at=NOON, content=note)
        )
    for page in (f"/bench/{load_id}", f"/log/{load_id}"):
        assert client.get(page).status_code == 200


@pytest.mark.parametrize("address", ["/plan", "/plan/preview", "/plan/units"])
def test_a_row_of_any_number_breaks_no_form(client: Client, address: str) -> None:
    form = {
        "need.0.kind": "mould", "need.0.container.by": "solids", "need.0.container.solids.0.solid": "box",
        "need.0.container.solids.999999999999.solid": "box", "need.999999999999.kind": "slab",
    }  # fmt: skip
    assert client.post(address, data=form).status_code in (200, 303, 422)


def test_a_mesh_that_is_sent_as_a_form_is_refused(client: Client) -> None:
    address = "/plan/mesh?name=a.stl&unit=mm&up=z&cut=length&close=no"
    assert client.post(address, data={"a": "b"}).status_code == 422
    assert client.post(address, files={"a": ("a.stl", b"solid")}).status_code == 422


def test_a_fault_of_ours_is_told_in_one_line_without_what_was_asked(
    client: Client, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*given: object) -> None:
        raise ProgrammingError("select secret from account", {"token": "secret"}, Exception("secret"))

    monkeypatch.setattr("keeve.data.jobs.jobs", broken)
    served = TestClient(OneLine(client.app), base_url="http://127.0.0.1", raise_server_exceptions=False)
    answer = served.get("/jobs", headers=client.headers)
    assert (answer.status_code, "Keeve made a mistake" in answer.text) == (500, True)
    told = capsys.readouterr().err
    assert told.count("\n") == 1
    assert "fault at /jobs: ProgrammingError in" in told
    assert "secret" not in told
