"""A load run by the clock of its setting: its water fixed, poured in its window, then stripped and dried."""

import math
from copy import deepcopy
from datetime import timedelta
from typing import Any

import pytest
import yaml
from helpers import CAST, Run, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError, validated
from keeve.core.loads.set_clock import learnt, observed_age
from keeve.core.mixes import get_mix, mix_text
from keeve.core.mixes.model import Mix
from keeve.core.rules.gypsum_time import SIGHTS, age_factor_of

PLAN = plan(**CAST)
BUILD = plan(**{**CAST, "mix": "plaster-coat"})


def to_pour(run: Run) -> Run:
    """To where it may be poured, each step done as soon as it may be."""
    while run.now.act != "place":
        run.step()
    return run


def minutes_after_met(run: Run, minutes: float) -> None:
    """The clock of the run at so many minutes after powder and water met."""
    met = run.now.life.began_at
    assert met is not None
    run.at = met + timedelta(minutes=minutes)


def cast_and_clean(run: Run) -> Run:
    """Poured in its window, the bucket clean."""
    minutes_after_met(to_pour(run), run.now.clock.window_min[0] if run.now.clock else 0)
    run.record({"kind": "placed", "volume_l": run.now.remaining_l})
    run.do("cleaned")
    return run


def test_all_its_water_goes_in_at_one_ratio() -> None:
    """4 L at 70 to 100, water of 998.0 kg/m3 at 21 °C: 3.698 kg and 2.588 kg."""
    load = PLAN.loads[0]
    plaster_kg = 0.004 / (1 / 2630 + 0.7 / 998.0)
    assert load.charge("plaster").mass_kg == pytest.approx(plaster_kg, rel=1e-4)
    assert {load.water.start_l, load.water.min_l, load.water.target_l, load.water.ceiling_l} == {
        load.water.start_l
    }
    assert load.water.start_l == pytest.approx(0.7 * plaster_kg, rel=1e-4)


def test_from_the_water_to_the_empty_bucket() -> None:
    run = Run(PLAN)
    acts = []
    while run.now.act not in ("place", "dead"):
        acts.append(run.now.act)
        run.step()
    assert acts == ["water", "charge", "rest", "mix", "mix"]
    # The clock runs from the moment powder and water met; 3.7 kg instead of 2.3 are a little quicker.
    met = run.events[1].occurred_at
    factor = (3.698 / 2.3) ** -0.05
    assert run.now.clock is not None
    assert run.now.clock.factor == pytest.approx(factor, rel=1e-3)
    assert run.now.life.began_at == met
    assert run.now.ready_at == pytest.approx(met + timedelta(minutes=10 * factor), abs=timedelta(seconds=1))
    assert run.now.dead_at == pytest.approx(met + timedelta(minutes=12 * factor), abs=timedelta(seconds=1))
    minutes_after_met(run, 10 * factor)
    run.record({"kind": "placed", "volume_l": run.now.remaining_l})
    run.do("cleaned")
    assert run.now.act == "strip"
    assert run.state.placed_l == pytest.approx(4.0)


def test_it_soaks_as_long_as_its_size_needs_and_is_not_stirred_before() -> None:
    """Under 2.3 kg a minute, above 3½ (common practice, no source)."""
    small = plan(**{**CAST, "need": {"volume_m3": 0.002}})
    for made, soak in ((small, 1.0), (PLAN, 3.5)):
        run = Run(made)
        while run.now.act != "rest":
            run.step()
        assert run.now.step is not None
        assert run.now.step.plan.minutes == (soak, soak)
        with pytest.raises(InputError, match="comes first: let it soak"):
            run.record({"kind": "mixed", "step": run.now.position + 1})
        with pytest.raises(InputError, match="Not yet"):
            run.do("rested", minutes=soak - 0.1, step=run.now.position)


def test_nothing_of_a_judged_load_is_offered() -> None:
    run = Run(PLAN)
    seen = set()
    while run.now.act != "place":
        seen |= {(offer.action, offer.target) for offer in run.offers}
        run.step()
    seen |= {(offer.action, offer.target) for offer in run.offers}
    assert not {action for action, _ in seen} & {"judge", "recount", "correct", "top_up", "admix"}
    beside = {("add_water", target) for target in ("tap", "hose", "ice", "drum", "past_ceiling")}
    assert not seen & (beside | {("mix", "")})
    for what in (
        {"kind": "judged", "reading": "right"},
        {"kind": "water_added", "water_l": 0.1},
        {"kind": "recounted", "charged_kg": {"plaster": 1.0}},
        {"kind": "mixed"},
    ):
        with pytest.raises(InputError):
            run.record(what)


