"""Hardening and drying: against their published forms, worked out another way."""

from math import exp, pi, sin
from random import Random

import pytest
from iapws import iapws97
from scipy.integrate import quad
from scipy.optimize import brentq

from keeve.core.errors import InputError
from keeve.core.rules.maturity import (
    Spell,
    early_strength,
    equivalent_age,
    evaporation_rate,
    hours_until_aged,
    screed_drying,
    until,
)
from keeve.core.rules.strength import Binders, strength_law, strength_mpa


def age_factor(c: float) -> float:
    """ASTM C1074, equation of the equivalent age, Ts 20 °C; E of Freiesleben Hansen and Pedersen. From memory."""
    energy = 33_500 if c >= 20 else 33_500 + 1_470 * (20 - c)
    return exp(-energy / 8.314 * (1 / (273.15 + c) - 1 / (273.15 + 20)))


def day_c(hour: float) -> float:
    return 14 + 9 * sin(2 * pi * (hour - 9) / 24)


def test_equivalent_age_is_the_integral_of_its_age_factor() -> None:
    spells = [Spell(hours=0.05, c=day_c((index + 0.5) * 0.05)) for index in range(1440)]
    wanted, _ = quad(lambda hour: age_factor(day_c(hour)), 0, 72, limit=200)
    assert equivalent_age(temperatures=spells).hours_at_20c == pytest.approx(wanted, rel=1e-4)


def test_nurse_saul_is_the_sum_of_degree_hours() -> None:
    # Saul's maturity with a datum of −10 °C: 24 h at 5 °C and 48 h at 15 °C are 1560 °C·h, which is 52 h at 20 °C.
    given = [Spell(hours=24, c=5), Spell(hours=48, c=15), Spell(hours=10, c=-12)]
    found = equivalent_age(temperatures=given, method="nurse-saul", datum_c=-10)
    assert found.hours_at_20c == pytest.approx(52)
    with pytest.raises(InputError, match="below 20"):
        equivalent_age(temperatures=given, method="nurse-saul", datum_c=20)


@pytest.mark.parametrize("seed", range(60))
def test_an_age_is_reached_when_the_equivalent_age_says_so(seed: int) -> None:
    chance = Random(seed)
    spells = [
        Spell(hours=chance.uniform(1, 30), c=chance.uniform(-5, 40)) for _ in range(chance.randint(1, 9))
    ]
    ages = sorted(chance.uniform(0, 200) for _ in range(4))

    def aged(hours: float) -> float:
        total = 0.0
        for index, spell in enumerate(spells):
            lasts = hours if index == len(spells) - 1 else min(hours, spell.hours)
            total, hours = total + lasts * age_factor(spell.c), hours - lasts
        return total

    for age, hours in zip(ages, hours_until_aged(spells, ages), strict=True):
        assert hours == pytest.approx(brentq(lambda at, age=age: aged(at) - age, 0, 20_000), abs=1e-6)


def test_evaporation_as_printed() -> None:
    """Uno 1998, SI form, from memory; its chart reading for 30 °C, 40 %, 20 km/h is about 1.15 kg/(m2 h)."""
    assert evaporation_rate(30, 30, 0.4, 20).kg_m2_h == pytest.approx(1.149, abs=0.001)
    assert [evaporation_rate(25, 20, 0.6, wind).verdict for wind in (0, 15, 40)] == [
        "low",
        "caution",
        "protect",
    ]
    assert evaporation_rate(5, 30, 1.0, 10).kg_m2_h == 0  # water condenses on it
    with pytest.raises(InputError, match="frost"):
        evaporation_rate(5, -20, 0.5, 10)


@pytest.mark.parametrize("seed", range(60))
def test_evaporation_is_never_under_the_nomograph_and_near_it(seed: int) -> None:
    """Menzel's equation, 0.44 (e_c − r e_a)(0.253 + 0.096 V) in lb/ft2 h, psi and mph, with pressures of IAPWS-IF97."""
    chance = Random(seed)
    concrete_c, air_c = chance.uniform(5, 55), chance.uniform(5, 50)
    humidity, wind_kmh = chance.uniform(0.05, 0.7), chance.choice([0.0, chance.uniform(0, 40)])
    psi = [iapws97._PSat_T(c + 273.15) * 145.0377 for c in (concrete_c, air_c)]
    wanted = 0.44 * (psi[0] - humidity * psi[1]) * (0.253 + 0.096 * wind_kmh / 1.609344) * 4.882428
    found = evaporation_rate(concrete_c, air_c, humidity, wind_kmh).kg_m2_h
    assert max(wanted * 0.995, 0.0) <= found < max(wanted, 0.0) * 1.12 + 0.2


def test_early_strength_by_the_table_of_the_standard() -> None:
    """EN 1992-1-1, 3.1.2 (from memory): a normal cement has 0.34, 0.60, 0.78 and 1 of it at 1, 3, 7 and 28 days."""
    found = [early_strength(days * 24.0).strength_fraction for days in (1, 3, 7, 28)]
    assert found == pytest.approx([0.34, 0.60, 0.78, 1.0], abs=0.005)
    rapid, normal, slow = (
        early_strength(48.0, hardening).strength_fraction for hardening in ("rapid", "normal", "slow")
    )
    assert slow < normal < rapid < 1


@pytest.mark.parametrize("days", [3, 7, 14])
def test_early_strength_is_near_what_open_data_show(days: int) -> None:
    """The law fitted to I-C. Yeh's open data, plain cement at 0.4: near the standard's normal and rapid."""
    contents = Binders(400, 0, 0, 160)
    measured = strength_mpa(strength_law(), contents, float(days)) / strength_mpa(
        strength_law(), contents, 28.0
    )
    low, high = (
        early_strength(days * 24.0, hardening).strength_fraction for hardening in ("normal", "rapid")
    )
    assert low - 0.12 < measured < high + 0.12


@pytest.mark.parametrize("seed", range(20))
def test_temperatures_until_a_moment_last_as_long(seed: int) -> None:
    chance = Random(seed)
    spells = [
        Spell(hours=chance.uniform(1, 20), c=chance.uniform(0, 40)) for _ in range(chance.randint(1, 6))
    ]
    hours = chance.uniform(0.5, 90)
    found = until(spells, hours)
    assert sum(spell.hours for spell in found) == pytest.approx(hours)
    assert [spell.c for spell in found] == [spell.c for spell in spells][: len(found)]
    (aged,) = hours_until_aged(spells, [equivalent_age(temperatures=found).hours_at_20c])
    assert aged == pytest.approx(hours)


@pytest.mark.parametrize("seed", range(30))
def test_evaporation_grows_with_wind_and_heat_and_falls_with_humidity(seed: int) -> None:
    chance = Random(seed)
    given = {"concrete_c": chance.uniform(5, 35), "air_c": chance.uniform(0, 40),
             "humidity_fraction": chance.uniform(0.1, 0.9), "wind_kmh": chance.uniform(0, 50)}  # fmt: skip
    base = evaporation_rate(**given).kg_m2_h
    assert evaporation_rate(**given | {"wind_kmh": given["wind_kmh"] + 5}).kg_m2_h >= base
    assert evaporation_rate(**given | {"concrete_c": given["concrete_c"] + 5}).kg_m2_h >= base
    assert evaporation_rate(**given | {"humidity_fraction": given["humidity_fraction"] + 0.1}).kg_m2_h <= base


def test_a_thick_screed_dries_slower() -> None:
    # BS 8203, from memory: a day a millimetre up to 50 mm, then two.
    assert [screed_drying(thickness).days for thickness in (40, 50, 65)] == [40, 50, 80]
