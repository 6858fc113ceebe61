"""Carry over: what loads tell of their stockpile, and the water that is offered for the next one."""

from datetime import timedelta
from typing import Any

import pytest
from helpers import NOON, Run, a_job_of, plan, raw_event

from keeve.core.errors import InputError
from keeve.core.loads.expected_water import as_expected, followed, in_words
from keeve.core.planning.plan import Plan
from keeve.core.rules.next_water import PastLoad
from keeve.core.stockpile.events import LabReported, StockpileEvent, parse_stockpile_event
from keeve.core.stockpile.forecast import (
    Observation,
    expected_water,
    forecast,
    history_up_to,
    observed_in,
)

# Ten loads; the plan takes the sand as 4 % damp. Each needs 0.6 kg of dry sand a percent more than planned.
PLAN = plan(need={"volume_m3": 0.6}, mixer={"kind": "tilting-drum", "working_l": 66})
LOAD = PLAN.loads[0]
SAND_KG = LOAD.charge("sand").dry_kg


def needs_l(free_moisture: float) -> float:
    """What a load truly takes from the tap where its sand holds that much, by mass balance."""
    return LOAD.water.target_l + SAND_KG * (0.04 - free_moisture)


def mixed(moisture: float, hours: float, history: list[Observation]) -> Run:
    """A load mixed by somebody who starts with what is offered and adds until it is right."""
    run = Run(PLAN, at=NOON + timedelta(hours=hours))
    run.load = as_expected(PLAN, LOAD, expected_water(PLAN, LOAD, history))
    run.to_judgement()
    while run.state.water_l < needs_l(moisture) - 0.15:
        run.judge("too-dry")
        run.do("water_added", water_l=min(needs_l(moisture) - run.state.water_l, run.now.water.remaining_l))
        run.do("mixed", minutes=2)
    run.judge("right")
    return run


def observed(run: Run, hours: float) -> Observation:
    found = observed_in(PLAN, LOAD, run.state, NOON + timedelta(hours=hours))
    assert found is not None
    return found


def happened(kind: str, hours: float, **what: Any) -> StockpileEvent:
    return parse_stockpile_event(raw_event(kind, NOON + timedelta(hours=hours), **what))


def six_drying_loads() -> list[Observation]:
    history: list[Observation] = []
    for number in range(6):
        history.append(observed(mixed(0.052 - 0.003 * number, number / 2, history), number / 2))
    return history


def test_the_offered_start_follows_a_drying_stockpile_and_says_why() -> None:
    history: list[Observation] = []
    misses = []
    for number in range(6):
        moisture = 0.052 - 0.003 * number
        offered = expected_water(PLAN, LOAD, history)
        if offered:
            misses.append(abs(offered.start_l - needs_l(moisture)))
            assert offered.last_total_l == pytest.approx(needs_l(moisture + 0.003), abs=0.2)
        history.append(observed(mixed(moisture, number / 2, history), number / 2))
    offered = expected_water(PLAN, LOAD, history)
    assert offered is not None
    assert offered.start_l > history[1].past.added_l + 0.5
    assert max(misses) < 0.5
    assert "The pile is drying: 5." in in_words(offered.because)
    assert "over 6 loads" in in_words(offered.because)
    assert offered.low_l < offered.start_l < offered.high_l


@pytest.mark.parametrize(("kind", "words"), [("rain", "Rain on the pile"), ("delivery", "New delivery")])
def test_after_the_stockpile_changed_the_low_end_is_offered(kind: str, words: str) -> None:
    loads = six_drying_loads()
    history = history_up_to(loads, [happened(kind, 3.2)], NOON + timedelta(hours=3.5))
    offered = expected_water(PLAN, LOAD, history)
    assert offered is not None
    assert offered.start_l == offered.low_l < offered.about_l - 1
    assert offered.last_total_l == loads[-1].past.added_l
    assert words in in_words(offered.because)
    night = expected_water(PLAN, LOAD, history_up_to(loads, [], NOON + timedelta(hours=20)))
    assert night is not None
    assert "It stood overnight" in in_words(night.because)


