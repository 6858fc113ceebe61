"""A load in the user's own gauge: every gauge carries the same mass, none past what vessel and scale hold."""

import math
from typing import Any

import pytest
from helpers import a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.planning.amounts import gauged, gauges_of, gross_weight_of, jar_for, weighed_water

BUCKET = {"name": "bucket", "volume_l": 12, "tare_kg": 0.7}
SHOVEL = {"name": "shovel", "kind": "shovel", "volume_l": 4.5}
BAG = {"name": "bag", "kind": "bag", "material": "cement"}
TIN = {"name": "tin", "volume_l": 5, "material": "cement"}


@given(st.floats(1.5, 60), st.floats(0.1, 3), st.floats(5, 200), st.floats(0.1, 1))
def test_the_scale_shows_the_whole_charge_and_is_never_overloaded(
    volume_l: float, tare_kg: float, capacity_kg: float, share: float
) -> None:
    found = plan(
        vessels=[{**BUCKET, "volume_l": volume_l, "tare_kg": tare_kg}],
        scales=[{"capacity_kg": capacity_kg, "division_g": 10}],
    )
    for charge in found.loads[0].charges:
        reading = gross_weight_of(found, charge, share)
        assert reading is not None
        net_kg = reading.gross_kg - tare_kg
        assert reading.fills * net_kg == pytest.approx(charge.mass_kg * share)
        assert reading.gross_kg <= capacity_kg * (1 + 1e-9)
        assert net_kg / charge.mass_kg * charge.volume_l <= volume_l * (1 + 1e-9)


@given(st.floats(0.01, 1), st.lists(st.tuples(st.floats(0.5, 100), st.floats(0.1, 100)), max_size=3))
def test_powder_is_weighed_to_a_division_of_the_finest_scale_that_carries_it(
    share: float, scales: list[tuple[float, float]]
) -> None:
    found = plan(scales=[{"capacity_kg": kg, "division_g": g} for kg, g in scales], gauge="weight")
    cement = gauged(found, found.loads[0].charge("cement"), share)
    fit = [g / 1000 for kg, g in scales if kg >= cement.mass_kg >= 10 * g / 1000]
    assert cement.within_kg == (min(fit) if fit else None)
    # Damp sand is never known so near.
    assert gauged(found, found.loads[0].charge("sand"), share).within_kg is None


def test_shovels_spread_as_independent_ones_do() -> None:
    """By hand: 4.5 L a shovel at 15 % each; n of them at 15 % over the root of n."""
    found = plan(vessels=[SHOVEL], gauge="shovels")
    charge = found.loads[0].charge("sand")
    amount = gauged(found, charge)
    assert (amount.gauge, amount.vessels and amount.vessels.name) == ("shovels", "shovel")
    assert amount.vessels is not None
    assert amount.vessels.count == pytest.approx(charge.volume_l / 4.5)
    assert amount.spread_fraction == pytest.approx(0.15 / math.sqrt(charge.volume_l / 4.5))


def test_a_vessel_for_one_material_comes_first_and_a_whole_bag_is_one() -> None:
    found = plan(vessels=[BUCKET, TIN], gauge="volume")
    cement, sand = (found.loads[0].charge(name) for name in ("cement", "sand"))
    assert [item.name for item in cement.vessels] == ["tin", "bucket"]
    assert [item.name for item in sand.vessels] == ["bucket"]
    bagged = plan(vessels=[BAG, BUCKET], gauge="volume")
    bags = bagged.loads[0].charge("cement").vessels[0]
    assert (bags.name, bags.count) == ("bag", pytest.approx(bagged.loads[0].charge("cement").dry_kg / 25))


@pytest.mark.parametrize(
    ("gauge", "lacking"),
    [
        ("volume", "no level bucket for the cement and sand"),
        ("scale", "no scale"),
        ("shovels", "no shovel for the cement and sand"),
    ],
)
def test_without_the_means_an_amount_is_told_by_weight_and_that_is_said(gauge: str, lacking: str) -> None:
    found = plan(vessels=[], gauge=gauge)
    assert gauged(found, found.loads[0].charges[0]).gauge == "weight"
    assert [item.message for item in found.warnings if item.code == "no_means"] == [
        f"You have {lacking}, so amounts are by weight."
    ]


