"""Gypsum: ratios as they are told, what makes a volume, the water it binds."""

import math

import iapws
import pytest
from hypothesis import given
from hypothesis import strategies as st
from molmass import Formula

from keeve.core.errors import InputError
from keeve.core.rules.gypsum import (
    ISLANDS_PER_100,
    plaster_charge,
    plaster_combined_water,
    plaster_density,
    plaster_expansion,
    plaster_ratio,
    plaster_vessel_fill,
    plaster_yield,
    water_density_kg_m3,
)
from keeve.core.rules.gypsum_time import plaster_dry_weight

LB, US_QT, CUBIC_INCH = 0.45359237, 0.946352946, 0.016387064
HEMIHYDRATE = Formula("CaSO4").mass + Formula("H2O").mass / 2


def of_a_quart(pounds: float) -> float:
    """Water to 100 of plaster of so many pounds to a US quart of water at 20 °C."""
    return plaster_ratio(plaster_kg=pounds * LB, water_kg=US_QT * 0.998203).water_per_100


@pytest.mark.parametrize("celsius", [0, 4, 10, 20, 30, 40])
def test_water_is_as_dense_as_the_steam_tables_say(celsius: float) -> None:
    known = iapws.IAPWS97(T=celsius + 273.15, P=0.101325).rho
    assert water_density_kg_m3(celsius) == pytest.approx(known, rel=1e-4)


def test_combined_water_is_that_of_the_molar_masses() -> None:
    water = plaster_combined_water(plaster_kg=1).water_kg
    assert water == pytest.approx(1.5 * Formula("H2O").mass / HEMIHYDRATE, rel=1e-3)
    assert plaster_combined_water(plaster_kg=1, purity_fraction=0.9).set_mass_kg == pytest.approx(1.16758)


@given(st.floats(0.1, 100), st.floats(20, 120))
def test_the_balance_of_a_dried_cast_closes(plaster_kg: float, per_100: float) -> None:
    """What went in is what it weighs dry and what leaves it, by molar masses."""
    found = plaster_dry_weight(plaster_kg=plaster_kg, water_kg=plaster_kg * per_100 / 100)
    gypsum = Formula("CaSO4").mass + 2 * Formula("H2O").mass
    assert found.dry_kg == pytest.approx(plaster_kg * gypsum / HEMIHYDRATE, rel=1e-3)
    assert found.dry_kg + found.to_lose_kg == pytest.approx(plaster_kg * (1 + per_100 / 100))


@pytest.mark.parametrize(
    ("pounds", "per_100"),
    [(2.75, 75.7), (3.0, 69.4), (2.975, 70.0), (3.204, 65.0)],
)
def test_pounds_a_quart(pounds: float, per_100: float) -> None:
    """Worked by hand: a US quart of water weighs 2.0826 lb. So 2¾ lb are not 65 to 100, as is told."""
    assert of_a_quart(pounds) == pytest.approx(per_100, abs=0.06)
    assert plaster_ratio(plaster_kg=100, water_kg=per_100).plaster_lb_per_us_qt == pytest.approx(
        pounds, abs=0.005
    )


@pytest.mark.parametrize(
    ("per_100", "codes"),
    [
        (70, []),
        (89, []),
        (111, ["equal_volumes"]),
        (124, ["equal_volumes"]),
        (100 / 0.7, ["reversed"]),
        (200, ["reversed"]),
        (250, ["too_thin"]),
    ],
)
def test_slips_of_a_ratio(per_100: float, codes: list[str]) -> None:
    found = plaster_ratio(plaster_kg=100, water_kg=per_100)
    assert [item.code for item in found.warnings] == codes


def test_a_reversed_ratio_names_what_was_meant() -> None:
    (warning,) = plaster_ratio(plaster_kg=70, water_kg=100).warnings
    assert "70 per 100 the wrong way round" in warning.message


