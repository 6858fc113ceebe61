"""The rule ``next-water``: the stockpile's free moisture, followed from load to load, gives the next start.

Kalman filters follow the stockpile's free moisture m and its drift d per load. How sharp the mixer's eye is, how much
the sand varies from load to load and how fast it changes are unknown, so several filters run side by side, each
weighted by how well it predicted what was seen. On a stockpile that varies a lot the band widens by itself.
"""

import math
from collections.abc import Iterator, Sequence
from itertools import product
from typing import Literal, NamedTuple

from keeve.core.rules.aggregate_moisture import free_moisture_fraction
from keeve.core.rules.registry import (
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

# Prior of the free moisture with its sd, and of its drift per load: common practice, no source.
_MOISTURE, _MOISTURE_SD = 0.05, 0.03
_DRIFT = -0.0005
# How far off a mix is that looks dry or wet, and the sd of a reading, as fractions of the wanted water over
# aggregate. Judgements made here, after common practice.
_SHIFT = {"dry": -0.05, "right": 0.0, "wet": 0.05}
_READING_SD = {"dry": 0.06, "right": 0.035, "wet": 0.06}
PAN_SD = 0.004
# The unknowns with their prior chances: scatter of single loads, this mixer's eye beside the usual, how fast the
# stockpile can dry. Chosen on simulated days (tests/stockpile_days.py).
_SCATTERS = ((0.001, 0.83), (0.016, 0.17))
_EYES = ((0.4, 0.4), (0.8, 0.4), (1.3, 0.12), (1.8, 0.08))
_DRIFT_SDS = ((0.0008, 0.6), (0.004, 0.4))
# Change of the stockpile per load beside its drift, sd.
_CHANGE_SD = 0.0003
# Half the width of an 80 % band, in standard deviations.
BAND_SD = 1.2816


class PastLoad(Strict):
    """The final figures of one load, or what was measured between loads.

    Args:
        added_l: water added, L.
        dry_aggregate_kg: oven-dry aggregate, kg.
        judged: how it was judged; ``unmixed`` is ignored.
        pan_moisture_fraction: total moisture of a sample dried in a pan, or measured in another way.
        pan_sd_fraction: standard deviation of that measurement.
        reset: what changed the stockpile before it; ``night``: hours passed unseen.
        target_water_kg: free water it should have, kg; in the next load's proportion unless given, so that loads of
            another mix from the same stockpile count too.

    Rain, or a pan dried, between loads is an ``unmixed`` entry without water: the stockpile has not lost a load.
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
        """Whether it was a load, not only a measurement between loads."""
        return self.judged != "unmixed" or self.added_l > 0


class Prediction(Strict):
    """The free moisture predicted for a load, its standard deviation, and what the load then showed."""

    free_moisture_fraction: float
    sd_fraction: float
    seen_fraction: float | None


class NextWater(Result):
    """The next start with its 80 % band, L; the free moisture with its sd; the last total; and for each load before,
    what was predicted and seen.
    """

    start_l: float
    free_moisture_fraction: float
    sd_fraction: float
    low_l: float
    high_l: float
    last_total_l: float | None
    path: list[Prediction]

    @property
    def spread_fraction(self) -> float:
        """Half the 80 % band of the free moisture."""
        return BAND_SD * self.sd_fraction


@rule(
    "next-water",
    formula="start = target − m · aggregate, m the pile's free moisture followed from load to load",
    math=(
        r"\text{start} = W - m \, A "
        r"\qquad m_{i} = \frac{W - \text{added}_{i}}{A_{i}} \pm 0.05 \, \frac{W}{A} "
        r"\qquad m \leftarrow m + d"
    ),
    sources=[published("Kalman, Journal of Basic Engineering 1960"), PRACTICE],
    example=Example(
        given={"history": [], "target_water_kg": 12, "dry_aggregate_kg": 80},
        gives={"start_l": 8.0, "free_moisture_fraction": 0.05, "last_total_l": None},
        origin="by hand: before the first load the pile is taken as 5 % moist, 4 kg in 80",
    ),
)
def next_water(
    history: list[PastLoad],
    target_water_kg: Dimension,
    dry_aggregate_kg: Dimension,
    absorption_fraction: Fraction = 0.0,
) -> NextWater:
    """The water to start the next load with, from what the loads before it took.

    Args:
        history: the loads from this stockpile in order, with their final figures.
        target_water_kg: free water the next load should have, kg.
        dry_aggregate_kg: oven-dry sand and stone of the next load, kg.
        absorption_fraction: water the aggregate absorbs, over its oven-dry mass.

    Returns:
        start_l with its 80 % band low_l to high_l (never below 0);
        free_moisture_fraction and sd_fraction of the stockpile as it will be; last_total_l of the last load that was
        judged, null without one; path, one for each of the history: what was predicted for it, and what it showed.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    wanted = target_water_kg / dry_aggregate_kg
    stockpiles = [_Stockpile(guess) for guess in _guesses()]
    path = []
    for load in history:
        if load.reset:
            for stockpile in stockpiles:
                stockpile.reset()
        mean, sd = _mixed(stockpiles)
        seen = _seen(load, wanted, absorption_fraction)
        path.append(
            Prediction(
                free_moisture_fraction=mean, sd_fraction=sd, seen_fraction=seen[-1].moisture if seen else None
            )
        )
        for stockpile in stockpiles:
            for sight in seen:
                stockpile.see(sight)
            if load.was_mixed:
                stockpile.step()
    mean, sd = _mixed(stockpiles)
    start_l = target_water_kg - mean * dry_aggregate_kg
    half_l = BAND_SD * sd * dry_aggregate_kg
    return NextWater(
        start_l=max(start_l, 0.0),
        free_moisture_fraction=mean,
        sd_fraction=sd,
        low_l=max(start_l - half_l, 0.0),
        high_l=max(start_l + half_l, 0.0),
        last_total_l=next((load.added_l for load in reversed(history) if load.judged != "unmixed"), None),
        path=path,
        warnings=[_STOCKPILE_TOO_WET] if start_l < 0 else [],
    )


_STOCKPILE_TOO_WET = RuleWarning(
    code="sand_too_wet",
    message="The sand alone probably brings more water than this load may have.",
    field="history",
    suggestion="Use drier sand from the top of the pile, or another pile.",
)


class _Guess(NamedTuple):
    """One set of unknowns: scatter of the stockpile, sharpness of the eye, sd of the drift, and its prior chance."""

    scatter: float
    eye: float
    drift_sd: float
    chance: float


def _guesses() -> Iterator[_Guess]:
    for (scatter, p), (eye, q), (drift_sd, r) in product(_SCATTERS, _EYES, _DRIFT_SDS):
        yield _Guess(scatter, eye, drift_sd, p * q * r)


class _Stockpile:
    """One filter: moisture and drift with their covariance, and the log likelihood of all it has seen."""

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
        """Rain, a delivery or a night: the moisture is uncertain again, and the drift starts anew."""
        self.mm += _MOISTURE_SD**2
        self.d, self.md, self.dd = _DRIFT, 0.0, self.guess.drift_sd**2

    def see(self, sight: "_Sight") -> None:
        """Update with one observation of the moisture."""
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
    """One observation of the free moisture: its sd, and whether it was judged by eye."""

    moisture: float
    sd: float
    by_eye: bool


def _seen(load: PastLoad, wanted: float, absorption: float) -> list[_Sight]:
    """The observations in a load: its dried pan, and the water it took until it was judged."""
    sights = []
    if load.pan_moisture_fraction is not None:
        sights.append(
            _Sight(
                free_moisture_fraction(load.pan_moisture_fraction, absorption),
                load.pan_sd_fraction,
                by_eye=False,
            )
        )
    if load.judged != "unmixed":
        if load.target_water_kg is not None:
            wanted = load.target_water_kg / load.dry_aggregate_kg
        taken = wanted - load.added_l / load.dry_aggregate_kg + _SHIFT[load.judged] * wanted
        sights.append(_Sight(taken, _READING_SD[load.judged] * wanted, by_eye=True))
    return sights


def _mixed(stockpiles: Sequence[_Stockpile]) -> tuple[float, float]:
    """Mean and sd of the next load's moisture over all filters, weighted by their likelihood."""
    highest = max(stockpile.log_chance for stockpile in stockpiles)
    weights = [math.exp(stockpile.log_chance - highest) for stockpile in stockpiles]
    whole = sum(weights)
    mean = sum(weight * stockpile.m for weight, stockpile in zip(weights, stockpiles, strict=True)) / whole
    variance = sum(
        weight * (stockpile.mm + stockpile.guess.scatter**2 + (stockpile.m - mean) ** 2)
        for weight, stockpile in zip(weights, stockpiles, strict=True)
    )
    return mean, math.sqrt(variance / whole)
