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
Reset = Literal["rain", "delivery"]

# Prior of the free moisture with its sd, and of its drift a load: common practice, no source.
_MOISTURE, _MOISTURE_SD = 0.05, 0.03
_DRIFT = -0.0005
# What a reading is worth, as a fraction of the water over aggregate that is wanted: how far off a mix is that
# looks dry or wet, and the sd of a reading. Judgements made here, after common practice.
_SHIFT = {"dry": -0.05, "right": 0.0, "wet": 0.05}
_READING_SD = {"dry": 0.06, "right": 0.035, "wet": 0.06}
_PAN_SD = 0.004
# What is not known, each with its chance beforehand: scatter of single loads about the heap, how sharp this
# mixer's eye is beside the usual, and how fast the heap can dry. Chosen on simulated days, see tests/heap_days.py.
_SCATTERS = ((0.001, 0.83), (0.016, 0.17))
_EYES = ((0.4, 0.4), (0.8, 0.4), (1.3, 0.12), (1.8, 0.08))
_DRIFT_SDS = ((0.0008, 0.6), (0.004, 0.4))
# Change of the heap a load beside its drift, sd.
_CHANGE_SD = 0.0003
# Eight in ten lie within this many sd.
_EIGHT_IN_TEN = 1.2816


class PastLoad(Strict):
    """The final figures of one load: L of water added, kg of oven-dry aggregate, how it was judged.

    ``pan_moisture_fraction`` is the total moisture of a sample dried with it; ``reset`` what happened to the heap
    before it. Rain since the last load is told as an unmixed one, whose reading does not count.
    """

    added_l: Amount
    dry_aggregate_kg: Dimension
    judged: Judged
    pan_moisture_fraction: Fraction | None = None
    reset: Reset | None = None


class NextWater(Result):
    """The next start in L with its band (eight in ten), the heap's free moisture with its sd, the last total."""

    start_l: float
    free_moisture_fraction: float
    sd_fraction: float
    low_l: float
    high_l: float
    last_total_l: float | None


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
        free_moisture_fraction and sd_fraction of the heap as it will be; last_total_l, null without a load.
    """
    wanted = target_water_kg / dry_aggregate_kg
    mean, sd = _mixed([_followed(history, wanted, absorption_fraction, guess) for guess in _guesses()])
    start_l = target_water_kg - mean * dry_aggregate_kg
    half_l = _EIGHT_IN_TEN * sd * dry_aggregate_kg
    return NextWater(
        start_l=max(start_l, 0.0),
        free_moisture_fraction=mean,
        sd_fraction=sd,
        low_l=max(start_l - half_l, 0.0),
        high_l=max(start_l + half_l, 0.0),
        last_total_l=history[-1].added_l if history else None,
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

    def see(self, moisture: float, variance: float) -> None:
        """Take up one observation of the moisture."""
        miss, total = moisture - self.m, self.mm + variance
        self.log_chance -= 0.5 * (math.log(total) + miss**2 / total)
        gain_m, gain_d = self.mm / total, self.md / total
        self.m += gain_m * miss
        self.d += gain_d * miss
        self.dd -= gain_d * self.md
        self.md -= gain_m * self.md
        self.mm -= gain_m * self.mm


def _followed(loads: Sequence[PastLoad], wanted: float, absorption: float, guess: _Guess) -> _Heap:
    """The filter of a guess after all loads, stepped on to the next one."""
    heap = _Heap(guess)
    for load in loads:
        if load.reset:
            heap.reset()
        if load.pan_moisture_fraction is not None:
            heap.see(load.pan_moisture_fraction - absorption, _PAN_SD**2 + guess.scatter**2)
        if load.judged != "unmixed":
            taken = wanted - load.added_l / load.dry_aggregate_kg + _SHIFT[load.judged] * wanted
            heap.see(taken, (_READING_SD[load.judged] * wanted * guess.eye) ** 2 + guess.scatter**2)
        heap.step()
    return heap


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
