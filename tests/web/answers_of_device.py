"""What a device answers, as text: run by the tests here and by the interpreter of a device there.

It needs nothing but what a device has.
"""

import json
from datetime import datetime
from typing import Any
from uuid import UUID

from keeve.core.errors import InputError
from keeve.core.planning.make_plan import make_plan
from keeve.core.rules.calc import all_rules, calc
from keeve.formats.job_file import read_job
from keeve.formats.pack import Pack
from keeve.on_device.device import Device

# It filters what was measured of a stockpile by NumPy; a pack holds what the server found.
_FOR_THE_SERVER = {"next-water"}


def answers(given: str) -> str:
    """The answers to jobs and loads in a pack, as JSON."""
    asked = json.loads(given)
    pack = Pack.model_validate_json(asked["pack"])
    found = {
        "rules": {
            name: json.dumps(calc(name, rule.example.given))
            for name, rule in all_rules().items()
            if name not in _FOR_THE_SERVER
        },
        "plans": [_plan(raw) for raw in asked["jobs"]],
        "loads": [_load(pack, load) for load in asked["loads"]],
    }
    return json.dumps(found)


def _plan(raw: Any) -> str:
    try:
        return make_plan(read_job(raw)).model_dump_json()
    except InputError as fault:
        return f"{fault.code}: {fault.message}"


def _load(pack: Pack, load: dict[str, Any]) -> list[str]:
    """The card, and the bench after each event."""
    at = datetime.fromisoformat(load["begun_at"])
    plan_id, load_id = UUID(int=1), UUID(int=2)
    device = Device(pack, [], at)
    device.plan(plan_id, read_job(load["job"]))
    card = device.page(f"/plan/{plan_id}/load/1", {}, at) or ""
    # The files of a page's head have their addresses from whoever serves them.
    shown = [card.partition("<main")[2]]
    device.begin(plan_id, 1, load_id, at)
    for event in load["events"]:
        now = datetime.fromisoformat(event["occurred_at"])
        try:
            device.record(load_id, event, now)
        except InputError as fault:
            shown.append(fault.message)
        shown.append(device.part(f"/bench/{load_id}/act", now) or "")
    return shown
