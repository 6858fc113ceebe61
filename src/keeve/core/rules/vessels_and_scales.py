"""Gauging: amounts as level vessels and as readings of a scale."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from math import fsum
from operator import mul
from statistics import median
from typing import Annotated, NamedTuple

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    MASS_BALANCE,
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    rule,
)
from keeve.core.texts import ByName, Few
from keeve.core.tolerances import ROUNDING, UNMEASURABLE, whole_down, whole_up

# A vessel is filled whole, to the half or to the quarter.
_FILLS = (1.0, 0.5, 0.25)
# More steps of a vessel than this is no gauging by hand.
_MOST_STEPS = 2000


class GaugeVessels(Result):
    """Vessels of each material, the worst error of the ratio, and of the batch as a whole."""

    counts: dict[str, float]
    ratio_error_fraction: float
    volume_error_fraction: float


class _Measure(NamedTuple):
    """A material with what it is measured in: wanted loose volume and one step of its vessel, L."""

    name: str
    wanted_l: float
    step_l: float
    fill: float


@rule(
    "gauge-vessels",
    formula="V = m / ρ;  s = Σ n·v / Σ V;  least max |n·v / (s·V) − 1|, then |s − 1|, then Σ n",
    math=(
        r"V = \frac{m}{\rho} "
        r"\qquad s = \frac{\sum n v}{\sum V} "
        r"\qquad \min_{n} \ \max \left| \frac{n v}{s V} - 1 \right|, "
        r"\ \text{then} \ \left| s - 1 \right|, \ \text{then} \ \sum n"
    ),
    sources=[PRACTICE],
    example=Example(
        given={
            "masses_kg": {"cement": 14.4, "sand": 58.8},
            "bulk_densities_kg_m3": {"cement": 1200, "sand": 1400},
            "vessel_l": 12,
            "fraction": 0.5,
            "batch_tolerance": 0.05,
        },
        gives={
            "counts": {"cement": 1.0, "sand": 3.5},
            "ratio_error_fraction": 0.0,
            "volume_error_fraction": 0.0,
        },
        origin="by hand: 12 L of cement to 42 L of sand is 1 : 3½",
    ),
)
def gauge_vessels(
    masses_kg: Annotated[ByName[Dimension], Field(min_length=1, max_length=8)],
    bulk_densities_kg_m3: ByName[Dimension],
    vessel_l: Dimension | ByName[Dimension],
    batch_tolerance: Fraction,
    fraction: Dimension | ByName[Dimension] = 1.0,
    max_l: Dimension | None = None,
    min_l: Dimension | None = None,
) -> GaugeVessels:
    """How many level buckets of each. The batch size gives a little so the ratio stays right.

    Args:
        masses_kg: weight of each material, damp.
        bulk_densities_kg_m3: loose density as charged, kg/m3 by name: dry · (1 + moisture) / (1 + bulking).
        vessel_l: one size for all, or one for each material, L.
        batch_tolerance: how far the whole load can be off.
        fraction: 1, 0.5 or 0.25 of a bucket.
        max_l: most loose volume that may go in, L.
        min_l: least loose volume that has to go in, L.

    Returns:
        counts by name, ratio_error_fraction (the worst material against the batch as gauged) and
        volume_error_fraction (the batch against what was asked; negative where it is smaller).

    Raises:
        InputError: a name is missing, a fraction is none, or no counts lie within batch_tolerance.
    """
    measures = [
        _measure(name, mass, bulk_densities_kg_m3, vessel_l, fraction) for name, mass in masses_kg.items()
    ]
    wanted_l = fsum(measure.wanted_l for measure in measures)
    most_l = wanted_l * (1 + batch_tolerance + ROUNDING)
    if max_l is not None:
        most_l = min(most_l, max_l * (1 + ROUNDING))
    least_l = wanted_l * (1 - batch_tolerance - ROUNDING)
    if min_l is not None:
        least_l = max(least_l, min_l * (1 - ROUNDING))
    best = _nearest(measures, least_l, most_l)
    if best.outside_l > 0:
        raise InputError(
            "no_gauge",
            "No bucket count fits within batch_tolerance. Allow more, use a smaller bucket or fraction, or weigh.",
            ["batch_tolerance"],
        )
    return GaugeVessels(
        counts={
            measure.name: steps * measure.fill for measure, steps in zip(measures, best.steps, strict=True)
        },
        ratio_error_fraction=best.ratio_error,
        volume_error_fraction=best.scale - 1,
    )


def _measure(
    name: str,
    mass_kg: float,
    densities: Mapping[str, float],
    vessels: float | Mapping[str, float],
    fills: float | Mapping[str, float],
) -> _Measure:
    density = _named("bulk_densities_kg_m3", densities, name)
    vessel_l, fill = _named("vessel_l", vessels, name), _named("fraction", fills, name)
    if fill not in _FILLS:
        raise InputError("fraction", "fraction must be 1, 0.5 or 0.25.", ["fraction"])
    measure = _Measure(name, mass_kg / density * 1000, vessel_l * fill, fill)
    if measure.wanted_l < UNMEASURABLE:
        raise InputError(
            "too_little",
            f"masses_kg has next to nothing of {name!r}. Check the weight.",
            [f"masses_kg.{name}"],
        )
    if measure.wanted_l / measure.step_l > _MOST_STEPS:
        raise InputError(
            "vessel_too_small",
            f"vessel_l is too small for the {name}: it would take more than {_MOST_STEPS} of them.",
            ["vessel_l"],
        )
    return measure


def _named(field: str, given: float | Mapping[str, float], name: str) -> float:
    if not isinstance(given, Mapping):
        return given
    if name not in given:
        raise InputError(
            "missing_name", f"{field} has no figure for {name!r}. Enter it.", [f"{field}.{name}"]
        )
    return given[name]


class _Gauging(NamedTuple):
    """Steps of each measure's vessel, the errors they make, and how far they are outside the span, L."""

    outside_l: float
    ratio_error: float
    size_error: float
    vessels: float
    steps: tuple[int, ...]
    scale: float


