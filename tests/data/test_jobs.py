"""Jobs: renamed, changed, noted on, archived, deleted and found, with the loads mixed so far left as they are."""

from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from helpers import NOON, job
from people import new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.planning.job_versions import JobLine
from keeve.data import jobs, loads, plans
from keeve.data.accounts import Visitor
from keeve.screens.jobs.view import job_loads
from keeve.store.database import crew_reading


def planned(
    engine: Engine, visitor: Visitor, title: str = "Sill bed", version_of: UUID | None = None
) -> UUID:
    return plans.save_plan(engine, visitor, job(title=title), version_of)


def only(engine: Engine, visitor: Visitor, **asked: str) -> JobLine:
    (line,) = jobs.jobs(engine, visitor, **asked)  # type: ignore[arg-type]
    return line


def test_a_new_plan_is_a_job_of_its_own(engine: Engine, visitor: Visitor) -> None:
    plan_id = planned(engine, visitor)
    line = only(engine, visitor)
    assert (line.id, line.plan_id, line.title, line.mix_name) == (
        plan_id, plan_id, "Sill bed", "Bricklaying mortar",
    )  # fmt: skip
    assert (line.begun, line.next_number, line.is_finished) == (0, 1, False)


def test_a_new_name_counts_everywhere(engine: Engine, visitor: Visitor) -> None:
    plan_id = planned(engine, visitor)
    load_id = loads.begin_load(engine, visitor, plan_id, 1, NOON)
    assert load_id is not None
    assert jobs.rename(engine, visitor, plan_id, "  North sill  ", NOON)
    assert jobs.rename(engine, visitor, plan_id, "South sill", NOON + timedelta(minutes=1))
    assert only(engine, visitor).title == "South sill"
    saved = plans.saved_plan(engine, visitor, plan_id)
    running = loads.running_load(engine, visitor, load_id)
    assert saved is not None
    assert running is not None
    assert {saved.plan.title, saved.job.title, running.plan.title} == {"South sill"}


def test_a_change_is_a_version_and_leaves_the_loads_that_were_mixed(engine: Engine, visitor: Visitor) -> None:
    first = planned(engine, visitor)
    loads.begin_load(engine, visitor, first, 1, NOON)
    second = planned(engine, visitor, version_of=first)
    third = planned(engine, visitor, version_of=second)
    loads.begin_load(engine, visitor, third, 2, NOON)
    line = only(engine, visitor)
    assert (line.id, line.plan_id, line.begun) == (first, third, 1)
    shown, saved = jobs.job_page(engine, visitor, first), plans.saved_plan(engine, visitor, third)
    assert shown is not None
    assert saved is not None
    assert [version.plan_id for version in shown.versions] == [third, second, first]
    assert shown.mixed == 2
    begun = {plan_id: loads.loads_of_plan(engine, visitor, plan_id) for plan_id in (first, second, third)}
    lines = job_loads(shown, saved.plan, begun, NOON)
    assert [(item.version, item.number) for item in lines if item.load_id] == [(1, 1), (3, 2)]
    assert all(item.version == 3 for item in lines if item.state == "planned")
    # The name goes with the job, whichever plan it is read from.
    jobs.rename(engine, visitor, first, "Quay bed", NOON)
    saved = plans.saved_plan(engine, visitor, third)
    assert saved is not None
    assert (saved.plan.title, saved.job_id) == ("Quay bed", first)


def test_a_job_is_archived_taken_back_and_deleted_only_without_loads(
    engine: Engine, visitor: Visitor
) -> None:
    mixed, empty = planned(engine, visitor, "Mixed"), planned(engine, visitor, "Empty")
    loads.begin_load(engine, visitor, mixed, 1, NOON)
    assert jobs.archive(engine, visitor, mixed, NOON)
    assert only(engine, visitor).title == "Empty"
    assert only(engine, visitor, state="archived").title == "Mixed"
    assert jobs.archive(engine, visitor, mixed, NOON + timedelta(minutes=1), back=True)
    assert jobs.jobs(engine, visitor, state="archived") == []
    with pytest.raises(InputError, match="Archive it instead"):
        jobs.delete(engine, visitor, mixed, NOON)
    assert jobs.delete(engine, visitor, empty, NOON)
    assert only(engine, visitor).title == "Mixed"
    assert jobs.job_page(engine, visitor, empty) is None
    assert plans.saved_plan(engine, visitor, empty) is None
    assert not jobs.rename(engine, visitor, empty, "Back", NOON)