def test_after_its_window_it_is_waste_unless_it_was_poured_in_time() -> None:
    run = to_pour(Run(PLAN))
    minutes_after_met(run, 13)
    assert run.now.act == "dead"
    with pytest.raises(InputError, match="past its working time"):
        run.record({"kind": "placed", "volume_l": 1.0})
    run.record({"kind": "placed", "volume_l": run.now.remaining_l, "in_time": True})
    assert run.now.act == "clean"
    late = to_pour(Run(PLAN))
    minutes_after_met(late, 21)
    with pytest.raises(InputError, match="already hard"):
        late.record({"kind": "placed", "volume_l": 1.0, "in_time": True})


@given(st.sampled_from(list(SIGHTS)), st.floats(0.6, 1.8))
def test_what_is_seen_retimes_the_rest(sight: Any, slower: float) -> None:
    """Seen at its own time by the reference clock times a factor, everything after comes at that factor."""
    run = to_pour(Run(PLAN))
    minutes = SIGHTS[sight] * slower
    minutes_after_met(run, max(minutes, 8.0))
    run.record({"kind": "seen", "sight": sight})
    clock = run.now.clock
    assert clock is not None
    factor = max(minutes, 8.0) / SIGHTS[sight]
    assert clock.factor == pytest.approx(factor)
    assert clock.seen == sight
    assert clock.starts_at("strip") == pytest.approx(
        run.now.life.began_at + timedelta(minutes=30 * factor), abs=timedelta(seconds=1)
    )
    assert clock.window_min[0] <= max(minutes, 8.0) + 1e-6
    earlier = [item for item in SIGHTS if SIGHTS[item] <= SIGHTS[sight]]
    for item in earlier:
        with pytest.raises(InputError, match="later stage"):
            run.record({"kind": "seen", "sight": item})


def test_cold_water_slows_and_a_measured_one_counts() -> None:
    """Ten degrees are a factor of 1.4 (common practice, no source)."""
    run = Run(PLAN)
    run.do("temperature", water_c=11.0)
    cold, as_planned = run.now.clock, Run(PLAN).now.clock
    assert cold is not None
    assert as_planned is not None
    assert cold.factor / as_planned.factor == pytest.approx(1.4)


def test_old_powder_sets_slower_until_own_loads_say_better() -> None:
    """Two hundredths a month after the first half year (estimate, common practice, no source): 1.12 at a year."""
    old = Run(plan(**{**CAST, "materials": {"plaster": {"age_months": 12}}})).now.clock
    fresh = Run(PLAN).now.clock
    assert old is not None
    assert fresh is not None
    assert old.factor / fresh.factor == pytest.approx(1.12)
    assert age_factor_of(60) == 1.4
    assert age_factor_of(3) == 1.0


def test_batches_for_building_up_are_used_before_they_are_past_the_trowel() -> None:
    """From cream at 8.5 to cheese at 16, times the factor of 5.5 kg, at 24 L an hour: 2.87 L."""
    made = plan(**{**CAST, "mix": "plaster-coat", "need": {"volume_m3": 0.012},
                   "mixer": {"kind": "bucket", "working_l": 6}, "pace": {"placing_m3_h": 0.024}})  # fmt: skip
    most_l = 24 / 60 * 7.5 * (0.006 * 924.7 / 2.3) ** -0.05
    assert made.limit == "life"
    assert made.loads[0].yield_l == pytest.approx(12 / math.ceil(12 / most_l))


def test_own_loads_draw_the_estimate_towards_what_was_seen() -> None:
    """Twelve loads a fifth slower: the next is expected a fifth slower, in a band less than half as wide."""
    assert learnt([]) is None
    one, many = learnt([1.2]), learnt([1.2] * 12)
    assert one is not None
    assert many is not None
    assert 1.1 < one.age_factor < many.age_factor < 1.2
    assert many.age_factor == pytest.approx(1.2, rel=0.005)
    assert many.spread_fraction < one.spread_fraction < 0.17
    assert many.error_lately_fraction < many.error_before_fraction
    # The mean of the posterior by hand: ln 1.2 over 1 + (0.07 / 0.15)².
    assert math.log(one.age_factor) == pytest.approx(math.log(1.2) / (1 + (0.07 / 0.15) ** 2))


def test_the_age_that_a_load_shows_is_over_its_own_estimate() -> None:
    run = to_pour(Run(PLAN))
    met = run.now.life.began_at
    assert observed_age(run.plan, run.load, run.state, met) is None
    estimated = run.now.clock.factor if run.now.clock else 0.0
    minutes_after_met(run, 10 * estimated * 1.1)
    run.record({"kind": "seen", "sight": "gloss-going"})
    assert observed_age(run.plan, run.load, run.state, met) == pytest.approx(1.1)


