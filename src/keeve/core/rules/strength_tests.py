"""Tests of hardened specimens: their strength, the record of a set, and whether it meets what was specified."""

import math
from collections.abc import Sequence
from statistics import fmean, stdev
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import GEOMETRY, Dimension, Example, Result, Strict, published, rule

Shape = Literal["cube", "cylinder", "prism"]
_MOST = 10_000
_Mpa = Annotated[float, Field(gt=0, le=1000)]
_Age = Annotated[float, Field(gt=0, le=36_500)]


class Specimen(Strict):
    """A specimen that was tested: its strength, or its shape with the load at which it broke.

    Args:
        age_days: age when it was tested.
        mpa: its strength, where it is given.
        shape: ``cube``, ``cylinder`` or ``prism`` (bent on two supports, loaded in the middle).
        load_kn: load at which it broke, kN.
        size_mm: side of a cube or of the section of a prism.
        diameter_mm: of a cylinder.
        span_mm: between the supports of a prism.
    """

    age_days: _Age
    mpa: _Mpa | None = None
    shape: Shape | None = None
    load_kn: Dimension | None = None
    size_mm: Dimension | None = None
    diameter_mm: Dimension | None = None
    span_mm: Dimension | None = None


# What of its sizes each shape needs.
_SIZES: dict[Shape, tuple[str, ...]] = {
    "cube": ("size_mm",),
    "cylinder": ("diameter_mm",),
    "prism": ("size_mm", "span_mm"),
}


def specimen_mpa(specimen: Specimen, field: str = "specimens") -> float:
    """The strength of a specimen, MPa: load over area; of a prism its bending strength, 1.5 F l / b³.

    Args:
        specimen: the specimen.
        field: the field it stands in, for what is said where it cannot be worked out.

    Raises:
        InputError: neither a strength nor a load and sizes, or both.
    """
    if specimen.mpa is not None:
        if specimen.load_kn is not None:
            raise InputError("two_strengths", f"{field} has both mpa and load_kn. Enter one.", [field])
        return specimen.mpa
    shape, load_kn = specimen.shape, specimen.load_kn
    if shape is None or load_kn is None:
        raise InputError("no_strength", f"{field} needs mpa, or shape and load_kn. Enter one.", [field])
    missing = next((name for name in _SIZES[shape] if getattr(specimen, name) is None), None)
    if missing:
        raise InputError("no_size", f"{field} needs {missing}: a {shape} has one.", [f"{field}.{missing}"])
    newtons = load_kn * 1000
    if shape == "cylinder":
        return newtons / (math.pi / 4 * (specimen.diameter_mm or 0.0) ** 2)
    size_mm = specimen.size_mm or 0.0
    if shape == "cube":
        return newtons / size_mm**2
    return 1.5 * newtons * (specimen.span_mm or 0.0) / size_mm**3


class StrengthRecord(Result):
    """Strengths of one age: mean, standard deviation (n − 1; null of one) and characteristic strength, MPa.

    ``verdict``: ``meets`` or ``falls-short`` of what was specified, ``too-few`` to say, ``not-specified``.
    """

    mean: float
    sd: float | None
    characteristic: float | None
    verdict: Literal["meets", "falls-short", "too-few", "not-specified"]
    strengths_mpa: list[float]


_FIVE_PERCENT = 1.64
# Fewer tests than that say too little where no standard has a rule for them. A judgement made here.
_ENOUGH = 10
# The factor of the standard deviation by the number of tests, where that is only known from them: EN 1990, table D.1
# (from memory).
_FACTORS = ((10, 1.92), (20, 1.76), (30, 1.73))


