"""One good load into the next job: its water, whatever the mix tells it in, and its minutes; of a bad one nothing."""

from uuid import uuid4

import pytest
from helpers import CAST, EVERY_PROCEDURE, Run, a_job_of, job, plan

from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.learning import Learnt, as_learnt, learn_from
from keeve.core.mixes import get_mix
from keeve.core.planning.make_plan import make_plan

JUDGED = sorted(
    {mix: mixer for mix, mixer in EVERY_PROCEDURE if get_mix(mix).regime_traits.is_judged}.items()
)


def as_running(run: Run) -> RunningLoad:
    return RunningLoad(uuid4(), uuid4(), run.plan, run.load, run.begun_at, run.events, run.state)


def to_right(run: Run) -> Run:
    """At its judgement given the rest of its target, mixed, and right then."""
    run.to_judgement()
    rest_l = run.load.water.target_l - run.now.held.added_l
    if rest_l > 0.01:
        run.do("water_added", water_l=rest_l)
        run.do("mixed", minutes=3)
    return run.to_right()


@pytest.mark.parametrize(("mix", "mixer"), JUDGED)
def test_the_next_load_of_any_judged_mix_aims_at_the_water_of_the_last(mix: str, mixer: str) -> None:
    planned = job(**a_job_of(mix, mixer))
    run = to_right(Run(make_plan(planned)))
    learnt = learn_from(as_running(run))
    ratio = run.now.ratio
    assert ratio is not None
    assert learnt.ratio is not None
    assert learnt.ratio.usual == pytest.approx(ratio)
    assert learnt.ratio.low < ratio < learnt.ratio.high
    assert learnt.of_one_load
    again = make_plan(as_learnt(planned, learnt)).loads[0]
    water_l = again.water.target_l + again.water.in_aggregate_l + again.water.in_admixture_l
    if get_mix(mix).has_usual_water:
        assert water_l / again.binder_kg == pytest.approx(ratio, rel=1e-6)
    elif get_mix(mix).basis_traits.asks_for == "label":
        # Of a bag it is what is poured first, less what is held back.
        first_l = again.water.start_l + again.water.in_admixture_l
        assert first_l / again.binder_kg == pytest.approx(0.95 * ratio, rel=1e-6)


def test_a_plaster_that_was_poured_gives_its_ratio() -> None:
    planned = job(**CAST | {"plaster": {"amount": 80.0}})
    run = Run(make_plan(planned))
    assert learn_from(as_running(run)) == Learnt()
    while run.now.act != "place":
        run.step()
    run.do("placed", volume_l=run.now.made_l)
    learnt = learn_from(as_running(run))
    assert learnt.ratio is not None
    again = as_learnt(job(**CAST), learnt)
    assert again.plaster is not None
    assert again.plaster.amount == pytest.approx(80.0)


def test_a_load_that_was_not_right_or_came_out_badly_teaches_nothing() -> None:
    assert learn_from(as_running(Run(plan()))) == Learnt()
    # Right before the least water was in is no water to plan with.
    assert learn_from(as_running(Run(plan()).to_right())).ratio is None
    run = to_right(Run(plan()))
    assert learn_from(as_running(run)).is_something
    run.do("discarded", reason="Something fell in")
    assert learn_from(as_running(run)) == Learnt()
