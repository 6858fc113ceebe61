"""Simulated days at one stockpile, the truth known, for the tracker's proof.

A day is twenty loads of 80 kg of oven-dry sand, 12 kg of free water wanted in each. The free moisture of
the stockpile begins somewhere, drifts from load to load, and each load is dug from a place a little wetter or drier.
The mixer stops adding when the mix looks right, which is off by his eye, and by what his eye likes: his added water is
what the load truly needed and those errors. One load in eight ends a little dry or wet and is called so. Figures are
made up, after common practice.

A constant liking of the eye cannot be seen in totals by anyone: days of an eye that is far off have a pan dried at
every fourth load. An uneven stockpile and a rough eye look alike in totals too: the band is then rather too wide.
"""

import math
import sys
from collections.abc import Iterable
from dataclasses import dataclass
from random import Random
from statistics import median
from typing import NamedTuple

from keeve.core.rules.next_water import PAN_SD, PastLoad, Reset, next_water
from keeve.core.rules.registry import rule_of

WATER_KG, SAND_KG, LOADS = 12.0, 80.0, 20
# An earlier day of the same stockpile has fewer loads.
EARLIER_LOADS = 10
# How much a new total counts in the rival that averages.
AVERAGING = 0.3


@dataclass(frozen=True)
class Scenario:
    """What kind of day: moisture in the morning, drift a load, scatter of single loads, the eye's error and what it
    likes (usually, and for certain) over the wanted water; a change with its jump, told or not; half the difference of
    two sides it is dug from; how far it goes up and down over the day; every how many loads a pan is dried; how many
    days there were before; how many totals are slips.
    """

    start: float = 0.05
    drift: float = -0.0005
    drift_sd: float = 0.0008
    scatter: float = 0.002
    eye: float = 0.035
    liking_sd: float = 0.015
    liking: float = 0.0
    change: Reset | None = None
    told: bool = True
    jump: float = 0.0
    jump_sd: float = 0.0
    sides: float = 0.0
    swing: float = 0.0
    pans: int = 0
    days_before: int = 0
    slips: int = 0


SCENARIOS = {
    "base": Scenario(),
    "rain": Scenario(change="rain", jump=0.02, jump_sd=0.012),
    "delivery": Scenario(change="delivery", jump_sd=0.025),
    "rain untold": Scenario(change="rain", told=False, jump=0.02, jump_sd=0.012),
    "fast drying": Scenario(start=0.09, drift=-0.0035),
    "third day": Scenario(start=0.09, drift=-0.0035, days_before=2),
    "steady drying": Scenario(start=0.09, drift=-0.0025, drift_sd=0.0003, scatter=0.0005, eye=0.008),
    "wetter bottom": Scenario(start=0.04, drift=0.003, drift_sd=0.0005),
    "slow change": Scenario(swing=0.012),
    "uneven heap": Scenario(scatter=0.012),
    "two sides": Scenario(sides=0.012),
    "sharp eye": Scenario(eye=0.018),
    "rough eye": Scenario(eye=0.06),
    "biased eye": Scenario(liking=0.05, liking_sd=0.0, pans=4),
    "slips": Scenario(slips=2),
}


@dataclass(frozen=True)
class Days:
    """The loads as they were recorded, what each truly needed, L, and the number of the last day's first."""

    loads: list[PastLoad]
    needed_l: list[float]
    first: int


