"""Water that learns: the heap's free moisture, followed from load to load, gives the next start.

The heap's free moisture m and its drift d a load are followed by Kalman filters. How sharply this mixer judges,
how much the heap varies from load to load and how fast it changes is not known, so several filters run side by
side and each counts as much as it has foretold what was seen: on a noisy heap the band widens by itself.
"""

import math
from collections.abc import Iterator, Sequence
from itertools import product
from typing import Literal, NamedTuple

from keeve.core.rules import (
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    Strict,
    published,
    rule,
)

Judged = Literal["dry", "right", "wet", "unmixed"]
Reset = Literal["rain", "delivery", "night"]

# Prior of the free moisture with its sd, and of its drift a load: common practice, no source.
_MOISTURE, _MOISTURE_SD = 0.05, 0.03
_DRIFT = -0.0005
# What a reading is worth, as a fraction of the water over aggregate that is wanted: how far off a mix is that
# looks dry or wet, and the sd of a reading. Judgements made here, after common practice.
_SHIFT = {"dry": -0.05, "right": 0.0, "wet": 0.05}
_READING_SD = {"dry": 0.06, "right": 0.035, "wet": 0.06}
PAN_SD = 0.004
# What is not known, each with its chance beforehand: scatter of single loads about the heap, how sharp this
# mixer's eye is beside the usual, and how fast the heap can dry. Chosen on simulated days, see tests/heap_days.py.
_SCATTERS = ((0.001, 0.83), (0.016, 0.17))
_EYES = ((0.4, 0.4), (0.8, 0.4), (1.3, 0.12), (1.8, 0.08))
_DRIFT_SDS = ((0.0008, 0.6), (0.004, 0.4))
# Change of the heap a load beside its drift, sd.
_CHANGE_SD = 0.0003
# Eight in ten lie within this many sd.
EIGHT_IN_TEN = 1.2816


class PastLoad(Strict):
    """The final figures of one load: L of water added, kg of oven-dry aggregate, how it was judged.

    ``pan_moisture_fraction`` is the total moisture of a sample dried with it (or told otherwise, with its standard
    deviation ``pan_sd_fraction``); ``reset`` what happened to the heap
    before it (``night``: hours went by unseen). Rain since the last load, or a pan dried, is told as an unmixed one
    without water: it was no load, so the heap has not drained by one. ``target_water_kg`` is the free water it was to
    have, as much to its aggregate as the next load's unless given: loads of another mix from the heap teach as well.
    """

    added_l: Amount
    dry_aggregate_kg: Dimension
    judged: Judged
    pan_moisture_fraction: Fraction | None = None
    pan_sd_fraction: Dimension = PAN_SD
    reset: Reset | None = None
    target_water_kg: Dimension | None = None

    @property
    def was_mixed(self) -> bool:
        """Whether it was a load at all, or only tells of the heap between loads."""
        return self.judged != "unmixed" or self.added_l > 0


class Foretold(Strict):
    """What was foretold of the heap's free moisture for a load, with its sd, and what the load then showed."""

    free_moisture_fraction: float
    sd_fraction: float
    seen_fraction: float | None


class NextWater(Result):
    """The next start in L with its band (eight in ten), the heap's free moisture with its sd, the last total, and
    what was foretold for each load before and seen of it.
    """

    start_l: float
    free_moisture_fraction: float
    sd_fraction: float
    low_l: float
    high_l: float
    last_total_l: float | None
    path: list[Foretold]

    @property
    def spread_fraction(self) -> float:
        """Half the band of the heap's moisture, eight times in ten."""
        return EIGHT_IN_TEN * self.sd_fraction


@rule(
    "next-water",
    formula="start = target − m · aggregate, m the heap's free moisture followed from load to load",
    math=(
        r"\text{start} = W - m \, A "
        r"\qquad m_{i} = \frac{W - \text{added}_{i}}{A_{i}} \pm 0.05 \, \frac{W}{A} "
        r"\qquad m \leftarrow m + d"
    ),
    sources=[published("Kalman, Journal of Basic Engineering 1960"), PRACTICE],
    example=Example(
        given={"history": [], "target_water_kg": 12, "dry_aggregate_kg": 80},
        gives={"start_l": 8.0, "free_moisture_fraction": 0.05, "last_total_l": None},
        origin="by hand: before the first load the heap is taken as 5 % moist, 4 kg in 80",
    ),
)
def next_water(
    *,
    history: list[PastLoad],
    target_water_kg: Dimension,
    dry_aggregate_kg: Dimension,
    absorption_fraction: Fraction = 0.0,
) -> NextWater:
    """The water to start the next load with, from what the loads before it took.

    Args:
        history: the loads from this heap in their order, final figures; unmixed readings are passed over.
        target_water_kg: free water the next load is to have, kg.
        dry_aggregate_kg: oven-dry sand and stone of the next load, kg.
        absorption_fraction: water the aggregate's pores take up, over its oven-dry mass.

    Returns:
        start_l with low_l and high_l, between which the true need lies eight times in ten (none under 0);
        free_moisture_fraction and sd_fraction of the heap as it will be; last_total_l of the last load that was
        judged, null without one; path, one for each of the history: what was foretold for it, and what it showed.
    """
    wanted = target_water_kg / dry_aggregate_kg
    heaps = [_Heap(guess) for guess in _guesses()]
    path = []
    for load in history:
        if load.reset:
            for heap in heaps:
                heap.reset()
        mean, sd = _mixed(heaps)
        seen = _seen(load, wanted, absorption_fraction)
        path.append(
            Foretold(
                free_moisture_fraction=mean, sd_fraction=sd, seen_fraction=seen[-1].moisture if seen else None
            )
        )
        for heap in heaps:
            for sight in seen:
                heap.see(sight)
            if load.was_mixed:
                heap.step()
    mean, sd = _mixed(heaps)
    start_l = target_water_kg - mean * dry_aggregate_kg
    half_l = EIGHT_IN_TEN * sd * dry_aggregate_kg
    return NextWater(
        start_l=max(start_l, 0.0),
        free_moisture_fraction=mean,
        sd_fraction=sd,
        low_l=max(start_l - half_l, 0.0),
        high_l=max(start_l + half_l, 0.0),
        last_total_l=next((load.added_l for load in reversed(history) if load.judged != "unmixed"), None),
        path=path,
        warnings=[_HEAP_TOO_WET] if start_l < 0 else [],
    )