def test_the_eye_never_lifts_the_ceiling_and_a_dried_pan_does() -> None:
    """At 1 % the sand wants 3 % of its mass more than planned; the ceiling was computed for 4 %."""
    at = NOON + timedelta(hours=2)
    taught = [
        Observation(
            NOON + timedelta(minutes=20 * number),
            PastLoad(
                added_l=needs_l(0.01),
                dry_aggregate_kg=SAND_KG,
                judged="right",
                target_water_kg=LOAD.water.target_l + 0.04 * SAND_KG,
            ),
        )
        for number in range(5)
    ]
    by_eye = expected_water(PLAN, LOAD, history_up_to(taught, [], at))
    assert by_eye is not None
    water = as_expected(PLAN, LOAD, by_eye).water
    assert water.ceiling_l == LOAD.water.ceiling_l
    # A start is never the max: something is left to judge with.
    assert by_eye.start_l == pytest.approx(0.95 * water.ceiling_l)
    assert "Do a pan test" in in_words(by_eye.because)
    pan = happened("pan", 1.9, wet_kg=1.11, dry_kg=1.1, pan_kg=0.1)
    weighed = expected_water(PLAN, LOAD, history_up_to(taught, [pan], at))
    assert weighed is not None
    water = as_expected(PLAN, LOAD, weighed).water
    assert water.ceiling_l == pytest.approx(LOAD.water.ceiling_l + 0.03 * SAND_KG, abs=0.3)
    assert water.target_l == pytest.approx(needs_l(0.01), abs=0.3)
    # A wetter stockpile lowers the ceiling whoever says so: the ratio is the ratio.
    wet = history_up_to([observed(mixed(0.055, 0, []), 0)] * 3, [], NOON + timedelta(hours=1))
    assert as_expected(PLAN, LOAD, expected_water(PLAN, LOAD, wet)).water.ceiling_l < LOAD.water.ceiling_l


def test_a_load_tells_what_it_took_until_it_was_right() -> None:
    run = mixed(0.04, 0, [])
    took_l = run.state.water_l
    before_place = observed(run, 0).past
    assert (before_place.added_l, before_place.judged) == (took_l, "right")
    assert before_place.dry_aggregate_kg == SAND_KG
    half_way = Run(PLAN).to_judgement()
    assert observed_in(PLAN, LOAD, half_way.state, NOON) is None
    half_way.judge("too-dry")
    assert observed_in(PLAN, LOAD, half_way.state, NOON) is None
    half_way.do("discarded", reason="Something fell in")
    thrown = observed_in(PLAN, LOAD, half_way.state, NOON)
    assert thrown is not None
    assert thrown.past.judged == "dry"


def test_which_stockpile_is_followed() -> None:
    def stockpile(mix: str, mixer: str) -> str | None:
        found = followed(_planned(mix, mixer))
        return found.stockpile if found else None

    assert stockpile("concrete-nominal", "tilting-drum") == "sharp-sand"
    assert stockpile("concrete-pervious", "tray") == "small-stone"
    assert stockpile("concrete-bagged", "tilting-drum") is None
    assert stockpile("concrete-fine-high-strength", "paddle") is None
    bagged = _planned("concrete-bagged", "tilting-drum")
    assert expected_water(bagged, bagged.loads[0], six_drying_loads()) is None


def _planned(mix: str, mixer: str) -> Plan:
    return plan(**a_job_of(mix, mixer))


def test_what_is_felt_or_told_counts_as_much_as_it_is_worth_and_moves_no_ceiling() -> None:
    bands = {}
    for kind, what in (
        ("felt", {"feel": "wet"}),
        ("moisture", {"moisture_fraction": 0.07}),
        ("pan", {"wet_kg": 1.17, "dry_kg": 1.1, "pan_kg": 0.1}),
    ):
        offered = expected_water(PLAN, LOAD, history_up_to([], [happened(kind, 0, **what)], NOON))
        assert offered is not None
        assert offered.weighed is (kind == "pan")
        bands[kind] = offered.high_l - offered.low_l
    assert bands["pan"] < bands["moisture"] < bands["felt"]