def some_days(scenario: Scenario, random: Random) -> Days:
    """The last day of a scenario with those before it."""
    moisture = min(max(random.gauss(scenario.start, 0.02), 0.01), 0.12)
    drift = random.gauss(scenario.drift, scenario.drift_sd)
    liking = random.choice((-1, 1)) * scenario.liking + random.gauss(0, scenario.liking_sd)
    loads: list[PastLoad] = []
    needed: list[float] = []
    for day in range(scenario.days_before + 1):
        if day:
            moisture = min(max(moisture + random.gauss(0.01, 0.02), 0.01), 0.12)
        first, is_last = len(loads), day == scenario.days_before
        count = LOADS if is_last else EARLIER_LOADS
        changes_at = random.randrange(3, 12) if scenario.change and is_last else -1
        slips_at = random.sample(range(3, LOADS), scenario.slips)
        phase, drift_today = random.uniform(0, 2 * math.pi), drift + random.gauss(0, 0.0004)
        for number in range(count):
            reset: Reset | None = "night" if day and number == 0 else None
            if number == changes_at:
                moisture = min(max(moisture + random.gauss(scenario.jump, scenario.jump_sd), 0.005), 0.13)
                reset = scenario.change if scenario.told else None
            here = moisture + random.choice((-1, 1)) * scenario.sides
            here += scenario.swing * math.sin(phase + 0.2 * number)
            need_l = WATER_KG - SAND_KG * max(here + random.gauss(0, scenario.scatter), 0.0)
            judged, off = (
                random.choice([("dry", -0.05), ("wet", 0.05)]) if random.random() < 1 / 8 else ("right", 0.0)
            )
            added_l = max(need_l + WATER_KG * (off + liking + random.gauss(0, scenario.eye)), 0.0)
            if number in slips_at:
                added_l = max(added_l + random.choice((-3.0, 3.0, 9 * added_l)), 0.0)
            pan = max(here + random.gauss(0, PAN_SD), 0.0)
            loads.append(
                PastLoad(
                    added_l=added_l, dry_aggregate_kg=SAND_KG, judged=judged, reset=reset,
                    pan_moisture_fraction=pan if scenario.pans and number % scenario.pans == 0 else None,
                )
            )  # fmt: skip
            needed.append(need_l)
            moisture = max(moisture + drift_today, 0.002)
    return Days(loads, needed, first)


class Score(NamedTuple):
    """Median error of the next start beside that of the last total, of an exponential average of the totals and of the
    day's first total, and the band's coverage.
    """

    over_last: float
    over_average: float
    over_first: float
    coverage: float


def score(name: str, days: int, after: Iterable[int], seed: int) -> Score:
    """How the tracker does on so many days of a scenario, asked after so many loads of each."""
    random = Random(f"{name} {seed}")
    ours, last, averaged, first, covered = [], [], [], [], []
    for _ in range(days):
        day = some_days(SCENARIOS[name], random)
        average_l = day.loads[0].added_l
        averages_l = [average_l]
        for load in day.loads:
            average_l += AVERAGING * (load.added_l - average_l)
            averages_l.append(average_l)
        for number in (day.first + loads for loads in after):
            history, coming = day.loads[:number], day.loads[number]
            if coming.reset:
                history = [
                    *history,
                    PastLoad(added_l=0.0, dry_aggregate_kg=1.0, judged="unmixed", reset=coming.reset),
                ]
            found = rule_of(next_water).function(
                history=history, target_water_kg=WATER_KG, dry_aggregate_kg=SAND_KG, absorption_fraction=0.0
            )
            need_l = day.needed_l[number]
            ours.append(abs(found.start_l - need_l))
            last.append(abs(day.loads[number - 1].added_l - need_l))
            averaged.append(abs(averages_l[number] - need_l))
            first.append(abs(day.loads[day.first].added_l - need_l))
            covered.append(found.low_l <= need_l <= found.high_l)
    error = median(ours)
    return Score(
        error / median(last), error / median(averaged), error / median(first), sum(covered) / len(covered)
    )


if __name__ == "__main__":
    print(f"{'median error over that of':12} {'last':>5} {'average':>8} {'first':>6} {'covered':>8}")
    for scenario in SCENARIOS:
        result = score(scenario, int(sys.argv[1]), range(1, LOADS), seed=2)
        print(
            f"{scenario:25} {result.over_last:5.2f} {result.over_average:8.2f} {result.over_first:6.2f} "
            f"{result.coverage:8.0%}",
            flush=True,
        )
