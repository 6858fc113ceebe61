"""The strength law against the open data, a handbook's table and a standard's ages; where it says nothing."""

import csv
import math

import numpy as np
import pytest
from helpers import a_job_of, plan
from hypothesis import given
from hypothesis import strategies as st
from strength_fit import DATA, fit, read

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.planning.expected_strength import is_described, strength_of_load
from keeve.core.rules.strength import required_mean_strength, strength_band, strength_law, water_penalty
from keeve.core.rules.workings import Workings

PER_M3 = {"stone_kg_m3": 1050.0, "sand_kg_m3": 750.0}
RATIOS = st.floats(0.24, 0.89)
DAYS = st.floats(1, 365)
SHARES = st.tuples(st.floats(0, 0.6), st.floats(0, 0.4))


def concrete(ratio: float, days: float, slag: float = 0.0, fly_ash: float = 0.0) -> float:
    binder = 350.0
    return strength_band(
        cement=binder * (1 - slag - fly_ash),
        slag=binder * slag,
        fly_ash=binder * fly_ash,
        water=binder * ratio,
        age_days=days,
        **PER_M3,
    ).mpa


def test_the_law_is_what_the_command_fits_and_holds_out_of_fold() -> None:
    """By mixture: no mixture helps to foretell itself at another age. Covered: 75 to 85 % of each class.

    Where plans show it, it is right on average. Specimens past a ratio of 0.6 with slag come mostly from one series
    that is far stronger than all others, and fly ash at 3 and 14 days from another: those classes it misses.
    """
    found = fit()
    classes = {one.name: one for one in found.classes}
    assert found.rows == 687
    assert found.r2 >= 0.84
    assert 0.78 <= found.coverage <= 0.82
    assert [one.name for one in found.classes if not 0.75 <= one.coverage <= 0.85] == []
    assert abs(classes["cement alone, 28 days"].bias) <= 0.02
    assert abs(classes["28 days"].bias) <= 0.02
    assert [name for name, one in classes.items() if abs(one.bias) > 0.1] == []
    assert (
        sum(classes[name].rows for name in ("cement alone", "with slag", "with fly ash", "with both")) == 687
    )
    shipped = strength_law().model_dump()
    assert found.law.model_dump() == pytest.approx(shipped, abs=1e-3)


def test_cement_alone_at_28_days_has_the_slope_of_its_own_specimens() -> None:
    """Straight line through the logarithms of the 44 not plasticised (numpy): the law lies within its two sigmas."""
    rows = [
        one
        for one in read()
        if one.contents.kinds == 1 and one.age_days == 28 and not one.contents.superplasticizer
    ]
    line, spread = np.polyfit(
        [one.ratio for one in rows], np.log([one.seen_mpa for one in rows]), 1, cov=True
    )
    assert strength_law().slope == pytest.approx(-line[0], abs=2 * math.sqrt(spread[0, 0]))
    assert concrete(0.6, 28) == pytest.approx(math.exp(np.polyval(line, 0.6)), rel=0.04)


def test_plasticised_concrete_is_as_strong_as_one_with_a_twentieth_less_water() -> None:
    masses = {"cement_kg_m3": 350.0, "age_days": 28, **PER_M3}
    plain = strength_band(water_kg_m3=175 * (1 - 0.0510), **masses)
    wetter = strength_band(water_kg_m3=175, superplasticizer_kg_m3=2.0, **masses)
    half = strength_band(water_kg_m3=175, superplasticizer_kg_m3=0.63, **masses)
    assert wetter.mpa == pytest.approx(plain.mpa, rel=1e-3)
    assert plain.mpa > half.mpa > strength_band(water_kg_m3=175, **masses).mpa


def test_more_kinds_of_binder_are_less_sure() -> None:
    spans = []
    for slag, fly_ash in ((0.0, 0.0), (70.0, 0.0), (70.0, 70.0)):
        band = strength_band(
            cement_kg_m3=350 - slag - fly_ash, slag_kg_m3=slag, fly_ash_kg_m3=fly_ash, water_kg_m3=175, age_days=28,
            **PER_M3,
        )  # fmt: skip
        spans.append((band.high_mpa - band.low_mpa) / band.mpa)
    assert spans == sorted(spans)
    assert spans[2] > 1.5 * spans[0]


def test_eight_in_ten_of_the_open_data_lie_in_the_band_of_the_rule() -> None:
    inside = []
    with DATA.open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            figures = {name.removesuffix("_kg_m3"): float(value) for name, value in row.items()}
            seen = figures.pop("strength_mpa")
            band = strength_band(**figures)
            inside.append(band.low_mpa <= seen <= band.high_mpa)
            assert not band.warnings
    assert 0.78 <= sum(inside) / len(inside) <= 0.82