def test_less_water_than_it_binds_is_refused() -> None:
    for refused in (
        lambda: plaster_ratio(plaster_kg=100, water_kg=18.6),
        lambda: plaster_charge(volume_m3=0.001, water_per_100=18.6),
        lambda: plaster_density(water_per_100=18.6),
        lambda: plaster_dry_weight(plaster_kg=100, water_kg=18.6),
    ):
        with pytest.raises(InputError, match="can't all set"):
            refused()
    assert plaster_ratio(plaster_kg=100, water_kg=18.63).warnings == []


@given(st.floats(1e-4, 1), st.floats(20, 150), st.floats(0, 40))
def test_a_charge_makes_its_volume(volume_m3: float, per_100: float, water_c: float) -> None:
    found = plaster_charge(volume_m3=volume_m3, water_per_100=per_100, water_c=water_c)
    assert found.plaster_kg / 2630 + found.water_l / 1000 == pytest.approx(volume_m3)
    assert found.water_kg / found.plaster_kg == pytest.approx(per_100 / 100)


def test_the_quart_of_the_trade_hides_its_waste() -> None:
    """A quart and 3 lb make 89.3 cubic inches; the trade counts 80. A pour of 56 is 0.63 of it, not 0.70."""
    batch = {"plaster_kg": 3 * LB, "water_kg": US_QT * 0.998203}
    made = plaster_yield(**batch, claimed_l=80 * CUBIC_INCH)
    assert made.slurry_l / CUBIC_INCH == pytest.approx(89.3, abs=0.05)
    assert [item.code for item in made.warnings] == ["hidden_waste"]
    assert "10% under" in made.warnings[0].message
    assert 56 * CUBIC_INCH / made.slurry_l == pytest.approx(0.63, abs=0.005)
    assert plaster_yield(**batch, claimed_l=89 * CUBIC_INCH).warnings == []
    assert plaster_yield(**batch, claimed_l=100 * CUBIC_INCH).warnings[0].code == "short_yield"


def test_islands_are_what_settles_under_water() -> None:
    """Powder that fills 0.38 to 0.30 of a settled bed: water over powder is p·1000 / ((1 − p)·2630)."""
    for porosity, per_100 in zip((0.62, 0.70), ISLANDS_PER_100, strict=True):
        assert 100 * porosity * 998.2 / ((1 - porosity) * 2630) == pytest.approx(per_100, abs=0.6)


@given(st.floats(0.1, 0.6), st.floats(0.1, 0.6), st.floats(0.05, 1), st.floats(40, 120))
def test_a_bucket_overfills_where_its_slurry_is_more_than_it_holds(
    diameter: float, height: float, fill: float, per_100: float
) -> None:
    found = plaster_vessel_fill(
        bucket_diameter_m=diameter, bucket_height_m=height, water_fill_fraction=fill, water_per_100=per_100
    )
    holds_l = math.pi * diameter**2 / 4 * height * 1000
    assert bool(found.warnings) == (found.slurry_l > holds_l)
    assert found.water_l == pytest.approx(fill * holds_l)


def test_a_claim_of_one_percent_is_flagged() -> None:
    assert plaster_expansion(length_mm=600).warnings == []
    (claim,) = plaster_expansion(length_mm=600, expansion_fraction=0.01).warnings
    assert claim.meant == {"expansion_fraction": 0.002}


def test_thinner_plaster_is_lighter_and_softer() -> None:
    """Dry casts of 65 and 70 to 100 weigh 1.15 and 1.10 (by hand: 1.1862 over 1.0314 and 1.0815 L a kg)."""
    found = [plaster_density(water_per_100=per_100) for per_100 in (50, 65, 70, 90, 110)]
    assert [item.hardness for item in found] == ["hard", "firm", "firm", "soft", "very soft"]
    assert found[1].dry_density_kg_m3 == pytest.approx(1150, abs=1)
    assert found[2].dry_density_kg_m3 == pytest.approx(1097, abs=1)
    assert [item.pore_fraction for item in found] == sorted(item.pore_fraction for item in found)