# So many sizes of the load are tried, and from so many of the best so many steps. A judgement: for 2 609 random loads
# that can be counted within a tenth, that found what a search of every count finds.
_SIZES = 120
_BEST = 8
_STEPS = 3


def _nearest(measures: Sequence[_Measure], least_l: float, most_l: float) -> _Gauging:
    """The gauging within the span nearest to the ratio; the one nearest to the span where none is within.

    The ratio is a line through the lattice of the counts. What is near it is near one of its points rounded: those
    are tried, and from the best of them a few single steps. The work is bounded whatever is counted.
    """
    wanted_l = fsum(measure.wanted_l for measure in measures)
    steps_l = [measure.step_l for measure in measures]
    shares = [measure.step_l / measure.wanted_l for measure in measures]
    fills = [measure.fill for measure in measures]
    tried: dict[tuple[int, ...], _Gauging] = {}

    def gauging(steps: tuple[int, ...]) -> _Gauging:
        if steps not in tried:
            scale = fsum(map(mul, steps, steps_l)) / wanted_l
            over = [count * share for count, share in zip(steps, shares, strict=True)]
            ratio_error = max(max(over) / scale - 1, 1 - min(over) / scale)
            # A hair of rounding must not outrank a batch that is nearer or has fewer vessels.
            tried[steps] = _Gauging(
                max(least_l - scale * wanted_l, scale * wanted_l - most_l, 0.0),
                round(ratio_error, 12),
                round(abs(scale - 1), 12),
                fsum(map(mul, steps, fills)),
                steps,
                scale,
            )
        return tried[steps]

    for size in _sizes(measures, least_l / wanted_l, most_l / wanted_l):
        gauging(tuple(max(round(size / share), 1) for share in shares))
    for best in sorted(tried.values())[:_BEST]:
        for _ in range(_STEPS):
            best = min(best, min(map(gauging, _one_step_from(best.steps))))
    return min(tried.values())


