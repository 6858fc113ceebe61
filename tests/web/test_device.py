"""What a device draws without signal is what the server draws: the same code, on what the pack holds."""

import io
import json
import os
import re
import subprocess
import sys
import zipfile
from datetime import timedelta
from pathlib import Path
from random import Random
from typing import Any, get_args
from urllib.parse import parse_qsl, urlsplit
from uuid import UUID, uuid4

import pydantic_core
import pytest
from forms_in_html import fields_in
from helpers import EVERY_PROCEDURE, a_job_of, job, raw_event
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.loads.offers import open_offers
from keeve.core.loads.running_load import RunningLoad
from keeve.core.mixes import library
from keeve.core.units import System
from keeve.data import plans
from keeve.formats.job_file import write_job
from keeve.formats.pack import Pack, ToldHere, checksum
from keeve.formats.packed_job import quick_address
from keeve.on_device.device import Device
from keeve.screens.paper.printed import STATIC
from keeve.screens.plan import form_job as plan_job
from keeve.screens.without_signal.bundle import bundle
from keeve.screens.without_signal.runtime import size
from keeve.web.security import UNITS_COOKIE
from web.conftest import Client, Clock

# One way of mixing each mix; all of them, a minute and a half, where that is asked for.
PROCEDURES = (
    EVERY_PROCEDURE if "KEEVE_EVERY_PROCEDURE" in os.environ else sorted(dict(EVERY_PROCEDURE).items())
)
# A form's own secret.
_TOKEN = re.compile(r'name="form_token" value="[^"]*"')


def device_of(client: Client) -> Device:
    """A device that was given its pack just now."""
    answer = client.get("/pack.json")
    assert answer.status_code == 200
    return Device(Pack.model_validate_json(answer.text), [], client.clock.now)


def without_tokens(html: str) -> str:
    return " ".join(_TOKEN.sub("", html).split())


def main_of(html: str) -> str:
    return without_tokens(html.split('<main id="main" tabindex="-1">')[1].split("</main>")[0]).strip()


def tapped(running: RunningLoad, client: Client, chance: Random, number: int) -> dict[str, Any] | None:
    """Something that may be done now: mostly what is asked for, as it is offered."""
    now = running.situation(client.clock.now)
    offers = [
        offer
        for offer in open_offers(running.plan, running.state, now)
        if offer.action not in ("amend", "undo")
    ]
    if not offers:
        return None
    position = str(now.position)
    asked = [offer for offer in offers if offer.target.split(" ")[0] == position] or offers
    offer = chance.choice(asked if chance.random() < 0.8 else offers)
    event = raw_event("", client.clock.now, device_seq=number) | offer.filled
    return event | dict.fromkeys(offer.words, "A trial")


def same_act(client: Client, device: Device, load_id: UUID) -> None:
    """The bench as the server shows it is the bench as the device draws it."""
    shown = client.get(f"/bench/{load_id}").text
    drawn = device.page(f"/bench/{load_id}", {}, client.clock.now)
    assert drawn is not None
    assert main_of(drawn) == main_of(shown)


@pytest.mark.parametrize(("mix", "mixer"), PROCEDURES)
def test_a_load_of_every_mix_runs_alike_on_both(client: Client, mix: str, mixer: str) -> None:
    """Begun on the device, told to the server, then any taps: every step is drawn alike, and refused alike."""
    chance = Random(f"{mix} {mixer}")
    plan_id = plans.save_plan(client.engine, client.visitor, job(**a_job_of(mix, mixer)))
    device, load_id = device_of(client), uuid4()
    card = device.page(f"/plan/{plan_id}/load/1", {}, client.clock.now)
    assert card is not None
    assert main_of(card) == main_of(client.get(f"/plan/{plan_id}/load/1").text)

    assert device.begin(plan_id, 1, load_id, client.clock.now) == load_id
    begun = {"plan_id": str(plan_id), "number": 1, "occurred_at": client.clock.now.isoformat()}
    assert client.post(f"/bench/{load_id}/begin", json=begun).json() == {"load": str(load_id)}
    same_act(client, device, load_id)
    for number in range(14):
        client.clock.turn(chance.choice((0.2, 1, 4, 8)))
        event = tapped(device.loads[load_id], client, chance, number)
        if event is None:
            break
        answer = client.post(f"/bench/{load_id}/events", json=event)
        if answer.status_code == 422:
            with pytest.raises(InputError):
                device.record(load_id, event, client.clock.now)
            continue
        assert answer.status_code == 200, answer.text
        device.record(load_id, event, client.clock.now)
        drawn = device.part(f"/bench/{load_id}/act", client.clock.now)
        assert drawn is not None
        assert without_tokens(drawn) == without_tokens(answer.text)
    between = device.part(f"/bench/{load_id}/between", client.clock.now)
    assert between == client.get(f"/bench/{load_id}/between").text
    # A pack made now says the same as what was told here.
    again = device_of(client).part(f"/bench/{load_id}/act", client.clock.now)
    if not device.loads[load_id].state.taken_back:
        assert again == device.part(f"/bench/{load_id}/act", client.clock.now)