def test_jobs_are_found_by_name_mix_and_note(engine: Engine, visitor: Visitor) -> None:
    sill, wall = planned(engine, visitor, "Sill bed"), planned(engine, visitor, "Quay 100% wall")
    jobs.add_note(engine, visitor, sill, "Sand lies behind the shed", NOON)

    def found(words: str) -> set[UUID]:
        return {line.id for line in jobs.jobs(engine, visitor, words)}

    assert found("SILL") == found("shed sand") == {sill}
    assert found("100%") == found("quay wall") == {wall}
    assert found("bricklaying") == {sill, wall}
    assert found("_") == found("shed wall") == set()
    page = jobs.job_page(engine, visitor, sill)
    assert page is not None
    assert [(note.text, note.made_by) for note in page.notes] == [("Sand lies behind the shed", visitor.name)]


def test_what_is_next_stands_first(engine: Engine, visitor: Visitor) -> None:
    begun, finished, newest = (planned(engine, visitor, title) for title in ("Begun", "Finished", "Newest"))
    loads.begin_load(engine, visitor, begun, 1, NOON)
    saved = plans.saved_plan(engine, visitor, finished)
    assert saved is not None
    for load in saved.plan.loads:
        loads.begin_load(engine, visitor, finished, load.number, NOON)
    assert [line.id for line in jobs.jobs(engine, visitor)] == [begun, newest, finished]


@pytest.mark.parametrize("text", ["", "   ", "x" * 5000, "a\0b"])
def test_a_name_and_a_note_are_plain_words(engine: Engine, visitor: Visitor, text: str) -> None:
    job_id = planned(engine, visitor)
    for say in (jobs.rename, jobs.add_note):
        with pytest.raises(InputError):
            say(engine, visitor, job_id, text, NOON)


def test_a_note_has_lines_and_a_name_is_one(engine: Engine, visitor: Visitor) -> None:
    job_id = planned(engine, visitor)
    assert jobs.add_note(engine, visitor, job_id, "Gate key:\r\nunder the third pot\r\n", NOON)
    page = jobs.job_page(engine, visitor, job_id)
    assert page is not None
    assert [note.text for note in page.notes] == ["Gate key:\nunder the third pot"]
    with pytest.raises(InputError, match="plain text"):
        jobs.rename(engine, visitor, job_id, "North\nsill", NOON)


def test_another_crew_has_none_of_it(engine: Engine, visitor: Visitor) -> None:
    job_id = planned(engine, visitor)
    stranger, _ = new_visitor(engine)
    assert jobs.jobs(engine, stranger) == []
    assert jobs.job_page(engine, stranger, job_id) is None
    assert not jobs.rename(engine, stranger, job_id, "Mine", NOON)
    assert not jobs.add_note(engine, stranger, job_id, "Mine", NOON)
    assert not jobs.archive(engine, stranger, job_id, NOON)
    assert not jobs.delete(engine, stranger, job_id, NOON)
    # Nor does a plan become a version of what is not there.
    own = planned(engine, stranger, version_of=job_id)
    assert only(engine, stranger).id == own
    assert planned(engine, visitor, version_of=uuid4()) in {line.id for line in jobs.jobs(engine, visitor)}


def test_among_many_the_newest_and_what_is_being_mixed_are_listed(engine: Engine, visitor: Visitor) -> None:
    mixed, *others = (planned(engine, visitor, f"Bed {number}") for number in range(6))
    loads.begin_load(engine, visitor, mixed, 1, NOON)
    with crew_reading(engine, visitor.crew_id) as session:
        listed = [line.id for line in jobs.newest_jobs(session, "active", 3)]
    assert listed == [mixed, others[-1], others[-2]]
    # What is older is found by its words.
    assert [line.id for line in jobs.jobs(engine, visitor, "bed 1")] == [others[0]]
