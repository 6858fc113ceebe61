"""What is left in the mixer after some of it left, in figures worked by hand from what went in."""

from datetime import timedelta

import pytest
from helpers import Run, a_job_of, account_of_mortar, plan

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.pre_start import ExpectedWater, ForecastReason


def lime() -> Run:
    """68.8 L of hydraulic lime mortar in one load, 1 : 2½, judged right at its start water."""
    return Run(
        plan(
            mix="lime-hydraulic-3.5",
            need={"volume_m3": 0.0688},
            waste_fraction=0,
            mixer={"kind": "tilting-drum", "working_l": 90},
            materials={},
        )
    ).to_right()


def test_four_fifths_placed_leave_a_fifth_of_the_water_window() -> None:
    """Lime 20.954 kg; max 16.784 L added, 9.548 in: 7.235 L were left, and a fifth of that is left: 1.447 L."""
    run = lime()
    assert run.now.remaining_l == pytest.approx(68.8)
    assert run.now.water.remaining_l == pytest.approx(7.235, abs=0.001)
    ratio = run.now.ratio
    run.do("placed", volume_l=0.8 * 68.8)
    assert run.now.remaining_l == pytest.approx(13.76)
    assert run.now.held.binder_kg == pytest.approx(20.954 / 5, abs=0.001)
    assert run.now.ratio == pytest.approx(ratio)
    with pytest.raises(InputError, match=r"Over the max\. This load can take 1\.45 L more"):
        run.do("water_added", water_l=7.2)
    run.do("water_added", water_l=run.now.water.remaining_l)
    # The max of this mix is 1.00 of the lime, whatever is left of the load.
    assert run.now.ratio == pytest.approx(1.00)


def test_half_given_away_too_dry_the_other_half_takes_half_as_much() -> None:
    run = Run(plan()).to_judgement()
    run.judge("too-dry")
    cement, _, water = account_of_mortar(run)
    left_l = run.now.water.remaining_l
    run.do("given", volume_l=run.now.remaining_l / 2, use="packing")
    assert run.now.water.remaining_l == pytest.approx(left_l / 2)
    run.do("water_added", water_l=left_l / 2)
    # Half of the cement and of the water, and all the water that the half may have: 0.80, as the whole would.
    assert (water / 2 + left_l / 2) / (cement / 2) == pytest.approx(0.80)
    assert run.now.ratio == pytest.approx(0.80)


def test_half_of_a_load_too_wet_needs_half_the_dry_parts() -> None:
    run = Run(plan()).to_judgement()
    run.judge("too-dry")
    run.do("water_added", water_l=run.now.water.remaining_l)
    run.do("mixed", minutes=2)
    run.judge("too-wet")
    whole = run.now.correction
    assert whole is not None
    run.do("given", volume_l=run.now.remaining_l / 2, use="backfill")
    half = run.now.correction
    assert half is not None
    assert half.add_kg == pytest.approx({name: kg / 2 for name, kg in whole.add_kg.items()})
    assert half.room_l == pytest.approx(run.plan.mixer.working_l - run.now.remaining_l)


def test_a_share_of_the_label_water_for_a_share_of_the_bag() -> None:
    run = Run(plan(**a_job_of("overlay-stampable", "paddle"))).to_right()
    left_l = run.now.water.remaining_l
    run.do("placed", volume_l=0.8 * run.now.remaining_l)
    assert run.now.water.remaining_l == pytest.approx(left_l / 5)


def test_what_goes_into_a_part_counts_for_more_than_in_the_whole() -> None:
    run = lime()
    run.do("placed", volume_l=0.5 * 68.8)
    before = run.now.ratio
    run.do("water_added", water_l=1.0)
    # One litre in half of 20.954 kg of lime.
    assert before is not None
    assert run.now.ratio == pytest.approx(before + 1.0 / (20.954 / 2), abs=1e-4)
    assert run.state.went_in_l == pytest.approx(9.548 + 1.0, abs=0.001)
    assert sum(run.now.additions_l) == pytest.approx(9.548 / 2 + 1.0, abs=0.001)


def test_what_was_made_is_what_left_and_what_is_there() -> None:
    run = lime()
    run.do("placed", volume_l=40.0)
    run.do("discarded", reason="Not needed")
    assert run.now.made_l == pytest.approx(68.8)
    assert run.now.remaining_l == 0


def screed(moisture: float) -> Run:
    return Run(
        plan(
            mix="screed-1-4-fibre",
            mixer={"kind": "forced-action", "working_l": 90},
            materials={"sand": {"moisture_fraction": moisture}},
        )
    )