def test_today_is_drawn_alike(engine: Engine, demo: Any) -> None:
    client = Client(engine, Clock(), seen_as=demo)
    drawn = device_of(client).page("/", {}, client.clock.now)
    assert drawn is not None
    assert main_of(drawn) == main_of(client.get("/").text)


def test_what_was_told_here_is_told_again_to_a_new_pack(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job())
    pack, load_id = device_of(client).pack, uuid4()
    at = client.clock.now
    told = [
        ToldHere(load_id, "begin", {"plan_id": str(plan_id), "number": 1, "occurred_at": at.isoformat()}),
        ToldHere(load_id, "events", raw_event("accepted", at, device_seq=1)),
    ]
    device = Device(pack, told, at + timedelta(minutes=1))
    assert not device.loads[load_id].state.to_check
    # Whoever began it elsewhere meanwhile has it: what was told here belongs to that load.
    theirs = uuid4()
    begun = {"plan_id": str(plan_id), "number": 1, "occurred_at": at.isoformat()}
    assert client.post(f"/bench/{theirs}/begin", json=begun).json() == {"load": str(theirs)}
    assert client.post(f"/bench/{load_id}/begin", json=begun).json() == {"load": str(theirs)}
    # Told again it is the same, and nothing more.
    assert client.post(f"/bench/{theirs}/begin", json=begun).json() == {"load": str(theirs)}


def test_what_others_did_meanwhile_is_said(client: Client) -> None:
    plan_id = plans.save_plan(client.engine, client.visitor, job())
    client.post(f"/plan/{plan_id}/load/1/begin")
    before = device_of(client)
    (load_id,) = (load.id for load in before.loads.values() if load.plan_id == plan_id)
    accepted = raw_event("accepted", client.clock.now, device_seq=1)
    assert client.post(f"/bench/{load_id}/events", json=accepted).status_code == 200
    (said,) = device_of(client).news_since(before)
    assert said.startswith("Load 1, ")
    assert client.visitor.name in said
    assert device_of(client).news_since(device_of(client)) == []


def test_what_two_devices_put_in_for_one_judgement_is_asked_about(client: Client) -> None:
    """Told late it may have been one bucket; told by whoever could see the other's it was two."""
    plan_id = plans.save_plan(client.engine, client.visitor, job())
    client.post(f"/plan/{plan_id}/load/1/begin")
    (load_id,) = device_of(client).loads

    def told(late: str, device: str, kind: str, **what: Any) -> Any:
        client.clock.turn(1)
        event = raw_event(kind, client.clock.now, device_id=device, **what)
        return client.post(f"/bench/{load_id}/events{late}", json=event)

    for event in ({"kind": "accepted"}, *({"kind": "water_added", "step": 1, "water_l": 8.0},)):
        assert told("", "one", **event).status_code == 200
    first = {"kind": "water_added", "water_l": 0.5}
    assert told("", "one", **first).status_code == 200
    refused = told("?late=true", "other", **first)
    assert refused.status_code == 422
    assert refused.json()["error"]["code"] == "told_twice"
    assert refused.json()["error"]["message"] == f"{client.visitor.name} logged it too."
    # The same device told it twice: those were two. So were two that were said to be, and what is of another kind.
    assert told("?late=true", "one", **first).status_code == 200
    assert told("", "other", **first).status_code == 200
    assert told("?late=true", "other", kind="note", text="Windy").status_code == 200


@pytest.mark.parametrize("units", get_args(System))
def test_a_stranger_plans_alike_on_both_and_is_given_nothing_of_anybodys(
    engine: Engine, demo: Any, units: str
) -> None:
    """The library, in the units they chose; the card of a job that is kept nowhere."""
    client = Client(engine, Clock(), signed_in=False)
    client.cookies.set(UNITS_COOKIE, units)
    device, now = device_of(client), client.clock.now
    filled = {name for name, value in device.pack if value}
    assert filled == {"pack", "made_at", "holder", "open_to_all", "units", "zone", "zone_file"}
    chance = Random(units)
    planned = sorted(mix.id for mix in library().values() if mix.basis_traits.asks_for != "label")
    for mix in chance.sample(planned, 5):
        shown = client.get(f"/plan?mix={mix}").text
        drawn = device.page("/plan", {"mix": mix}, now)
        assert drawn is not None
        assert main_of(drawn) == main_of(shown)
        job = plan_job.to_job(device.form(fields_in(shown, "plan-form")))
        assert job is not None
        address = urlsplit(quick_address(job))
        card = device.page(address.path, dict(parse_qsl(address.query)), now)
        assert card is not None
        assert main_of(card) == main_of(client.get(address.geturl()).text)
    assert device.page("/plan/quick", {"job": "cut short"}, now) is None
    welcome = device.page("/", {}, now)
    assert welcome is not None
    assert "What are you making?" in welcome