def test_a_cast_is_weighed_until_it_stays_at_its_weight() -> None:
    """Wet 3.698 + 2.588 kg; dry 3.698 · 1.1862 = 4.386 kg. It loses half of its water each day."""
    run = cast_and_clean(Run(PLAN))
    with pytest.raises(InputError, match="out of the mould"):
        run.do("weighed", mass_kg=6.0)
    run.do("stripped", minutes=40)
    drying = run.now.drying
    assert run.now.act == "dry"
    assert drying is not None
    assert (drying.wet_kg, drying.dry_kg) == pytest.approx((6.286, 4.386), abs=0.002)
    for day in range(9):
        run.at += timedelta(days=1)
        with pytest.raises(InputError, match="Not dry: do not use"):
            run.record({"kind": "tracking_stopped"})
        run.record({"kind": "weighed", "mass_kg": drying.dry_kg * (1 + 0.433 * 0.5**day)})
    drying = run.now.drying
    assert drying is not None
    first = drying.weighings[0].at
    # Half a percent over its dry weight after log2(0.433 / 0.005) days.
    assert drying.ready_at == pytest.approx(
        first + timedelta(days=math.log2(0.433 / 0.005)), abs=timedelta(hours=1)
    )
    assert drying.done_fraction == pytest.approx(1 - 0.5**8, abs=0.001)
    run.at += timedelta(days=1)
    run.record({"kind": "weighed", "mass_kg": run.state.weighings[-1].kg - 0.004})
    run.do("tracking_stopped")
    assert run.now.act == "done"


def test_a_cast_that_waits_in_a_damp_room_is_not_dry() -> None:
    run = cast_and_clean(Run(PLAN))
    run.do("stripped", minutes=40)
    for _ in range(4):
        run.at += timedelta(days=1)
        run.record({"kind": "weighed", "mass_kg": 5.0})
    drying = run.now.drying
    assert drying is not None
    assert drying.stays
    assert not drying.is_dry
    run.do("tracking_stopped", reason="Broke")
    assert run.now.act == "done"


def test_what_is_trimmed_off_is_not_waited_for() -> None:
    run = cast_and_clean(Run(PLAN))
    run.do("stripped", minutes=40)
    run.do("trimmed", mass_kg=0.6286)
    drying = run.now.drying
    assert drying is not None
    assert drying.dry_kg == pytest.approx(4.386 * 0.9, abs=0.002)
    run.do("weighed", mass_kg=5.6)
    with pytest.raises(InputError, match="before you weigh it"):
        run.do("trimmed", mass_kg=0.1)


def test_a_coat_is_built_up_in_stages_until_it_is_hard() -> None:
    run = to_pour(Run(BUILD))
    clock = run.now.clock
    assert clock is not None
    names = []
    for minutes in (8, 9, 11, 14, 17, 19.4):
        minutes_after_met(run, minutes)
        names.append(clock.stage(run.at, build=True))
    assert names == ["milk", "cream", "thick-cream", "trowel", "carve", "carve"]
    assert run.now.act == "place"
    minutes_after_met(run, 20)
    assert run.now.act == "dead"


def test_two_pieces_are_poured_one_after_the_other_in_loads_of_their_own() -> None:
    """A frame of 0.36 × 0.36 × 0.09 m round a model of 2.5 L: 9.164 L, of which the first piece is a third."""
    frame = {"by": "frame", "length_m": 0.3, "width_m": 0.3, "height_m": 0.06, "wall_m": 0.03, "base_m": 0.03}
    need = {
        "name": "Ceiling rose",
        "container": frame,
        "model": {"by": "displacement", "water_l": 2.5},
        "pieces": [1, 2],
    }
    made = plan(**{**CAST, "need": need, "mixer": {"kind": "bucket", "working_l": 8}})
    assert made.volume.net_m3 == pytest.approx(0.36 * 0.36 * 0.09 - 0.0025)
    assert [(load.pours, load.yield_l) for load in made.loads] == [
        ("Ceiling rose, piece 1 of 2", pytest.approx(9.164 / 3)),
        ("Ceiling rose, piece 2 of 2", pytest.approx(9.164 * 2 / 3)),
    ]
    small = plan(**{**CAST, "need": need, "mixer": {"kind": "bucket", "working_l": 4}})
    assert [load.pours[-6:] for load in small.loads] == ["1 of 2", "2 of 2", "2 of 2"]
    assert [item.message for item in small.warnings] == ["Ceiling rose, piece 2 of 2 takes 2 loads."]


