"""A load as a fold over its events: any order of arrival, any prefix, any undo."""

from collections.abc import Callable
from datetime import timedelta
from random import Random

import pytest
from helpers import NOON, Run, plan, raw_event
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import LoadEvent, in_order
from keeve.core.loads.fold import fold, fold_on

PLAN = plan()
LOAD = PLAN.loads[0]


def a_day() -> list[LoadEvent]:
    run = Run(PLAN).to_judgement()
    run.do("judged", reading="too-dry")
    run.do("water_added", water_l=1.0)
    undone = run.do("water_added", water_l=0.5)
    run.do("undone", cancels=str(undone.id))
    run.do("mixed", minutes=2)
    run.do("judged", reading="right")
    run.do("placed", volume_l=30.0)
    run.do("note", text="board kept wet")
    run.do("placed", minutes=20, volume_l=run.now.remaining_l)
    return run.events


DAY = a_day()


@given(st.integers(0, len(DAY)), st.randoms())
def test_any_arrival_order_of_any_prefix_is_one_state(length: int, chance: Random) -> None:
    prefix = DAY[:length]
    arrived = [*prefix, *chance.sample(prefix, len(prefix) // 2)]
    chance.shuffle(arrived)
    assert fold(LOAD, arrived) == fold(LOAD, prefix)
    assert in_order(arrived) == prefix


@given(st.integers(1, len(DAY)))
def test_one_event_more_is_the_fold_of_all(length: int) -> None:
    events = DAY[:length]
    assert fold_on(LOAD, fold(LOAD, events[:-1]), events) == fold(LOAD, events)
    last = events[-1]
    undone_before = parse_event(raw_event("undone", NOON - timedelta(hours=1), cancels=str(last.id)))
    events = [undone_before, *events]
    assert fold_on(LOAD, fold(LOAD, events[:-1]), events) == fold(LOAD, events)


@pytest.mark.parametrize("index", [index for index, event in enumerate(DAY) if event.kind != "undone"])
def test_an_undo_leaves_what_would_be_without_the_event(index: int) -> None:
    event = DAY[index]
    undo = parse_event(raw_event("undone", NOON + timedelta(hours=1), cancels=str(event.id)))
    others = [other for other in DAY if other.id != event.id]
    assert fold(LOAD, [*DAY, undo]).applied == fold(LOAD, others).applied


def test_readings_before_their_time_do_not_count() -> None:
    run = Run(PLAN)
    run.step()
    early = parse_event(raw_event("judged", run.at, reading="right"))
    assert fold(LOAD, [*run.events, early]).last_judgement is None


@pytest.mark.parametrize(
    ("spoil", "field"),
    [
        (lambda raw: raw.update(water_l=float("nan")), "water_l"),
        (lambda raw: raw.update(water_l=0), "water_l"),
        (lambda raw: raw.update(occurred_at="2026-05-04T12:00:00"), "occurred_at"),
        (lambda raw: raw.update(id="one"), "id"),
        (lambda raw: raw.pop("device_id"), "device_id"),
        (lambda raw: raw.update(schema=3), "schema"),
        (lambda raw: raw.update(litres=3), "litres"),
    ],
)
def test_a_malformed_event_names_the_field(spoil: Callable[[dict[str, object]], None], field: str) -> None:
    raw = raw_event("water_added", water_l=1.0)
    spoil(raw)
    with pytest.raises(InputError) as refused:
        parse_event(raw)
    assert refused.value.fields == [field]
