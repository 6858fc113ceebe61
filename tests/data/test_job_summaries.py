"""The summary of a job: its litres and kilograms by hand, and the waste it proposes for the next."""

from datetime import timedelta
from uuid import UUID

import pytest
from helpers import NOON, Run, job, plan
from people import new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.log.job_summary import summarise_job
from keeve.data import job_summaries, plans
from keeve.data.accounts import Visitor
from keeve.demo.mixing import Mixing


def done(number: int, placed_share: float) -> Run:
    """A load of the example job, mixed right and placed in part, the rest thrown away."""
    run = Run(plan(), number).to_right()
    run.do("placed", volume_l=run.now.remaining_l * placed_share)
    if placed_share < 1:
        run.do("discarded", reason="Not needed")
    return run


def test_a_job_is_summed_up_by_hand() -> None:
    """0.25 m3 to fill; four loads of 68.75 L, of the last only half is placed: 240.6 L, less than was to fill."""
    runs = [done(1, 1), done(2, 1), done(3, 1), done(4, 0.5)]
    found = summarise_job(plan(), [run.row() for run in runs], {"cement": 4})
    assert (found.net_l, found.made_l) == (250, pytest.approx(275))
    assert found.placed_l == pytest.approx(3.5 * 68.75)
    assert found.discarded_l == pytest.approx(0.5 * 68.75)
    assert found.waste_fraction == 0
    cement, sand = found.materials
    assert cement.used_kg == 100
    assert cement.charged_kg == pytest.approx(cement.planned_kg)
    assert sand.used_kg is None
    whole = summarise_job(plan(), [run.row() for run in (*runs[:3], done(4, 1))])
    assert whole.waste_fraction == pytest.approx(275 / 250 - 1)
    with pytest.raises(InputError):
        summarise_job(plan(), [], {"cement": -1})


def test_what_a_job_showed_is_kept_and_proposed(engine: Engine, visitor: Visitor) -> None:
    plan_id = plans.save_plan(engine, visitor, job())
    assert job_summaries.last_waste(engine, visitor) is None
    assert job_summaries.close_job(engine, visitor, plan_id, {"cement": 4}, NOON)
    assert job_summaries.close_job(engine, visitor, plan_id, {"cement": 5}, NOON + timedelta(minutes=1))
    kept = job_summaries.closed_summary(engine, visitor, plan_id)
    assert kept is not None
    assert kept.materials[0].used_kg == 125
    # Closed with one load of four placed, a job says nothing of waste.
    for number in (1, 2, 3, 4):
        load = Mixing(engine, visitor, plan_id, number, NOON + timedelta(hours=number))
        load.charge_and_mix()
        load.to_right(0.0)
        load.place(after_min=5)
        assert job_summaries.last_waste(engine, visitor, "mortar-bricklaying") is None
        assert job_summaries.close_job(engine, visitor, plan_id, {}, NOON + timedelta(hours=6 + number))
    shown = job_summaries.last_waste(engine, visitor, "mortar-bricklaying")
    assert shown is not None
    assert (shown.title, shown.waste_fraction) == ("Coping bed", pytest.approx(0.1))
    assert job_summaries.last_waste(engine, visitor, "hemp-lime") is None
    stranger, _ = new_visitor(engine)
    assert job_summaries.summary_so_far(engine, stranger, plan_id) is None
    assert not job_summaries.close_job(engine, stranger, plan_id, {}, NOON)
    assert job_summaries.last_waste(engine, stranger) is None
    assert job_summaries.summary_so_far(engine, visitor, UUID(int=0)) is None