def _sizes(measures: Sequence[_Measure], least: float, most: float) -> list[float]:
    """Sizes of the load to try, as shares of the wanted one, a little beyond the span.

    Every size where a count is whole or turns to the next, and those between; evenly spread where these are too many,
    with those where the measure of the fewest steps is whole.
    """
    coarsest = max(measure.step_l / measure.wanted_l for measure in measures)
    least, most = max(least - coarsest / 2, least / 2), most + min(coarsest / 2, most)
    halves = [measure.step_l / measure.wanted_l / 2 for measure in measures]
    if fsum((most - least) / half for half in halves) > _SIZES:
        evenly = [least + (most - least) * index / _SIZES for index in range(_SIZES + 1)]
        first, last = whole_up(least / coarsest), whole_down(most / coarsest)
        return evenly + [
            count * coarsest for count in range(first, last + 1, max((last - first) // _SIZES, 1))
        ]
    turns = sorted(
        {least, most}
        | {
            half * count
            for half in halves
            for count in range(whole_up(least / half), whole_down(most / half) + 1)
        }
    )
    return turns + [(one + other) / 2 for one, other in pairwise(turns)]


def _one_step_from(steps: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
    """The counts with one of them a step more, or a step less."""
    for index, count in enumerate(steps):
        yield (*steps[:index], count + 1, *steps[index + 1 :])
        if count > 1:
            yield (*steps[:index], count - 1, *steps[index + 1 :])


class ScaleTarget(Result):
    """What the scale shows for each vessel, kg."""

    gross_kg: float


@rule(
    "scale-target",
    formula="gross = net / vessels + tare",
    math=r"\text{gross} = \frac{\text{net}}{\text{vessels}} + \text{tare}",
    sources=[MASS_BALANCE],
    example=Example(
        given={"net_kg": 42.0, "tare_kg": 0.7, "vessels": 3}, gives={"gross_kg": 14.7}, origin="by hand"
    ),
)
def scale_target(
    net_kg: Dimension, tare_kg: Amount, vessels: Annotated[int, Field(ge=1, le=10_000)] = 1
) -> ScaleTarget:
    """What the scale should show for each bucket.

    Args:
        net_kg: the total you want, kg.
        tare_kg: weight of one empty bucket, kg.
        vessels: how many buckets share it.

    Returns:
        gross_kg, of each vessel.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return ScaleTarget(gross_kg=net_kg / vessels + tare_kg)


class Tare(Result):
    """The empty mass that each weighing gives, kg."""

    tare_kg: list[float]


@rule(
    "tare",
    formula="tare = gross − net; suspicious beyond 5 % of the median or 0.1 kg, whichever is larger",
    math=(
        r"\text{tare} = \text{gross} - \text{net} "
        r"\qquad \left| \text{tare} - \text{median} \right| \le \max ( 0.05 \cdot \text{median}, \ 0.1 \, \text{kg} )"
    ),
    sources=[MASS_BALANCE],
    example=Example(
        given={"gross_kg": [14.7, 20.7], "net_kg": [14.0, 20.0]},
        gives={"tare_kg": [0.7, 0.7], "warnings": []},
        origin="by hand",
    ),
)
def tare(gross_kg: Annotated[Few[Dimension], Field(min_length=1)], net_kg: Few[Amount]) -> Tare:
    """The empty weight of a bucket, from weighings. Warns if they disagree.

    Args:
        gross_kg: bucket with contents, kg.
        net_kg: contents alone, in the same order, kg.

    Returns:
        tare_kg of each weighing.

    Raises:
        InputError: the lists differ in length, or contents weigh more than the vessel with them.
    """
    if len(gross_kg) != len(net_kg):
        raise InputError(
            "uneven_lists",
            "gross_kg and net_kg need as many weighings each.",
            ["gross_kg", "net_kg"],
        )
    found = [gross - net for gross, net in zip(gross_kg, net_kg, strict=True)]
    for index, one in enumerate(found):
        if one < 0:
            raise InputError(
                "net_heavier",
                f"net_kg.{index} is more than gross_kg.{index}. Swap them, or weigh again.",
                [f"gross_kg.{index}", f"net_kg.{index}"],
            )
    middle = median(found)
    allowed = max(0.05 * middle, 0.1)
    warnings = [
        RuleWarning(
            code="tares_disagree",
            message=f"One weighing gives {one:.2f} kg empty, the others {middle:.2f} kg.",
            field=f"gross_kg.{index}",
            suggestion="Weigh that bucket empty again, or give it another name.",
        )
        for index, one in enumerate(found)
        if abs(one - middle) > allowed + ROUNDING
    ]
    return Tare(tare_kg=found, warnings=warnings)
