"""Gauging: amounts as level vessels and as readings of a scale."""

import math
from collections.abc import Iterator, Mapping
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
from keeve.core.tolerances import ROUNDING, whole_down, whole_up

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
    wanted_l = sum(measure.wanted_l for measure in measures)
    most_l = wanted_l * (1 + batch_tolerance + ROUNDING)
    if max_l is not None:
        most_l = min(most_l, max_l * (1 + ROUNDING))
    least_l = wanted_l * (1 - batch_tolerance - ROUNDING)
    if min_l is not None:
        least_l = max(least_l, min_l * (1 - ROUNDING))
    best = min(_near(measures, least_l, most_l), key=lambda found: found.rank, default=None)
    if best is None:
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
    """Steps of each measure's vessel, with the errors they make."""

    steps: list[int]
    ratio_error: float
    scale: float
    vessels: float

    @property
    def rank(self) -> tuple[float, float, float]:
        # A hair of rounding must not outrank a batch that is nearer or has fewer vessels.
        return (round(self.ratio_error, 12), round(abs(self.scale - 1), 12), self.vessels)


def _near(measures: list[_Measure], least_l: float, most_l: float) -> Iterator[_Gauging]:
    """Every gauging that could be the best one.

    Materials over-filled by x (measured over wanted) hang together: the batch's own scale lies between the
    least and the greatest x, so a worst error e needs max x / min x <= (1 + e) / (1 − e). That bound, with the
    best e so far, cuts the search to a narrow band; those measured in the fewest steps are chosen first.
    """
    order = sorted(range(len(measures)), key=lambda index: measures[index].wanted_l / measures[index].step_l)
    wanted_l = sum(measure.wanted_l for measure in measures)
    best_error = math.inf
    steps = [0] * len(measures)

    def choose(depth: int, low: float, high: float, measured_l: float) -> Iterator[_Gauging]:
        nonlocal best_error
        if depth == len(order):
            if least_l <= measured_l <= most_l:
                found = _gauging(measures, steps, measured_l / wanted_l)
                best_error = min(best_error, found.ratio_error)
                yield found
            return
        measure = measures[order[depth]]
        per_step = measure.step_l / measure.wanted_l
        spread = _spread(best_error)
        first = max(1, whole_up(high / spread / per_step)) if depth else 1
        last = whole_down(min(low * spread / per_step, (most_l - measured_l) / measure.step_l))
        # The nearest to even first, so that the bound is narrow soon.
        even = (low + high) / 2 / per_step if depth else 1 / per_step
        for count in sorted(range(first, last + 1), key=lambda count: abs(count - even)):
            x = count * per_step
            if max(high, x) <= min(low, x) * _spread(best_error):
                steps[order[depth]] = count
                yield from choose(depth + 1, min(low, x), max(high, x), measured_l + count * measure.step_l)

    yield from choose(0, math.inf, 0.0, 0.0)


def _spread(error: float) -> float:
    """How far apart over-fillings may lie for a worst error."""
    return (1 + error) / (1 - error) * (1 + ROUNDING) if error < 1 else math.inf


def _gauging(measures: list[_Measure], steps: list[int], scale: float) -> _Gauging:
    pairs = list(zip(measures, steps, strict=True))
    return _Gauging(
        steps=list(steps),
        ratio_error=max(
            abs(count * measure.step_l / (scale * measure.wanted_l) - 1) for measure, count in pairs
        ),
        scale=scale,
        vessels=sum(count * measure.fill for measure, count in pairs),
    )


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