@rule(
    "strength-record",
    formula=(
        "mean; sd with n − 1; characteristic = mean − 1.64 sd; cube F/a², cylinder 4F/πd², prism 1.5·F·l/b³; "
        "meets: 10 tests or more, mean − k sd ≥ f, k 1.92 (n 10), 1.76 (n 20), 1.73 (n 30), each ≥ f − 4"
    ),
    math=(
        r"f_k = \bar f - 1.64 \, s \qquad s = \sqrt{\frac{\sum (f_i - \bar f)^2}{n - 1}} \qquad "
        r"f_i = \frac{F}{a^2}, \; \frac{4F}{\pi d^2}, \; \frac{3 F l}{2 b^3}"
    ),
    sources=[GEOMETRY, published("EN 1990: characteristic value, one in twenty falls below it; table D.1")],
    example=Example(
        given={
            "specimens": [
                {"age_days": 28, "mpa": 30.0},
                {"age_days": 28, "mpa": 34.0},
                {"age_days": 28, "shape": "cube", "load_kn": 320.0, "size_mm": 100.0},
            ],
            "specified_mpa": 25,
        },
        gives={"mean": 32.0, "sd": 2.0, "characteristic": 28.72, "verdict": "too-few"},
        origin="by hand: 320 000 N over 10 000 mm2 is 32; 30, 34 and 32 have mean 32 and sd 2; 32 − 3.28",
    ),
)
def strength_record(
    specimens: Annotated[list[Specimen], Field(min_length=1, max_length=_MOST)],
    specified_mpa: Dimension | None = None,
) -> StrengthRecord:
    """Average, spread and characteristic strength of a set of tests.

    Args:
        specimens: age and strength of each, or shape, sizes and breaking load.
        specified_mpa: characteristic strength, MPa.

    Returns:
        mean, sd (n − 1) and characteristic, MPa; strengths_mpa, each by itself; verdict: whether they show the
        specified strength. Under ten tests say too little, unless one of them is far under.

    Raises:
        InputError: specimens of several ages, or one without a strength.
    """
    ages = {specimen.age_days for specimen in specimens}
    if len(ages) > 1:
        told = " and ".join(f"{age:g}" for age in sorted(ages)[:2])
        raise InputError(
            "several_ages", f"specimens are {told} days old. Use one age at a time.", ["specimens"]
        )
    strengths = [specimen_mpa(item, f"specimens.{index}") for index, item in enumerate(specimens)]
    mean = fmean(strengths)
    sd = stdev(strengths) if len(strengths) > 1 else None
    characteristic = None if sd is None else mean - _FIVE_PERCENT * sd
    if specified_mpa is None:
        return StrengthRecord(
            mean=mean, sd=sd, characteristic=characteristic, verdict="not-specified", strengths_mpa=strengths
        )
    count = len(strengths)
    verdict: Literal["meets", "falls-short", "too-few"] = "too-few"
    if min(strengths) < specified_mpa - _IDENTITY_UNDER_MPA:
        verdict = "falls-short"
    elif characteristic is not None and sd is not None and count >= _ENOUGH:
        factor = next(factor for least, factor in reversed(_FACTORS) if count >= least)
        if characteristic < specified_mpa:
            verdict = "falls-short"
        elif mean - factor * sd >= specified_mpa:
            verdict = "meets"
    return StrengthRecord(
        mean=mean, sd=sd, characteristic=characteristic, verdict=verdict, strengths_mpa=strengths
    )


class Shortfall(Strict):
    """What falls short: the test at which it does, from 0, the strength it comes to and the least it must be, MPa.

    ``kind``: ``mean`` of that test and those it is taken with, or the ``single`` test.
    """

    index: int
    kind: Literal["mean", "single"]
    mpa: float
    least_mpa: float


class StrengthAcceptance(Result):
    """Whether tests meet a specified strength by a standard's rule, and where not."""

    verdict: Literal["meets", "falls-short", "too-few"]
    means_mpa: list[float]
    shortfalls: list[Shortfall]


Standard = Literal["aci-318", "en-206"]
# ACI 318: over so many tests in a row a mean is taken; a single one may be so much under, MPa, or above that
# strength so much of it.
_RUN, _UNDER_MPA, _HIGH_MPA, _UNDER_SHARE = 3, 3.45, 35.0, 0.10
# EN 206, identity: from so many results the mean must be so much over, MPa; a single one may be so much under.
_IDENTITY: tuple[tuple[int, float], ...] = ((5, 2.0), (2, 1.0))
_IDENTITY_UNDER_MPA, _IDENTITY_MOST = 4.0, 6


