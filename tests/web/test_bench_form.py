"""Figures typed at the bench are read by the server, as people write them, in the units they were typed in."""

from datetime import timedelta
from uuid import UUID

import pytest
from helpers import NOON, raw_event
from started import a_started_load

from keeve.core.units import DISPLAY_UNITS
from keeve.data import loads
from keeve.screens.bench.form import FIELDS
from keeve.screens.bench.view import bench_view
from web.conftest import Client


@pytest.fixture
def load_id(client: Client) -> UUID:
    """A load gauged in buckets, its checks made, at its first water."""
    buckets = [{"name": "bucket", "volume_l": 12}]
    return a_started_load(client.engine, client.visitor, job_of={"gauge": "volume", "vessels": buckets})


@pytest.mark.parametrize(
    ("text", "units", "litres"),
    [
        ("3 1/2", "metric", 3.5),
        ("0,5", "metric", 0.5),
        ("2", "us", 1.892706),
        ("1 US gal", "metric", 3.785412),
    ],
)
def test_water_is_read_as_it_was_typed(
    client: Client, load_id: UUID, text: str, units: str, litres: float
) -> None:
    event = raw_event("water_added", typed={"water_l": text}, units=units)
    assert client.post(f"/bench/{load_id}/events", json=event).status_code == 200
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    assert running.state.went_in_l == pytest.approx(litres, rel=1e-6)


def test_a_count_is_in_its_own_vessels_and_what_is_empty_is_left_out(client: Client, load_id: UUID) -> None:
    client.post(f"/bench/{load_id}/events", json=raw_event("water_added", water_l=5))
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    view = bench_view(running, NOON)
    sand = next(item for item in view.counted if item.material == "sand")
    step = next(step.step for step in view.running.plan.procedure if step.material == "sand")
    charged = raw_event(
        "charged", NOON + timedelta(seconds=1), step=step, material="sand", mass_kg=1.0, part=True
    )
    assert client.post(f"/bench/{load_id}/events", json=charged).status_code == 200
    typed = {"charged_kg.sand": "2 1/2", "charged_kg.cement": ""}
    answer = client.post(
        f"/bench/{load_id}/events", json=raw_event("recounted", NOON + timedelta(seconds=2), typed=typed)
    )
    assert answer.status_code == 200, answer.text
    running = loads.running_load(client.engine, client.visitor, load_id)
    assert running is not None
    assert sand.vessel_kg is not None
    assert running.state.went_in_kg == pytest.approx({"sand": 2.5 * sand.vessel_kg})


@pytest.mark.parametrize(
    ("text", "words"),
    [("much", "Water must be a number"), ("", "Water must be a number"), ("0", "Water must be more than 0")],
)
def test_what_is_no_amount_is_said_in_the_words_of_the_bench(
    client: Client, load_id: UUID, text: str, words: str
) -> None:
    answer = client.post(f"/bench/{load_id}/events", json=raw_event("water_added", typed={"water_l": text}))
    assert answer.status_code == 422
    assert words in answer.json()["error"]["message"]


def test_what_was_meant_comes_with_its_words(client: Client, load_id: UUID) -> None:
    answer = client.post(f"/bench/{load_id}/events", json=raw_event("water_added", typed={"water_l": "82"}))
    assert answer.json()["offer"] == "I meant 8.2 L"
    assert answer.json()["error"]["meant"] == {"water_l": pytest.approx(8.2)}


def test_fresh_mix_is_read_in_the_unit_it_is_shown_in() -> None:
    """Placed, stored and given away are shown as mixed volume: 3 typed on a US bench are 3 ft³, 84.95 L."""
    field = FIELDS["volume_l"]
    assert field.unit("us") == DISPLAY_UNITS["us"]["mixed_volume"].unit
    assert field.read("3", "us") == pytest.approx(84.95, abs=0.01)