@pytest.mark.parametrize(
    ("model", "litres"),
    [
        ({"by": "displacement", "water_l": 1.5}, 1.5),
        ({"by": "solids", "solids": [{"solid": "dome", "length_m": 0.2, "height_m": 0.1}]}, math.pi * 2 / 3),
        ({"by": "solids", "solids": [{"solid": "cylinder", "length_m": 0.1, "height_m": 0.1, "count": 2}]},
         math.pi / 2),
        ({"by": "solids", "solids": [{"solid": "frustum", "length_m": 0.2, "width_m": 0.1, "height_m": 0.1}]},
         math.pi / 12 * 7),
        ({"by": "solids", "solids": [{"solid": "box", "length_m": 0.1, "width_m": 0.1, "height_m": 0.1}]}, 1.0),
        # A dry cast of 70 : 100 weighs 1.0968 a litre.
        ({"by": "cast", "dry_kg": 2.1936}, 2.0),
        ({"by": "mesh", "mesh": {"unit": "mm", "volume_m3": 0.0012, "sides_m": [0.1, 0.1, 0.2]}}, 1.2),
    ],
)  # fmt: skip
def test_a_model_is_taken_off_however_its_volume_is_known(model: dict[str, Any], litres: float) -> None:
    need = {"container": {"by": "displacement", "water_l": 6.0}, "model": model}
    assert plan(**{**CAST, "need": need}).volume.net_m3 * 1000 == pytest.approx(6 - litres, rel=1e-3)


def test_a_model_that_fills_its_container_is_refused() -> None:
    need = {"container": {"by": "displacement", "water_l": 2}, "model": {"by": "displacement", "water_l": 3}}
    with pytest.raises(InputError, match="as large as the mould around it") as fault:
        plan(**{**CAST, "need": need})
    assert fault.value.fields == ["need.0.model"]
    lacking = {"container": {"by": "solids", "solids": [{"solid": "box", "length_m": 1, "height_m": 1}]}}
    with pytest.raises(InputError, match="A box needs it") as missing:
        plan(**{**CAST, "need": lacking})
    assert missing.value.fields == ["need.0.container.solids.0.width_m"]


@pytest.mark.parametrize(
    ("own", "per_100"),
    [
        ({"amount": 65}, 65),
        ({"amount": 3, "basis": "lb_per_us_qt"}, 69.42),
        ({"amount": 2.75, "basis": "lb_per_us_qt"}, 75.73),
        ({"amount": 1.5, "basis": "kg_per_l"}, 66.55),
    ],
)
def test_a_ratio_of_ones_own_in_every_way_it_is_told(own: dict[str, Any], per_100: float) -> None:
    load = plan(**{**CAST, "plaster": own}).loads[0]
    assert load.water.target_l / load.binder_kg * 100 == pytest.approx(per_100, abs=0.01)


def test_a_ratio_the_wrong_way_round_is_caught_with_what_was_meant() -> None:
    made = plan(**{**CAST, "plaster": {"amount": 100 / 0.7}, "conditions": {}})
    (warning,) = [item for item in made.warnings if item.code == "reversed"]
    assert warning.meant == {"plaster.amount": pytest.approx(70), "plaster.basis": "water_per_100"}
    with pytest.raises(InputError, match=r"plaster\.amount"):
        plan(**{**CAST, "plaster": {"amount": 12}})
    with pytest.raises(InputError, match="Leave it out"):
        plan(plaster={"amount": 70})


def test_a_bucket_by_islands_is_filled_to_a_third_with_water() -> None:
    """A third of 15 L is 5 L of water, 6.65 kg of plaster, 7.53 L of slurry at most."""
    made = plan(**{**CAST, "mix": "plaster-island", "need": {"volume_m3": 0.02},
                   "mixer": {"kind": "bucket", "working_l": 12, "drum_l": 15}})  # fmt: skip
    assert len(made.loads) == 3
    assert all(load.water.start_l <= 5.0 for load in made.loads)


def test_a_batch_is_no_larger_than_can_be_poured_before_it_thickens() -> None:
    """Two minutes at 60 L an hour are 2 L."""
    made = plan(**{**CAST, "need": {"volume_m3": 0.008}, "mixer": {"kind": "bucket", "working_l": 10},
                   "pace": {"placing_m3_h": 0.06}})  # fmt: skip
    assert made.limit == "life"
    assert made.loads[0].yield_l == pytest.approx(8 / 5)