def test_a_load_whose_sand_brings_all_its_water_is_judged_and_placed() -> None:
    """1 : 4 with 13 % of free water in the sand: 0.52 to the cement, over the 0.50 asked for."""
    run = screed(0.13).to_judgement()
    assert run.load.water.start_l == 0
    assert "water_added" not in [event.kind for event in run.events]
    assert run.now.act == "judge"
    # Its clock runs from the moment cement and damp sand were both in.
    met = next(event for event in run.events if event.kind == "charged" and event.material == "cement")
    assert run.now.life.began_at == met.occurred_at
    run.judge("right")
    run.do("placed", volume_l=run.now.remaining_l)
    assert run.now.act == "clean"


def test_too_wet_by_sand_that_binds_no_water_asks_for_nothing() -> None:
    run = screed(0.13).to_judgement()
    run.judge("too-wet")
    shown = run.now.correction
    assert shown is not None
    assert shown.add_kg == {}


def test_rich_by_a_ratio_past_the_span_never_gets_binder() -> None:
    """1 : 5 in a mix of 1 : 2 to 1 : 4: nothing more can be added to it, and least of all cement."""
    run = Run(plan(mix="mortar-general", parts={"sand": 5})).to_judgement()
    run.do("judged", reading="right", cohesion="rich")
    assert run.now.correction is not None
    assert run.now.correction.add_kg == {}
    sandy = Run(plan(mix="mortar-general", parts={"sand": 5})).to_judgement()
    sandy.do("judged", reading="right", cohesion="sandy")
    assert sandy.now.correction is not None
    # An eighth less sand to the cement, 4⅜: still outside the span, but on the way back.
    cement = sandy.load.charge("cement").mass_kg
    assert sandy.now.correction.add_kg == pytest.approx({"cement": cement * (5 / 4.375 - 1)})


@pytest.mark.parametrize("free", [0.02, 0.06, 0.08])
def test_too_wet_comes_back_with_the_stockpile_as_it_is_followed(free: float) -> None:
    run = Run(plan())
    water = ExpectedWater(
        stockpile="building-sand", start_l=8.0, about_l=9.0, low_l=8.0, high_l=10.0, last_total_l=None,
        free_moisture_fraction=free, sd_fraction=0.005, weighed=True, because=ForecastReason(kind="steady"),
    )  # fmt: skip
    expected = {"kind": "expected", "water": water.model_dump(), "id": "00000000-0000-4000-8000-000000000001"}
    at = run.at - timedelta(minutes=1)
    run.events.append(
        parse_event(
            {**expected, "device_id": "keeve", "device_seq": 0, "occurred_at": at.isoformat(), "schema": 1}
        )
    )
    run.to_judgement().judge("too-dry")
    run.do("water_added", water_l=run.now.water.remaining_l)
    run.do("mixed", minutes=2)
    run.judge("too-wet")
    shown = run.now.correction
    assert shown is not None
    run.do("corrected", add_kg=shown.add_kg)
    cement = sum(kg_of(event, "cement") for event in run.events)
    dry_sand = sum(kg_of(event, "sand") for event in run.events) / 1.04
    added_l = sum(event.water_l for event in run.events if event.kind == "water_added")
    assert (added_l + dry_sand * free) / cement == pytest.approx(0.75, rel=0.005)


def kg_of(event: object, name: str) -> float:
    if getattr(event, "material", None) == name:
        return float(getattr(event, "mass_kg", 0.0))
    return float(getattr(event, "add_kg", {}).get(name, 0.0))


def test_half_a_dose_on_purpose_is_no_overdose_when_the_sand_is_counted_again() -> None:
    """Three sands for four: a quarter of the sand is due, whatever was added on purpose."""
    dose = {
        "name": "plasticiser",
        "dose": 150,
        "basis": "ml_per_100kg",
        "density_kg_l": 1.02,
        "solids_fraction": 0.2,
    }
    run = Run(plan(admixtures=[dose])).to_judgement()
    run.do("admixed", doses={"plasticiser": 0.5})
    run.do("mixed", minutes=2)
    sand = run.load.charge("sand").mass_kg
    run.do("recounted", charged_kg={"sand": sand * 3 / 4})
    shown = run.now.correction
    assert shown is not None
    assert shown.cause == "miscounted"
    assert shown.add_kg == pytest.approx({"sand": sand / 4})
