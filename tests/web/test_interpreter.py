"""The interpreter of a device says what the server's says, letter by letter: another C library, another Python.

``KEEVE_ALIKE=200 ./keeve test tests/web/test_interpreter.py`` plans and mixes that many.
"""

import contextlib
import json
import os
from datetime import timedelta
from pathlib import Path
from random import Random
from typing import Any
from uuid import uuid4

from helpers import EVERY_PROCEDURE, NOON, a_job_of, raw_event, raw_job
from playwright.sync_api import Browser
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.loads.offers import open_offers
from keeve.core.mixes import get_mix
from keeve.demo import jobs as demo_jobs
from keeve.formats.job_file import read_job
from keeve.formats.pack import Pack
from keeve.on_device.device import Device
from keeve.screens.without_signal import runtime
from web import answers_of_device
from web.conftest import Client, Clock

ALIKE = int(os.environ.get("KEEVE_ALIKE", "12"))
HOW_LONG_MS = 60_000 + ALIKE * 5_000
_WORKER = """
import { loadPyodide } from "./pyodide.mjs";
const here = new URL(".", import.meta.url).href;
const bytes = async (address) => (await fetch(address)).arrayBuffer();
addEventListener("message", async ({ data: { source, given } }) => {
  try {
    const python = await loadPyodide({ indexURL: here });
    python.unpackArchive(await bytes(`${here}pydantic_core.whl`), "wheel");
    python.unpackArchive(await bytes(`${here}keeve.zip`), "zip", { extractDir: "/keeve" });
    python.runPython("import importlib, sys; sys.path.insert(0, '/keeve'); importlib.invalidate_caches()");
    python.runPython("from keeve.web.environment import environment; environment.globals['file'] = str");
    python.runPython(source);
    postMessage({ said: python.globals.get("answers")(given) });
  } catch (fault) {
    postMessage({ fault: String(fault).slice(-1000) });
  }
});
"""


def a_random_job(chance: Random) -> dict[str, Any]:
    """A job of any mix in any mixer it allows, of any size, in any weather."""
    mix, mixer = chance.choice(EVERY_PROCEDURE)
    changes = a_job_of(mix, mixer)
    changes["mixer"] = {"kind": mixer, "working_l": round(10 ** chance.uniform(0.5, 3), 1)}
    changes["need"] = {"volume_m3": round(10 ** chance.uniform(-3, 0.5), 4)}
    changes["conditions"] = {
        "air_c": round(chance.uniform(3, 38), 1),
        "water_c": round(chance.uniform(4, 30), 1),
    }
    if get_mix(mix).basis == "design":
        changes["design"] = {"strength_mpa": round(chance.uniform(15, 45), 1)}
    return raw_job(**changes)


def a_random_load(pack: Pack, chance: Random) -> dict[str, Any]:
    """A load that is begun and tapped through, mostly by what is asked for."""
    raw, at = raw_job(**a_job_of(*chance.choice(EVERY_PROCEDURE))), NOON
    device, plan_id, load_id = Device(pack, [], at), uuid4(), uuid4()
    device.plan(plan_id, read_job(raw))
    device.begin(plan_id, 1, load_id, at)
    events: list[dict[str, Any]] = []
    for number in range(chance.randint(3, 14)):
        at += timedelta(minutes=chance.choice((0.5, 2, 5)))
        running = device.loads[load_id]
        situation = running.situation(at)
        asked = [
            offer
            for offer in open_offers(running.plan, running.state, situation)
            if offer.action not in ("amend", "undo") and not offer.words
        ]
        if not asked:
            break
        now = [offer for offer in asked if offer.target.split(" ")[0] == str(situation.position)]
        offer = chance.choice(now or asked)
        events.append(raw_event("", at, device_seq=number) | offer.filled)
        with contextlib.suppress(InputError):
            device.record(load_id, events[-1], at)
    return {"job": raw, "begun_at": NOON.isoformat(), "events": events}


def test_both_interpreters_answer_alike(browser: Browser, engine: Engine, origin: str) -> None:
    chance = Random(ALIKE)
    shipped = [value for value in vars(demo_jobs).values() if isinstance(value, dict) and "mix" in value]
    pack = Client(engine, Clock()).get("/pack.json").text
    given = json.dumps(
        {
            "pack": pack,
            "jobs": [*shipped, *(a_random_job(chance) for _ in range(ALIKE))],
            "loads": [a_random_load(Pack.model_validate_json(pack), chance) for _ in range(ALIKE)],
        }
    )
    here = json.loads(answers_of_device.answers(given))
    address = f"/device/{runtime.version()}/tested.mjs"
    with browser.new_context() as context:
        context.route(
            f"**{address}", lambda route: route.fulfill(body=_WORKER, content_type="text/javascript")
        )
        page = context.new_page()
        page.goto(f"{origin}/sign-in")
        said = page.evaluate(
            """([address, source, given, most]) => new Promise((done, failed) => {
              setTimeout(() => failed(new Error("too late")), most);
              const worker = new Worker(address, { type: "module" });
              worker.onmessage = ({ data }) => data.said ? done(data.said) : failed(new Error(data.fault));
              worker.onerror = ({ message }) => failed(new Error(message));
              worker.postMessage({ source, given });
            })""",
            [address, Path(answers_of_device.__file__).read_text(), given, HOW_LONG_MS],
        )
    there = json.loads(said)
    assert there["rules"] == here["rules"]
    assert there["plans"] == here["plans"]
    assert there["loads"] == here["loads"]