def test_hot_water_is_refused_and_warm_warned_of_in_the_plan() -> None:
    with pytest.raises(InputError, match="cool water") as fault:
        plan(**{**CAST, "conditions": {"water_c": 45}})
    assert fault.value.fields == ["conditions.water_c"]
    warm = plan(**{**CAST, "conditions": {"water_c": 39}})
    assert {"warm_water", "thickens_in_bucket"} <= {item.code for item in warm.warnings}
    assert {item.field for item in warm.warnings} == {"conditions.water_c"}


MIX = yaml.safe_load(mix_text(get_mix("plaster-casting")))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"water": {**MIX["water"], "ratio_high": 0.8}}, "start_share"),
        ({"parts": [*MIX["parts"], {"name": "lime", "material": "hydrated-lime", "parts": 5}]}, "one part"),
        ({"regime": "judged"}, "has no judge step"),
        ({"tests": {}}, "looks for 'islands'"),
    ],
)
def test_a_mix_says_how_it_is_run_and_has_what_that_needs(changes: dict[str, object], words: str) -> None:
    with pytest.raises(InputError, match=words):
        validated(Mix, {**deepcopy(MIX), **changes})


@given(
    st.floats(0, 1),
    st.lists(st.tuples(st.floats(0.1, 2.5), st.floats(0, 0.5)), min_size=2, max_size=2),
)
def test_what_took_so_long_began_so_long_ago(before_min: float, told: list[tuple[float, float]]) -> None:
    """Rested so long and mixed so long, told within minutes of the water: powder and water met before all of it."""
    run = Run(PLAN)
    while run.now.step is None or run.now.step.plan.kind != "rest":
        run.at += timedelta(minutes=before_min / 4)
        run.step()
    for minutes, after_min in told:
        step = run.now.step
        assert step is not None
        run.at += timedelta(minutes=after_min)
        kind = "rested" if step.plan.kind == "rest" else "mixed"
        run.record({"kind": kind, "step": step.plan.step, "minutes": minutes})
    met = run.now.life.began_at
    assert met is not None
    assert (run.at - met).total_seconds() / 60 >= sum(minutes for minutes, _ in told) - 1e-4
    window = run.now.clock.window_min if run.now.clock else (0.0, 0.0)
    assert run.now.dead_at == met + timedelta(minutes=window[1])


def test_the_clock_starts_with_the_first_handful_and_every_sight_waits_for_its_time() -> None:
    run = Run(PLAN)
    while run.now.step is None or run.now.step.plan.kind != "charge":
        run.step()
    step = run.now.step
    begun = run.at = run.at + timedelta(minutes=1)
    charged = {"kind": "charged", "step": step.plan.step, "material": step.plan.material}
    run.record({**charged, "mass_kg": 0.0, "part": True})
    assert run.now.life.began_at == begun
    assert run.now.step == step
    run.at += timedelta(minutes=2.5)
    run.record({**charged, "mass_kg": step.mass_kg})
    assert run.now.life.began_at == begun
    to_pour(run)
    ready = {offer.target: offer.ready_at for offer in run.offers if offer.action == "see" and offer.is_open}
    assert ready
    for sight, at in ready.items():
        assert at is not None
        if at > run.at:
            with pytest.raises(InputError, match="Not yet"):
                run.record({"kind": "seen", "sight": sight})


@given(
    st.sampled_from(
        ["plaster-casting", "plaster-quart", "plaster-island", "plaster-island-turn", "plaster-coat"]
    ),
    st.floats(3, 45),
    st.floats(0, 40),
    st.lists(st.floats(0.41, 2.4), min_size=1, max_size=6),
)
def test_no_stage_ends_before_it_begins(
    mix: str, water_c: float, age_months: float, seen: list[float]
) -> None:
    """Whatever the water and the powder, and whenever something is seen."""
    powder = {"plaster": {"age_months": age_months}}
    try:
        run = Run(plan(**{**CAST, "mix": mix, "conditions": {"water_c": water_c}, "materials": powder}))
    except InputError:
        return
    while run.now.act not in ("place", "dead"):
        run.step()
    for sight, times in zip(SIGHTS, seen, strict=False):
        clock = run.now.clock
        assert clock is not None
        assert clock.met_at is not None
        for stage in (*clock.stages, *clock.build):
            assert stage.to_min is None or stage.from_min <= stage.to_min + 1e-9
        run.at = max(run.at, clock.met_at + timedelta(minutes=SIGHTS[sight] * clock.factor * times))
        if any(offer.target == sight and offer.is_open for offer in run.offers if offer.action == "see"):
            run.record({"kind": "seen", "sight": sight})
