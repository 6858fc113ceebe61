"""A load run by a clock that cannot be stopped: its water fixed, never judged, poured inside its window."""

from copy import deepcopy
from datetime import timedelta

import pytest
from helpers import Run, plan
from timed_mix import TIMED_MIX, timed_job

from keeve.core.errors import InputError, validated
from keeve.core.mixes.model import Mix

PLAN = plan(**timed_job())


def test_all_its_water_goes_in_at_one_ratio() -> None:
    """4 L at 70 to 100: of each kilogram 1 / 2240 m3 and 0.7 L, so 3.493 kg and 2.445 L."""
    load = PLAN.loads[0]
    plaster_kg = 0.004 / (1 / 2240 + 0.7 / 1000)
    assert load.charge("plaster").mass_kg == pytest.approx(plaster_kg)
    assert {load.water.start_l, load.water.min_l, load.water.target_l, load.water.ceiling_l} == {
        load.water.start_l
    }
    assert load.water.start_l == pytest.approx(0.7 * plaster_kg)


def test_from_the_water_to_the_empty_bucket() -> None:
    run = Run(PLAN)
    acts = []
    while run.now.act not in ("place", "dead"):
        acts.append(run.now.act)
        run.step()
    assert acts == ["water", "charge", "rest", "mix"]
    # The clock runs from the moment powder and water met.
    met = run.events[1].occurred_at
    assert run.now.life.began_at == met
    assert run.now.ready_at == met + timedelta(minutes=10)
    assert run.now.dead_at == met + timedelta(minutes=12)
    run.at = met + timedelta(minutes=10)
    run.record({"kind": "placed", "volume_l": run.now.remaining_l})
    run.do("cleaned")
    assert run.now.act == "done"
    assert run.state.placed_l == pytest.approx(4.0)


def test_nothing_of_a_judged_load_is_offered() -> None:
    run = Run(PLAN)
    seen = set()
    while run.now.act != "place":
        seen |= {option.what for option in run.options}
        run.step()
    seen |= {option.what for option in run.options}
    assert not seen & {
        "judge",
        "add_water",
        "rinse",
        "past_ceiling",
        "recount",
        "correct",
        "leave_wrong",
        "dose",
    }
    for what in (
        {"kind": "judged", "reading": "right"},
        {"kind": "water_added", "water_l": 0.1},
        {"kind": "recounted", "charged_kg": {"plaster": 1.0}},
    ):
        with pytest.raises(InputError):
            run.record(what)


def test_after_its_window_it_is_waste() -> None:
    run = Run(PLAN)
    while run.now.act != "place":
        run.step()
    run.at = run.events[1].occurred_at + timedelta(minutes=12)
    assert run.now.act == "dead"
    with pytest.raises(InputError, match="is over"):
        run.record({"kind": "placed", "volume_l": 1.0})


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"pour_from_min": None}, "pour_from_min"),
        ({"pour_from_min": 12}, "pour_from_min"),
        ({"water": {**TIMED_MIX["water"], "ratio_high": 0.8}}, "start_share"),
        ({"regime": "judged"}, "has no judge step"),
    ],
)
def test_a_mix_says_how_it_is_run_and_has_what_that_needs(changes: dict[str, object], words: str) -> None:
    with pytest.raises(InputError, match=words):
        validated(Mix, {**deepcopy(TIMED_MIX), **changes})