@pytest.mark.parametrize(
    ("ratio", "psi"), [(0.41, 6000), (0.48, 5000), (0.57, 4000), (0.68, 3000), (0.82, 2000)]
)
def test_the_handbooks_table_is_the_figure_to_count_on(ratio: float, psi: float) -> None:
    """ACI 211.1-91, w/c against mean strength at 28 days, no air entrained (from memory): made to be safe."""
    band = strength_band(cement_kg_m3=350.0, water_kg_m3=350 * ratio, age_days=28, **PER_M3)
    assert band.low_mpa == pytest.approx(psi / 145.0377, rel=0.1)
    assert psi / 145.0377 < band.mpa


def test_it_gains_with_age_as_the_standard_has_it() -> None:
    """EN 1992-1-1: exp(s (1 − √(28/t))), s from 0.20 for fast to 0.38 for slow cement (from memory)."""
    for days, low, high in ((3, 0.456, 0.663), (7, 0.683, 0.819), (90, 1.092, 1.183)):
        assert low <= concrete(0.5, days) / concrete(0.5, 28) <= high


@given(RATIOS, RATIOS, DAYS, DAYS, SHARES)
def test_more_water_is_never_stronger_and_more_age_never_weaker(
    one: float, other: float, early: float, late: float, shares: tuple[float, float]
) -> None:
    (dry, wet), (early, late) = sorted((one, other)), sorted((early, late))
    assert concrete(wet, early, *shares) <= concrete(dry, early, *shares)
    assert concrete(dry, early, *shares) <= concrete(dry, late, *shares)


@pytest.mark.parametrize(
    ("changes", "field"),
    [({"water_kg_m3": 80.0}, "water_kg_m3"), ({"water_kg_m3": 320.0}, "water_kg_m3"), ({"age_days": 0.9}, "age_days"),
     ({"age_days": 366}, "age_days"), ({"cement_kg_m3": 0.0}, "cement_kg_m3")],
)  # fmt: skip
def test_outside_the_data_it_says_nothing(changes: dict[str, float], field: str) -> None:
    with pytest.raises(InputError) as refused:
        strength_band(**{"cement_kg_m3": 350.0, "water_kg_m3": 175.0, "age_days": 28, **PER_M3, **changes})
    assert field in refused.value.fields


def test_a_mortar_and_a_binder_past_the_data_are_told() -> None:
    mortar = strength_band(
        cement_kg_m3=350.0, water_kg_m3=200.0, stone_kg_m3=0.0, sand_kg_m3=1400.0, age_days=28
    )
    slag = strength_band(cement_kg_m3=80.0, slag_kg_m3=270.0, water_kg_m3=175.0, age_days=28, **PER_M3)
    assert [warning.code for warning in (*mortar.warnings, *slag.warnings)] == [
        "not_a_cubic_metre",
        "share_outside",
    ]


def test_what_water_costs_is_the_same_law() -> None:
    cost = water_penalty(binder_kg=350, water_kg=175, extra_water_kg=35).strength_ratio
    assert cost == pytest.approx(concrete(0.6, 28) / concrete(0.5, 28))
    with pytest.raises(InputError, match="Water to cement is"):
        water_penalty(binder_kg=100, water_kg=85, extra_water_kg=10)


@pytest.mark.parametrize(
    ("specified", "sd", "mean"), [(25, 2, 27.68), (25, 4, 30.87), (40, 3, 44.02), (40, 6, 49.98)]
)
def test_the_mean_to_aim_at(specified: float, sd: float, mean: float) -> None:
    """By hand from ACI 318: 1.34 s while the tests are even, 2.33 s − 3.45 or 0.9 f + 2.33 s once they are not."""
    found = required_mean_strength(specified_mpa=specified, sd_mpa=sd)
    assert found.mean_mpa == pytest.approx(mean)


def test_only_concretes_of_cement_sand_and_stone_get_a_figure() -> None:
    described = {
        mix.id
        for mix in library().values()
        if is_described(plan(**a_job_of(mix.id, mix.procedures[0].mixer)))
    }
    assert described == {"concrete-nominal", "concrete-designed"}
    airy = a_job_of("concrete-designed", "tilting-drum")
    airy["design"] = {"strength_mpa": 25, "air_entrained": True}
    assert plan(**airy).strength is None
    assert plan().strength is None


def test_a_plans_strength_and_none_under_what_can_be_compacted() -> None:
    """1 : 2 : 4 at w/c 0.60: 137.54 · exp(−2.5914 · 0.60) = 29.0 MPa; a litre more in 25 kg of cement
    1 − exp(−2.5914 / 25) = 10 %. The low end: 29.05 − 0.5207 · 29.05^(2/3) = 24.1.
    """
    nominal = plan(mix="concrete-nominal", materials={}, need={"volume_m3": 0.6})
    load, strength = nominal.loads[0], nominal.strength
    assert strength is not None
    assert strength.mpa == pytest.approx(29.0, abs=0.1)
    assert strength.low_mpa == pytest.approx(24.1, abs=0.1)
    assert strength.litre_more_ratio == pytest.approx(1 - 0.10, abs=0.005)
    assert strength_of_load(nominal, load, load.water.min_l - 0.1, Workings()) is None
    assert strength_of_load(nominal, load, load.water.min_l, Workings()) is not None
    assert strength_of_load(nominal, load, load.water.ceiling_l * 2, Workings()) is None