def test_the_files_of_the_device_travel_light() -> None:
    """At most ten megabytes, and each time the same: what has not changed is not fetched again."""
    assert size() < 10_000_000
    made = bundle()
    bundle.cache_clear()
    assert bundle() == made


def test_a_load_is_begun_only_with_a_plan_a_number_and_a_time(client: Client) -> None:
    for told in ({}, {"plan_id": "x"}, {"plan_id": str(uuid4()), "number": 0, "occurred_at": "0001-01-01"}):
        answer = client.post(f"/bench/{uuid4()}/begin", json=told)
        assert answer.status_code == 422
        assert json.loads(answer.text)["error"]["message"]
    begun = {"plan_id": str(uuid4()), "number": 1, "occurred_at": client.clock.now.isoformat()}
    assert client.post(f"/bench/{uuid4()}/begin", json=begun).status_code == 404


@pytest.mark.parametrize("mix", sorted(dict(EVERY_PROCEDURE)))
def test_a_form_is_answered_alike_while_it_is_typed(client: Client, mix: str) -> None:
    """The form of every mix with its own fields, drawn and answered here as there; and planned to the same plan."""
    device, now = device_of(client), client.clock.now
    shown = client.get(f"/plan?mix={mix}").text
    drawn = device.page("/plan", {"mix": mix}, now)
    assert drawn is not None
    assert main_of(drawn) == main_of(shown)
    typed = {name: value for name, value in fields_in(shown, "plan-form").items() if name != "form_token"} | {
        "_redraw": "yes"
    }
    here, there = device.preview(typed, now), client.post("/plan/preview", data=typed).json()
    assert {**here, "asked": without_tokens(here["asked"])} == {
        **there,
        "asked": without_tokens(there["asked"]),
    }


@pytest.mark.parametrize("mix", ["mortar-general", "concrete-nominal", "plaster-casting", "screed-1-4"])
def test_a_job_is_planned_here_and_kept_there_with_the_same_plan(client: Client, mix: str) -> None:
    device = device_of(client)
    typed = fields_in(client.get(f"/plan?mix={mix}").text, "plan-form")
    job = plan_job.to_job(device.form(typed))
    assert job is not None
    plan_id = uuid4()
    told = {"job": write_job(job), "checksum": checksum(device.plan(plan_id, job).plan)}
    # Told again it is the same plan.
    for _ in range(2):
        assert client.post(f"/plan/{plan_id}/told", json=told).json() == {"is_alike": True}
    assert client.post(f"/plan/{uuid4()}/told", json={**told, "checksum": ""}).json() == {"is_alike": False}
    assert client.post(f"/plan/{uuid4()}/told", json={}).status_code == 422
    card = device.page(f"/plan/{plan_id}/load/1", {}, client.clock.now)
    assert card is not None
    assert main_of(card) == main_of(client.get(f"/plan/{plan_id}/load/1").text)


def test_no_two_scripts_of_a_page_share_a_name() -> None:
    """A page that is drawn in place of another has the scripts of both."""
    named = re.compile(r"^(?:const|let|class|(?:async )?function) (\w+)", re.MULTILINE)
    scripts = [path for path in STATIC.glob("*.js") if path.name != "service-worker.js"]
    names = [name for path in scripts for name in named.findall(path.read_text())]
    assert len(names) == len(set(names))


def test_the_bundle_runs_by_itself(tmp_path: Path) -> None:
    """Nothing else is on a device: neither what else the server has installed, nor any other file of Keeve."""
    with zipfile.ZipFile(io.BytesIO(bundle())) as file:
        file.extractall(tmp_path / "device")
    (tmp_path / "compiled").mkdir()
    (tmp_path / "compiled" / "pydantic_core").symlink_to(Path(pydantic_core.__file__).parent)
    ends = f"""
import sys
sys.path[:0] = ["{tmp_path / "device"}", "{tmp_path / "compiled"}"]
import keeve.on_device.device as device
from keeve.core.mixes import library
from keeve.web.environment import environment
assert len(library()) > 30
for name in environment.list_templates():
    environment.get_template(name)
print(device.__file__)
"""
    said = subprocess.run(
        [sys.executable, "-I", "-S", "-c", ends], capture_output=True, text=True, check=False
    )
    assert said.stdout.startswith(str(tmp_path)), said.stderr
