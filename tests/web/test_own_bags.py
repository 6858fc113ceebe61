"""A label typed once is a bag of the crew's own: kept under a name, offered for its mix, with coverage by area."""

from typing import Any
from uuid import uuid4

import pytest
from forms_in_html import fields_in

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix
from keeve.core.planning.yard import OwnBag, parse_item
from keeve.data import yard
from keeve.formats.job_file import write_job
from keeve.formats.pack import Pack, ToldHere, checksum
from keeve.on_device.device import Device
from keeve.screens.plan import form_job
from keeve.screens.plan.form import label_of
from web.conftest import Client

BAG: dict[str, Any] = {
    "kind": "bag", "name": "Weir base coat", "mix": "basecoat-polymer-bagged", "bag_kg": 25.0, "coverage_m2": 5.5,
    "coverage_mm": 3.0, "water_start_l": 4.5, "water_min_l": 4.5, "water_max_l": 5.5,
}  # fmt: skip
PART = get_mix("concrete-bagged").parts[0].name
LABEL = {"bag_kg": "25", "yield_l": "12.5", "water_start_l": "2.2", "water_min_l": "2", "water_max_l": "2.6"}


def test_what_a_bag_covers_is_what_it_makes() -> None:
    bag = parse_item(BAG)
    assert isinstance(bag, OwnBag)
    # 5.5 m2, 3 mm thick: a millimetre on a square metre is a litre.
    assert bag.label["yield_l"] == pytest.approx(16.5)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"mix": "mortar-general"}, "known mix by the bag"),
        ({"coverage_mm": None}, "both coverage_m2 and coverage_mm"),
        ({"yield_l": 12.0}, "Copy one from the label"),
        ({"coverage_m2": None, "coverage_mm": None}, "Copy one from the label"),
        ({"water_max_l": None}, "water_max_l"),
    ],
)
def test_half_a_label_is_refused(change: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError, match=said):
        parse_item({name: value for name, value in (BAG | change).items() if value is not None})


def test_a_label_typed_on_a_plan_is_kept_and_offered_next_time(client: Client) -> None:
    first = fields_in(client.get("/plan?mix=concrete-bagged").text, "plan-form")
    assert first[f"materials.{PART}.yield_l"] == ""
    typed = {f"materials.{PART}.{name}": text for name, text in LABEL.items()}
    assert client.post("/plan", data={**first, **typed, "_bag": "Slipway mix"}).status_code == 303
    assert [one.item.model_dump()["name"] for one in yard.yard_of(client.engine, client.visitor)] == [
        "Slipway mix"
    ]
    again = client.get("/plan?mix=concrete-bagged").text
    assert ">Slipway mix</button>" in again
    assert {name: fields_in(again, "plan-form")[name] for name in typed} == typed
    assert "Slipway mix" in client.get("/kit").text
    # Only for its mix, and only where somebody named it.
    assert "Slipway mix" not in client.get("/plan?mix=stucco-one-coat-bagged").text
    client.post("/plan", data={**first, **typed})
    assert len(yard.yard_of(client.engine, client.visitor)) == 1


def test_a_label_typed_without_signal_is_kept_there_and_then_here(client: Client) -> None:
    pack = Pack.model_validate_json(client.get("/pack.json").text)
    device = Device(pack, [], client.clock.now)
    typed = {f"materials.{PART}.{name}": text for name, text in LABEL.items()}
    form = device.form({**fields_in(client.get("/plan?mix=concrete-bagged").text, "plan-form"), **typed})
    job = form_job.to_job(form)
    assert job is not None
    bag = label_of(form, job, "Pallet by the gate")
    plan_id = uuid4()
    event = {"job": write_job(job), "checksum": checksum(device.plan(plan_id, job, bag).plan), "bag": bag}
    (here,) = device.owned
    assert client.post(f"/plan/{plan_id}/told", json=event).json() == {"is_alike": True}
    assert client.post(f"/plan/{plan_id}/told", json=event).json() == {"is_alike": True}
    assert [one.item for one in yard.yard_of(client.engine, client.visitor)] == [here]
    # What was told is still here when a pack comes that does not know it yet.
    assert Device(pack, [ToldHere(plan_id, "plan", event)], client.clock.now).owned == [here]


def test_a_bag_is_written_down_on_the_kit_page(client: Client) -> None:
    typed = {name: str(value) for name, value in BAG.items() if name != "kind"}
    assert client.post("/yard/new/bag", data=typed).headers["location"] == "/kit"
    kit = client.get("/kit").text
    assert "Weir base coat" in kit
    assert "makes 16.5" in kit
    plan = fields_in(client.get("/plan?mix=basecoat-polymer-bagged").text, "plan-form")
    assert "16.5" in plan.values()
