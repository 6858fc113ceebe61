"""What follows a pour: the table, and how warmth moves it."""

from datetime import datetime, timedelta
from random import Random
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.mixes.model import Use
from keeve.core.rules.curing import CurePlan, Family, cure_plan, cure_table

POURED = "2026-05-04T08:00:00+01:00"
FAMILIES = get_args(Family)


def begins(plan: CurePlan) -> dict[str, timedelta]:
    """After how long each task begins."""
    poured = datetime.fromisoformat(POURED)
    return {task.what: datetime.fromisoformat(task.from_) - poured for task in plan.tasks}


def test_every_family_has_tasks_with_a_reason_and_a_source() -> None:
    assert set(cure_table()) == set(FAMILIES)
    for rows in cure_table().values():
        assert len({row.what for row in rows}) == len(rows)
        for row in rows:
            assert set(row.uses or ()) <= set(get_args(Use))
            assert row.why.endswith(".")
            assert "from memory" in row.source or row.source == "common practice, no source"


@pytest.mark.parametrize("family", FAMILIES)
def test_cold_stretches_and_warmth_shortens_but_the_clock_holds(family: Any) -> None:
    found = [begins(cure_plan(family, POURED, [c], thickness_mm=60)) for c in (5, 20, 35)]
    for row in cure_table()[family]:
        cold, usual, warm = (each[row.what] for each in found)
        assert cold >= usual >= warm
        assert warm >= timedelta(hours=row.begins.hours, days=row.begins.days)
        if row.begins.age_h and not row.begins.hours and not row.begins.days:
            assert usual == timedelta(hours=row.begins.age_h)
            assert cold > usual > warm


@pytest.mark.parametrize("seed", range(40))
def test_every_task_ends_after_it_begins_and_lies_in_its_band(seed: int) -> None:
    chance = Random(seed)
    daily = [chance.uniform(-5, 35) for _ in range(chance.randint(1, 40))]
    for task in cure_plan(chance.choice(FAMILIES), POURED, daily, thickness_mm=chance.uniform(30, 120)).tasks:
        begin = datetime.fromisoformat(task.from_)
        assert task.to is None or datetime.fromisoformat(task.to) > begin
        if task.earliest and task.latest:
            assert datetime.fromisoformat(task.earliest) <= begin <= datetime.fromisoformat(task.latest)


def test_a_floor_waits_for_the_screed_to_dry_and_has_no_date_without_its_thickness() -> None:
    assert begins(cure_plan("screed", POURED, [20], thickness_mm=65))["floor-finish"] == timedelta(days=87)
    assert "floor-finish" not in begins(cure_plan("screed", POURED, [20]))


def test_joints_are_sawn_in_floors_only() -> None:
    assert "saw-joints" in begins(cure_plan("concrete", POURED, [20], uses=["lay floor"]))
    assert "saw-joints" not in begins(cure_plan("concrete", POURED, [20], uses=["cast"]))


def test_what_is_no_time_is_refused() -> None:
    with pytest.raises(InputError, match="date and time"):
        cure_plan("concrete", "Monday", [20])


@given(st.lists(st.floats(-20, 30), min_size=1, max_size=20), st.sampled_from(sorted(cure_table())))
def test_of_what_is_frozen_nothing_is_promised(daily_c: list[float], family: Family) -> None:
    """Below −5 °C nothing hardens: what waits for it comes when it is warm again, or is not there."""
    found = cure_plan(family=family, poured_at="2026-01-05T08:00:00+00:00", daily_c=daily_c, thickness_mm=60)
    assert bool(found.warnings) == (min(daily_c) < -5)
    begins = [task.from_ for task in found.tasks]
    assert begins == sorted(begins, key=datetime.fromisoformat)
    warm = cure_plan(family=family, poured_at="2026-01-05T08:00:00+00:00", daily_c=[20.0], thickness_mm=60)
    assert {task.what for task in found.tasks} <= {task.what for task in warm.tasks}
    if daily_c[-1] >= -5:
        assert len(found.tasks) == len(warm.tasks)