_HEAP_TOO_WET = RuleWarning(
    code="sand_too_wet",
    message="The heap alone is likely to bring more water than this load may have.",
    field="history",
    suggestion="Take drier sand from the top of the heap, or another heap.",
)


class _Guess(NamedTuple):
    """One set of what is not known: scatter of the heap, sharpness of the eye, sd of the drift, and its chance."""

    scatter: float
    eye: float
    drift_sd: float
    chance: float


def _guesses() -> Iterator[_Guess]:
    for (scatter, p), (eye, q), (drift_sd, r) in product(_SCATTERS, _EYES, _DRIFT_SDS):
        yield _Guess(scatter, eye, drift_sd, p * q * r)


class _Heap:
    """One filter: moisture and drift with their covariance, and the log of the chance of all it has seen."""

    def __init__(self, guess: _Guess) -> None:
        self.guess = guess
        self.m, self.d = _MOISTURE, _DRIFT
        self.mm, self.md, self.dd = _MOISTURE_SD**2, 0.0, guess.drift_sd**2
        self.log_chance = math.log(guess.chance)

    def step(self) -> None:
        """One load on."""
        self.m += self.d
        self.mm += 2 * self.md + self.dd + _CHANGE_SD**2
        self.md += self.dd

    def reset(self) -> None:
        """Rain, or a fresh delivery: it may be anything near what it was, and dries anew."""
        self.mm += _MOISTURE_SD**2
        self.d, self.md, self.dd = _DRIFT, 0.0, self.guess.drift_sd**2

    def see(self, sight: "_Sight") -> None:
        """Take up one observation of the moisture."""
        sd = sight.sd * (self.guess.eye if sight.by_eye else 1.0)
        miss, total = sight.moisture - self.m, self.mm + sd**2 + self.guess.scatter**2
        self.log_chance -= 0.5 * (math.log(total) + miss**2 / total)
        gain_m, gain_d = self.mm / total, self.md / total
        self.m += gain_m * miss
        self.d += gain_d * miss
        self.dd -= gain_d * self.md
        self.md -= gain_m * self.md
        self.mm -= gain_m * self.mm


class _Sight(NamedTuple):
    """One observation of the free moisture: its sd, and whether that hangs on how sharp the mixer's eye is."""

    moisture: float
    sd: float
    by_eye: bool


def _seen(load: PastLoad, wanted: float, absorption: float) -> list[_Sight]:
    """What a load tells of the heap: by its pan, and by the water it took until it was judged."""
    sights = []
    if load.pan_moisture_fraction is not None:
        sights.append(_Sight(load.pan_moisture_fraction - absorption, load.pan_sd_fraction, by_eye=False))
    if load.judged != "unmixed":
        if load.target_water_kg is not None:
            wanted = load.target_water_kg / load.dry_aggregate_kg
        taken = wanted - load.added_l / load.dry_aggregate_kg + _SHIFT[load.judged] * wanted
        sights.append(_Sight(taken, _READING_SD[load.judged] * wanted, by_eye=True))
    return sights


def _mixed(heaps: Sequence[_Heap]) -> tuple[float, float]:
    """Mean and sd of the next load's moisture over all filters, each by its chance."""
    highest = max(heap.log_chance for heap in heaps)
    weights = [math.exp(heap.log_chance - highest) for heap in heaps]
    whole = sum(weights)
    mean = sum(weight * heap.m for weight, heap in zip(weights, heaps, strict=True)) / whole
    variance = sum(
        weight * (heap.mm + heap.guess.scatter**2 + (heap.m - mean) ** 2)
        for weight, heap in zip(weights, heaps, strict=True)
    )
    return mean, math.sqrt(variance / whole)