@pytest.mark.parametrize(
    ("vessel", "field"),
    [
        ({"name": "bag", "kind": "bag"}, "vessels.0"),
        ({"name": "bucket"}, "vessels.0"),
        ({**BUCKET, "material": "gravel"}, "vessels.0.material"),
    ],
)
def test_a_vessel_that_cannot_be_is_refused(vessel: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as caught:
        plan(vessels=[vessel])
    assert caught.value.fields == [field]


@pytest.mark.parametrize(
    ("volume_ml", "jar"),
    [(5, None), (12, "syringe"), (32, "cylinder"), (180, "cylinder"), (700, "jug"), (9000, None)],
)
def test_a_dose_is_measured_in_what_can_measure_it(volume_ml: float, jar: str | None) -> None:
    found = jar_for(volume_ml)
    assert (found.name if found else None) == jar
    assert found is None or found.holds_ml >= volume_ml


def test_a_powder_under_ten_divisions_is_not_for_that_scale() -> None:
    """By hand: 900 g/m3 of fibre in 0.04 m3 is 36 g: fine on a scale of 1 g, not on one of 10 g."""
    job = {**a_job_of("screed-1-4-fibre", "forced-action"), "need": {"volume_m3": 0.036}}
    for division_g, codes in ((10, {"scale_too_coarse"}), (1, set())):
        found = plan(**job, scales=[{"capacity_kg": 30, "division_g": division_g}])
        assert {item.code for item in found.warnings} & {"scale_too_coarse"} == codes


def test_a_load_is_told_in_every_gauge_the_yard_has_for_it() -> None:
    bare = plan(vessels=[])
    assert gauges_of(bare, bare.loads[0]) == ["weight"]
    full = plan(vessels=[BUCKET, SHOVEL], scales=[{"capacity_kg": 60, "division_g": 20}])
    assert gauges_of(full, full.loads[0]) == ["weight", "scale", "volume", "shovels"]


def test_prices_come_to_a_cost() -> None:
    """By hand: 4 bags of 25 kg for 82.5 kg of cement at 9.50, and the sand by the tonne, to the next tenth, at 42."""
    found = plan(materials={"cement": {"bag_kg": 25, "price_per_bag": 9.5}, "sand": {"price_per_t": 42}})
    sand = next(item for item in found.shopping if item.material == "sand")
    assert sand.mass_kg is not None
    bags = next(item.bags for item in found.shopping if item.material == "cement")
    assert found.cost == pytest.approx((bags or 0) * 9.5 + math.ceil(sand.mass_kg / 100) / 10 * 42)
    assert plan().cost is None


def test_powders_take_their_room_and_an_undosed_plasticiser_leaves_a_load_short() -> None:
    """990 kg of binder with 4.5 % of powders of 1300 kg/m3 are 34 L of a cubic metre: the rest is the mix.

    A mortar of 15 % air, 10 % of it by its plasticiser, makes 1 − 0.85 / 0.95 = 11 % less without it.
    """
    strong = a_job_of("concrete-fine-high-strength", "paddle") | {
        "need": {"volume_m3": 0.02},
        "waste_fraction": 0.0,
    }
    load = plan(**strong).loads[0]
    powders_l = sum(item.mass_kg or 0 for item in load.admixtures) / 1.3
    assert powders_l / load.yield_l == pytest.approx(990 * 0.045 / 1300, rel=0.01)
    assert load.binder_kg / load.yield_l * 1000 == pytest.approx(990, rel=0.01)
    told = {item.code: item.message for item in plan(mix="mortar-bricklaying").warnings}
    assert "about 11 % less" in told["no_label_dose"]
    dose = {
        "name": "plasticiser",
        "basis": "ml_per_100kg",
        "dose": 150,
        "density_kg_l": 1.0,
        "solids_fraction": 0.3,
    }
    assert "no_label_dose" not in {
        item.code for item in plan(mix="mortar-bricklaying", admixtures=[dose]).warnings
    }


def test_water_is_weighed_wherever_there_is_a_scale() -> None:
    """A litre is a kilogram, and on the scale its bucket is with it."""
    scales = [{"capacity_kg": 30, "division_g": 20}]
    assert weighed_water(plan(), 8.0) is None
    found = weighed_water(plan(scales=scales), 8.0)
    assert found is not None
    assert found.mass_kg == 8.0
    assert found.gross is not None
    assert found.gross.gross_kg == pytest.approx(8.7)
    assert weighed_water(plan(scales=scales), 0.0) is None


@pytest.mark.parametrize(
    ("basis", "dose", "each", "expected"),
    [
        # 75 kg of cement are three bags of 25 kg: two caps of 25 mL to each, a splash of 20 mL, a pouch of 40 g.
        ("cap_per_bag", 2.0, 25.0, (6.0, "cap", 150.0, 0.1575)),
        ("splash_per_bag", 1.0, None, (3.0, "splash", 60.0, 0.063)),
        ("pouch_per_bag", 1.0, 40.0, (3.0, "pouch", None, 0.12)),
    ],
)
def test_an_admixture_by_caps_splashes_or_pouches_a_bag(
    basis: str, dose: float, each: float | None, expected: tuple[float, str, float | None, float]
) -> None:
    """By hand; a liquid at 1.05 kg/L."""
    label = {"name": "plasticiser", "dose": dose, "basis": basis, "each": each}
    form = {"form": "powder"} if basis == "pouch_per_bag" else {}
    made = plan(mix="mortar-bricklaying", need={"bags": 3}, admixtures=[{**label, **form}])
    (amount,) = [item for item in made.loads[0].admixtures if item.name == "plasticiser"]
    loads = len(made.loads)
    count, counted_in, volume_ml, mass_kg = expected
    assert (amount.count, amount.counted_in) == (pytest.approx(count / loads), counted_in)
    assert amount.volume_ml == (None if volume_ml is None else pytest.approx(volume_ml / loads))
    assert amount.mass_kg == pytest.approx(mass_kg / loads)


def test_a_cap_of_unknown_size_is_asked_for_and_a_glug_too_much_is_told() -> None:
    label = {"name": "plasticiser", "dose": 1, "basis": "cap_per_bag"}
    with pytest.raises(InputError, match="mL of a cap") as fault:
        plan(mix="mortar-bricklaying", admixtures=[label])
    assert fault.value.fields == ["admixtures.0.each"]
    # 20 splashes of 20 mL to 25 kg are 1 600 mL to 100 kg: labels say 600 at most.
    much = plan(mix="mortar-bricklaying", admixtures=[{**label, "basis": "splash_per_bag", "dose": 20}])
    assert {"dose_tenfold", "dose_unusual"} & {item.code for item in much.warnings}


def test_the_label_of_a_retarder_or_an_accelerator_runs_the_clock() -> None:
    label = {"name": "accelerator", "dose": 1000, "basis": "ml_per_100kg", "life_min": 45}
    made, usual = plan(mix="mortar-bricklaying", admixtures=[label]), plan(mix="mortar-bricklaying")
    assert (made.mix.life_min, made.mix.usual_life_min) == (45, usual.mix.life_min)
    assert usual.mix.usual_life_min is None
