"""Two people at one load: nothing lost, nothing doubled, one state for both, whatever their clocks say."""

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from itertools import permutations
from random import Random
from typing import Any
from uuid import UUID

import pytest
from helpers import NOON, job, raw_event
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine
from started import a_started_load

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import in_order
from keeve.core.loads.fold import fold
from keeve.data import jobs, loads, plans
from keeve.data.accounts import Visitor


@pytest.fixture
def load_id(engine: Engine, visitor: Visitor) -> UUID:
    return a_started_load(engine, visitor)


def test_one_step_tapped_on_two_devices_at_once_is_done_once(
    engine: Engine, visitor: Visitor, load_id: UUID
) -> None:
    plan = jobs.jobs(engine, visitor)[0]
    saved = plans.saved_plan(engine, visitor, plan.id)
    assert saved is not None
    sand_kg = saved.plan.loads[0].charge("sand").mass_kg / 2

    def tap(device: int) -> str:
        charged = raw_event(
            "charged", NOON, device_id=f"phone {device}", step=2, material="sand", mass_kg=sand_kg
        )
        try:
            loads.record_event(engine, visitor, load_id, charged, NOON)
        except InputError as refused:
            return refused.code
        return "kept"

    with ThreadPoolExecutor(6) as pool:
        answers = sorted(pool.map(tap, range(6)))
    assert answers == ["kept", *["step_done"] * 5]
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    assert running.state.went_in_kg["sand"] == pytest.approx(sand_kg)


def test_parts_from_two_devices_with_clocks_minutes_apart_all_count_once(
    engine: Engine, visitor: Visitor, load_id: UUID
) -> None:
    """One clock is five minutes slow: twelve parts of half a litre, sent in any order and twice, come to 6 L."""
    parts = []
    for number in range(12):
        device, slow = ("slow", timedelta(minutes=5)) if number % 2 else ("right", timedelta())
        at = NOON + timedelta(seconds=10 * number) - slow
        parts.append(
            raw_event("water_added", at, device_id=device, device_seq=number, step=1, water_l=0.5, part=True)
        )
    arriving = [*parts, *parts]
    Random(1).shuffle(arriving)

    def send(raw: dict[str, Any]) -> None:
        loads.record_event(engine, visitor, load_id, raw, NOON + timedelta(minutes=3))

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(send, arriving))
    seen = [loads.running_load(engine, visitor, load_id) for _ in range(2)]
    assert seen[0] is not None
    assert seen[1] is not None
    assert seen[0].state == seen[1].state
    assert seen[0].state.went_in_l == pytest.approx(6.0)
    times = [event.occurred_at for event in seen[0].events]
    assert times == sorted(times)


def test_what_the_other_saw_too_late_is_refused_and_both_see_the_same(
    engine: Engine, visitor: Visitor, load_id: UUID
) -> None:
    loads.record_event(
        engine, visitor, load_id, raw_event("water_added", device_id="one", step=1, water_l=7.0), NOON
    )
    with pytest.raises(InputError, match="Over the max"):
        loads.record_event(
            engine, visitor, load_id, raw_event("water_added", device_id="two", step=5, water_l=11.0), NOON
        )
    running = loads.running_load(engine, visitor, load_id)
    assert running is not None
    assert running.state.went_in_l == 7.0


def test_at_equal_times_the_device_comes_before_its_count() -> None:
    """``b`` counted further than ``a``: without the device its events would come in between."""
    events = [
        parse_event(raw_event("note", NOON, device_id=device, device_seq=number, text=f"{device}{number}"))
        for device, number in (("a", 5), ("a", 9), ("b", 1), ("b", 7))
    ]
    for arrived in permutations(events):
        assert [event.text for event in in_order(arrived) if event.kind == "note"] == ["a5", "a9", "b1", "b7"]


@given(
    st.lists(
        st.tuples(st.sampled_from(["left", "right", "third"]), st.integers(0, 3), st.integers(0, 2)),
        min_size=2,
        max_size=12,
        unique_by=lambda item: item[:2],
    ),
    st.randoms(),
)
def test_any_arrival_of_any_devices_is_one_order(taps: list[tuple[str, int, int]], chance: Random) -> None:
    events = [
        parse_event(
            raw_event(
                "water_added",
                NOON + timedelta(minutes=minute),
                device_id=device,
                device_seq=number,
                water_l=0.1,
            )
        )
        for device, number, minute in taps
    ]
    expected = sorted(taps, key=lambda tap: (tap[2], tap[0], tap[1]))
    chance.shuffle(events)
    ordered = in_order([*events, *events[: len(events) // 2]])
    assert [(event.device_id, event.device_seq) for event in ordered] == [tap[:2] for tap in expected]
    load = plans.make_plan(job()).loads[0]
    assert fold(load, events) == fold(load, ordered)