def test_under_a_cover_a_night_changes_nothing() -> None:
    loads = six_drying_loads()
    morning = NOON + timedelta(hours=16)
    open_stockpile = history_up_to(loads, [], morning)
    covered = history_up_to(loads, [happened("cover", 3, is_on=True)], morning)
    assert [observed.past.reset for observed in open_stockpile[-1:]] == ["night"]
    assert all(observed.past.reset is None for observed in covered)


def test_rain_nobody_told_of_is_asked_about_until_it_is_noted() -> None:
    wetter = [mixed(moisture, number / 2, []) for number, moisture in enumerate([0.03] * 6 + [0.055] * 2)]
    history = [observed(run, number / 2) for number, run in enumerate(wetter)]
    offered = expected_water(PLAN, LOAD, history)
    assert offered is not None
    assert offered.start_l == pytest.approx(needs_l(0.055), abs=0.4)
    words = in_words(offered.because)
    assert "suddenly wetter: 3.0 to 5.5 % free water" in words
    assert "Has it rained" in words
    noted = expected_water(
        PLAN, LOAD, history_up_to(history, [happened("rain", 2.9)], NOON + timedelta(hours=4))
    )
    assert noted is not None
    assert "Has it rained" not in in_words(noted.because)


def test_top_and_bottom_of_a_heap_keep_their_own_water() -> None:
    """Mass balance decides: the foot of the heap is 3 % wetter than its top, and each is taken up where it was left."""
    loads, dug = [], []
    for number, part in enumerate(["top"] * 3 + ["bottom"] * 3):
        if number % 3 == 0:
            dug.append(happened("dug", number / 2 - 0.1, part=part))
        moisture = 0.035 if part == "top" else 0.065
        loads.append(observed(mixed(moisture, number / 2, []), number / 2))

    def offered(events: list[StockpileEvent], seen: int = 6) -> Any:
        now = NOON + timedelta(hours=seen / 2)
        found = expected_water(PLAN, LOAD, history_up_to(loads[:seen], events, now))
        assert found is not None
        return found

    new_part = offered(dug, 3)
    assert new_part.free_moisture_fraction > 0.035 + 0.02
    assert new_part.start_l == new_part.low_l
    assert "You dig elsewhere" in in_words(new_part.because)
    at_the_foot = offered(dug)
    assert at_the_foot.about_l == pytest.approx(needs_l(0.065), abs=0.5)
    back_on_top = offered([*dug, happened("dug", 2.9, part="top")])
    assert back_on_top.about_l == pytest.approx(needs_l(0.035), abs=0.5)
    assert back_on_top.because.kind in ("steady", "seen-once")
    # Rain comes down on both.
    rained = offered([*dug, happened("rain", 2.8), happened("dug", 2.9, part="top")])
    assert rained.because.kind == "rain"
    assert rained.low_l < back_on_top.low_l


def test_the_loads_after_the_next_follow_the_drying() -> None:
    known = forecast(PLAN, LOAD, six_drying_loads())
    assert known is not None
    water = known.water
    starts = [water.start_l, *(load.start_l for load in water.later)]
    assert len(starts) == 6
    assert starts == sorted(starts)
    # It dried by 0.3 % from load to load.
    assert starts[-1] - starts[0] == pytest.approx(5 * 0.003 * SAND_KG, rel=0.5)
    widths = [water.high_l - water.low_l, *(load.high_l - load.low_l for load in water.later)]
    assert widths[-1] > widths[0]


def test_a_report_of_a_laboratory_needs_a_figure() -> None:
    with pytest.raises(InputError) as refused:
        happened("report", 0, report_number="7")
    assert refused.value.fields == ["absorption_fraction"]
    kept = happened("report", 0, fines_fraction=0.03)
    assert isinstance(kept, LabReported)
    assert kept.figures == {"fines_fraction": 0.03}
