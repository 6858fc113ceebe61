"""An entry put right counts as if it had been right from the start; a test of the fresh mix is kept as measured."""

from random import Random
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, Run, a_job_of, plan

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.amend import Amended, can_be_put_right, figure_of
from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.event import LoadEvent, event_json
from keeve.core.loads.fold import fold
from keeve.core.loads.load_state import LoadState


def worked(mix: str, mixer: str) -> Run:
    """A load to where it may be placed, and half of it placed."""
    run = Run(plan(**a_job_of(mix, mixer))).to_right()
    if run.now.act == "place":
        run.do("placed", volume_l=run.now.remaining_l / 2)
    return run


def figures(state: LoadState) -> LoadState:
    """A state without the list of what was told."""
    return state._replace(applied=())


@pytest.mark.parametrize("procedure", EVERY_PROCEDURE[::3], ids="-".join)
def test_put_right_it_is_as_if_it_had_been_right_from_the_start(procedure: tuple[str, str]) -> None:
    run, chance = worked(*procedure), Random(str(procedure))
    wrong = [event for event in run.events if can_be_put_right(event) and not isinstance(event, Judged)]
    for event in chance.sample(wrong, min(len(wrong), 4)):
        name = figure_of(event)
        assert name is not None
        value = getattr(event, name) * chance.uniform(0.5, 1.2)
        changed = parse_event({**event_json(event), name: value})
        told_right = [changed if known.id == event.id else known for known in run.events]
        run.do("amended", amends=str(event.id), value=value, reason="read again")
        assert figures(run.state) == figures(fold(run.load, told_right))
        run.events = [*told_right]


def test_the_last_word_on_an_entry_counts_and_can_be_undone() -> None:
    run = worked("mortar-bricklaying", "tilting-drum")
    before = figures(run.state)
    water = next(event for event in run.events if event.kind == "water_added")
    for value in (9.0, 11.0):
        run.do("amended", amends=str(water.id), value=value, reason="the tub was not full")
    assert run.state.applied[-1].kind == "amended"
    in_any_order: list[LoadEvent] = Random(3).sample(run.events, len(run.events))
    assert fold(run.load, in_any_order) == run.state
    for amended in [event for event in run.events if isinstance(event, Amended)]:
        run.do("undone", cancels=str(amended.id))
    assert figures(run.state) == before


def test_a_reading_is_put_right() -> None:
    run = worked("mortar-bricklaying", "tilting-drum")
    judged = next(event for event in run.events if isinstance(event, Judged))
    run.do("amended", amends=str(judged.id), reading="too-wet", reason="tapped the wrong card")
    assert run.state.judgements[-1].reading == "too-wet"
    assert run.state.judgements[-1].by == judged.recorded_by


@pytest.mark.parametrize(
    ("kind", "what", "code"),
    [
        ("water_added", {"value": 400.0}, "more_than_fits"),
        ("charged", {"value": 20_000.0}, "more_than_fits"),
        ("placed", {"value": 900.0}, "more_than_fits"),
        ("placed", {"value": 0.0}, "bad_input"),
        ("water_added", {"reading": "right"}, "other_amount"),
        ("judged", {"value": 3.0}, "other_reading"),
        ("mixed", {"value": 3.0}, "nothing_to_amend"),
    ],
)
def test_what_an_entry_could_not_have_said_is_refused(kind: str, what: dict[str, Any], code: str) -> None:
    run = worked("mortar-bricklaying", "tilting-drum")
    event = next(event for event in run.events if event.kind == kind)
    before = run.state
    with pytest.raises(InputError) as refused:
        run.do("amended", amends=str(event.id), reason="read again", **what)
    assert refused.value.code == code
    assert run.state == before


def test_the_fresh_mix_is_tested_at_any_time_once_there_is_one() -> None:
    run = Run(plan())
    with pytest.raises(InputError) as refused:
        run.do("fresh_tested", slump_mm=60)
    assert refused.value.code == "no_mix_yet"
    run.to_right()
    run.do("fresh_tested", slump_mm=60)
    run.do("placed", volume_l=run.now.remaining_l)
    run.do("cleaned")
    assert run.now.act == "done"
    run.do("fresh_tested", density_kg_m3=2010)
    assert [test.slump_mm for test in run.state.fresh_tests] == [60, None]
    for wrong in ({}, {"slump_mm": 310}, {"slump_mm": 60, "air_fraction": 0.04}):
        with pytest.raises(InputError):
            run.do("fresh_tested", **wrong)
