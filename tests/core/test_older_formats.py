"""What earlier versions wrote is read: every file in ``tests/golden``, as it is."""

import json
from copy import deepcopy
from pathlib import Path
from typing import Any

import pytest

from keeve.core.errors import validated
from keeve.core.loads.actions import parse_event
from keeve.core.loads.event import event_json
from keeve.core.loads.fold import fold
from keeve.core.loads.next_step import situation
from keeve.core.mixes.model import Mix
from keeve.core.older_formats import EVENT_STEPS, JOB_STEPS, MIX_STEPS, PLAN_STEPS, upgraded
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Plan
from keeve.core.stockpile.events import parse_stockpile_event

GOLDEN = Path(__file__).parents[1] / "golden"
FOLDERS = sorted(path for path in GOLDEN.iterdir() if path.is_dir())
STEPS = {
    "job": JOB_STEPS,
    "mix": MIX_STEPS,
    "plan": PLAN_STEPS,
    "events": EVENT_STEPS,
    "stockpile-events": EVENT_STEPS,
}


def files(*kinds: str) -> list[Path]:
    return [
        path for folder in FOLDERS for path in sorted(folder.glob("*.json")) if path.name.startswith(kinds)
    ]


def read(path: Path) -> Any:
    return json.loads(path.read_text(encoding="utf-8"))


def name_of(path: Path) -> str:
    return f"{path.parent.name}/{path.stem}"


@pytest.mark.parametrize("path", files("job"), ids=name_of)
def test_a_job_is_read_planned_and_written_in_the_present_version(path: Path) -> None:
    job = validated(Job, read(path))
    assert make_plan(job).title == job.title
    assert validated(Job, job.model_dump(mode="json", exclude_none=True)) == job


def test_a_warm_heap_is_a_warm_stockpile() -> None:
    assert validated(Job, read(GOLDEN / "4-bench" / "job-hot.json")).conditions.stockpile_c == 28


@pytest.mark.parametrize("path", files("mix"), ids=name_of)
def test_a_mix_is_read(path: Path) -> None:
    mix = validated(Mix, read(path))
    assert mix.id == "our-mortar"
    assert any(step.until for procedure in mix.procedures for step in procedure.steps)
    assert {test.drawing for test in mix.tests.values()}


@pytest.mark.parametrize("folder", FOLDERS, ids=lambda folder: folder.name)
def test_a_plan_and_its_load_are_read_to_the_end(folder: Path) -> None:
    plan = validated(Plan, read(folder / "plan.json"))
    load = plan.loads[0]
    events = [parse_event(raw) for raw in read(folder / "events.json")]
    state = fold(load, events)
    now = situation(plan, load, state, events[-1].occurred_at)
    assert now.act in ("clean", "done")
    # As they stand in the file: the sand of the steps that charge it.
    charged_kg = sum(raw["mass_kg"] for raw in read(folder / "events.json") if raw.get("material") == "sand")
    assert state.went_in_kg["sand"] == pytest.approx(charged_kg)
    assert state.placed_l == pytest.approx(load.yield_l)
    assert [item.reading for item in state.judgements if item.counts] == ["too-dry", "right"]


@pytest.mark.parametrize(
    "folder", [item for item in FOLDERS if item.name[0] in "345"], ids=lambda item: item.name
)
def test_what_was_expected_keeps_the_words_it_was_told_in(folder: Path) -> None:
    raw = read(folder / "events.json")
    said = next(item["water"]["why"] for item in raw if item["kind"] == "expected")
    expected = fold(
        validated(Plan, read(folder / "plan.json")).loads[0], [parse_event(item) for item in raw]
    ).expected
    assert expected is not None
    assert (expected.stockpile, expected.because.told) == ("building-sand", said)


@pytest.mark.parametrize("path", files("stockpile-events"), ids=name_of)
def test_what_happened_to_a_stockpile_is_read(path: Path) -> None:
    assert [parse_stockpile_event(raw).kind for raw in read(path)] == ["rain", "pan"]


@pytest.mark.parametrize("path", files("events"), ids=name_of)
def test_what_is_written_is_of_the_present_version(path: Path) -> None:
    for raw in read(path):
        written = event_json(parse_event(raw))
        assert written["schema"] == len(EVENT_STEPS) + 1
        assert parse_event(written) == parse_event(raw)


@pytest.mark.parametrize("path", files(*STEPS), ids=name_of)
def test_a_step_changes_nothing_it_was_given_and_the_present_version_not_at_all(path: Path) -> None:
    raw = read(path)
    kind = next(
        name for name in ("stockpile-events", "events", "job", "mix", "plan") if path.stem.startswith(name)
    )
    field = "schema" if kind.endswith("events") else "version"
    for document in raw if isinstance(raw, list) else [raw]:
        before = deepcopy(document)
        now = upgraded(document, field, STEPS[kind])
        assert document == before
        assert now[field] == len(STEPS[kind]) + 1
        assert upgraded(now, field, STEPS[kind]) == now


@pytest.mark.parametrize(
    "raw", [None, [], "keeve-job", {"version": "1"}, {"version": True}, {"version": 99}, {"version": 0}]
)
def test_what_is_no_document_of_a_known_version_is_left_to_the_model(raw: Any) -> None:
    assert upgraded(raw, "version", JOB_STEPS) == raw
