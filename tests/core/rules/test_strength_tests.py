"""Specimens and their acceptance: by hand, against numpy and scipy, and at the very edge of each rule."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from keeve.core.errors import InputError
from keeve.core.rules.strength import required_mean_strength
from keeve.core.rules.strength_tests import Specimen, specimen_mpa, strength_acceptance, strength_record

STRENGTHS = st.lists(st.floats(5, 90), min_size=1, max_size=40)


@pytest.mark.parametrize(
    ("specimen", "mpa"),
    [
        # By hand: 675 kN on 150 x 150 mm; 530.1 kN on a cylinder of 150 mm, 17 671 mm2.
        ({"shape": "cube", "load_kn": 675.0, "size_mm": 150.0}, 30.0),
        ({"shape": "cylinder", "load_kn": 530.14, "diameter_mm": 150.0}, 30.0),
        # EN 196-1 (memory): prism 40 x 40 mm on supports 100 mm apart, Rf = 1.5 F l / b3; 2 987 N are 7.0 MPa.
        ({"shape": "prism", "load_kn": 2.9867, "size_mm": 40.0, "span_mm": 100.0}, 7.0),
    ],
)
def test_strength_is_load_over_area(specimen: dict[str, object], mpa: float) -> None:
    assert specimen_mpa(Specimen(age_days=28.0, **specimen)) == pytest.approx(mpa, rel=1e-4)


@given(STRENGTHS, st.floats(5, 60))
def test_a_record_is_what_numpy_makes_of_it(strengths: list[float], specified: float) -> None:
    record = strength_record([Specimen(age_days=28.0, mpa=mpa) for mpa in strengths], specified)
    assert record.mean == pytest.approx(np.mean(strengths))
    is_far_under = min(strengths) < specified - 4
    if len(strengths) < 10:
        # Few tests never say that a strength is met.
        assert record.verdict == ("falls-short" if is_far_under else "too-few")
    if len(strengths) == 1:
        assert (record.sd, record.characteristic) == (None, None)
        return
    assert record.sd == pytest.approx(np.std(strengths, ddof=1), abs=1e-9)
    assert record.characteristic == pytest.approx(
        np.mean(strengths) - 1.64 * np.std(strengths, ddof=1), abs=1e-9
    )
    if len(strengths) >= 10:
        # EN 1990, D7.2: k is t(0.95, n - 1) · √(1 + 1/n).
        n = len(strengths)
        factor = stats.t.ppf(0.95, n - 1) * math.sqrt(1 + 1 / n)
        if record.verdict == "meets":
            assert record.mean - (factor - 0.16) * (record.sd or 0.0) >= specified - 1e-9
            assert not is_far_under
        assert (record.verdict == "falls-short") == (is_far_under or record.characteristic < specified)


def test_one_in_twenty_falls_below_the_characteristic_strength() -> None:
    made = stats.norm(40, 5).rvs(4000, random_state=5)
    record = strength_record([Specimen(age_days=28.0, mpa=float(mpa)) for mpa in made])
    assert record.characteristic is not None
    assert np.mean(made < record.characteristic) == pytest.approx(0.05, abs=0.008)


@given(STRENGTHS, st.floats(10, 60))
def test_acceptance_by_aci_is_the_two_rules_and_nothing_else(tests: list[float], specified: float) -> None:
    found = strength_acceptance(tests, specified)
    means = np.convolve(tests, np.ones(3) / 3, "valid") if len(tests) >= 3 else np.array([])
    least = specified - 3.45 if specified <= 35 else 0.9 * specified
    assert found.means_mpa == pytest.approx(list(means))
    wrong = {("mean", index + 2) for index, mean in enumerate(found.means_mpa) if mean < specified}
    wrong |= {("single", index) for index, mpa in enumerate(tests) if mpa < least}
    assert {(short.kind, short.index) for short in found.shortfalls} == wrong
    assert found.verdict == ("falls-short" if wrong else "meets" if len(tests) >= 3 else "too-few")


@pytest.mark.parametrize(
    ("results", "specified", "verdict"),
    [
        # EN 206, table B.1 (memory): 1 result fck − 4; 2 to 4 mean fck + 1; 5 or 6 mean fck + 2; each fck − 4.
        ([21.0], 25, "meets"),
        ([20.9], 25, "falls-short"),
        ([25.0, 27.0], 25, "meets"),
        ([25.0, 26.9], 25, "falls-short"),
        ([31.0, 31.0, 20.9], 25, "falls-short"),
        ([26.0, 26.0, 26.0, 26.0], 25, "meets"),
        ([26.0, 26.0, 26.0, 26.0, 26.0], 25, "falls-short"),
        ([27.0, 27.0, 27.0, 27.0, 27.0, 27.0], 25, "meets"),
    ],
)
def test_identity_by_en_206(results: list[float], specified: float, verdict: str) -> None:
    assert strength_acceptance(results, specified, "en-206").verdict == verdict


def test_the_required_mean_passes_acceptance_as_often_as_it_is_meant_to() -> None:
    """ACI 318 (memory): aimed at the required mean, one mean of three in a hundred falls short."""
    rng = np.random.default_rng(11)
    for specified, sd in ((20.0, 3.0), (30.0, 5.0), (50.0, 6.0)):
        mean = required_mean_strength(specified, sd).mean_mpa
        tests = [float(mpa) for mpa in rng.normal(mean, sd, 9000)]
        short = strength_acceptance(tests, specified).shortfalls
        for kind in ("mean", "single"):
            assert sum(one.kind == kind for one in short) / len(tests) < 0.0135
        assert max(sum(one.kind == kind for one in short) for kind in ("mean", "single")) / len(tests) > 0.006


@pytest.mark.parametrize(
    ("specimens", "code"),
    [
        ([{"age_days": 7.0, "mpa": 20.0}, {"age_days": 28.0, "mpa": 30.0}], "several_ages"),
        ([{"age_days": 7.0}], "no_strength"),
        ([{"age_days": 7.0, "shape": "cube", "load_kn": 400.0}], "no_size"),
        ([{"age_days": 7.0, "shape": "prism", "load_kn": 3.0, "size_mm": 40.0}], "no_size"),
        (
            [{"age_days": 7.0, "shape": "cube", "load_kn": 400.0, "size_mm": 100.0, "mpa": 40.0}],
            "two_strengths",
        ),
    ],
)
def test_what_is_no_test_is_refused(specimens: list[dict[str, object]], code: str) -> None:
    with pytest.raises(InputError) as refused:
        strength_record([Specimen(**specimen) for specimen in specimens])
    assert refused.value.code == code


def test_seven_results_are_no_volume() -> None:
    with pytest.raises(InputError):
        strength_acceptance([30.0] * 7, 25, "en-206")
    assert math.isclose(strength_acceptance([30.0] * 7, 25).means_mpa[-1], 30.0)