@rule(
    "strength-acceptance",
    formula="ACI: means of 3 ≥ f, each ≥ f − 3.45 (f > 35: 0.9 f); EN: mean of 2–4 ≥ f + 1, 5–6 ≥ f + 2, each ≥ f − 4",
    math=(
        r"\text{ACI}: \; \bar f_3 \ge f, \; f_i \ge \min(f - 3.45, \; \cdot) \text{ or } 0.9 f \; (f > 35) \qquad "
        r"\text{EN}: \; \bar f_n \ge f + 1 \; (n \le 4), \; f + 2 \; (n \le 6), \; f_i \ge f - 4"
    ),
    sources=[
        published("ACI 318, evaluation and acceptance of concrete: strength tests at 28 days"),
        published("EN 206, annex B: identity testing for compressive strength"),
    ],
    example=Example(
        given={"tests_mpa": [27.0, 23.0, 24.0, 30.0], "specified_mpa": 25, "standard": "aci-318"},
        gives={"verdict": "falls-short", "means_mpa": [74 / 3, 77 / 3]},
        origin="by hand: 27, 23 and 24 have mean 24.67, under 25; none is under 21.55",
    ),
)
def strength_acceptance(
    tests_mpa: Annotated[list[_Mpa], Field(min_length=1, max_length=_MOST)],
    specified_mpa: Dimension,
    standard: Standard = "aci-318",
) -> StrengthAcceptance:
    """Do tests meet a specified strength? First check only. The engineer decides.

    Args:
        tests_mpa: the tests in the order in which the concrete was made, MPa. By ACI 318 each is the mean of the
            cylinders of one sample; by EN 206 they are the results of one volume, six at most.
        specified_mpa: the specified strength, of the same kind of specimen, MPa.
        standard: ``aci-318``, acceptance by three tests in a row, or ``en-206``, identity testing.

    Returns:
        verdict; means_mpa, each mean that is looked at; shortfalls, each mean and single test under what it must be.

    Raises:
        InputError: more than six results of one volume by EN 206.
    """
    if standard == "en-206":
        return _identity(tests_mpa, specified_mpa)
    high = specified_mpa > _HIGH_MPA
    single = specified_mpa * (1 - _UNDER_SHARE) if high else specified_mpa - _UNDER_MPA
    means = [fmean(tests_mpa[end - _RUN : end]) for end in range(_RUN, len(tests_mpa) + 1)]
    short = _short(means, specified_mpa, "mean", _RUN - 1) + _short(tests_mpa, single, "single", 0)
    return _accepted(means, short)


def _identity(results_mpa: Sequence[float], specified_mpa: float) -> StrengthAcceptance:
    count = len(results_mpa)
    if count > _IDENTITY_MOST:
        message = (
            f"tests_mpa has {count} results. Identity testing takes 1 to 6. Enter each volume separately."
        )
        raise InputError("many_results", message, ["tests_mpa"])
    over = next((mpa for least, mpa in _IDENTITY if count >= least), None)
    means = [] if over is None else [fmean(results_mpa)]
    short = _short(results_mpa, specified_mpa - _IDENTITY_UNDER_MPA, "single", 0)
    if over is not None:
        short = _short(means, specified_mpa + over, "mean", count - 1) + short
    return _accepted(means, short, is_enough=True)


def _short(
    strengths: Sequence[float], least_mpa: float, kind: Literal["mean", "single"], first: int
) -> list[Shortfall]:
    return [
        Shortfall(index=index, kind=kind, mpa=mpa, least_mpa=least_mpa)
        for index, mpa in enumerate(strengths, start=first)
        if mpa < least_mpa
    ]


def _accepted(means: list[float], short: list[Shortfall], *, is_enough: bool = False) -> StrengthAcceptance:
    verdict: Literal["meets", "falls-short", "too-few"] = "falls-short" if short else "too-few"
    if not short and (means or is_enough):
        verdict = "meets"
    return StrengthAcceptance(verdict=verdict, means_mpa=means, shortfalls=short)
