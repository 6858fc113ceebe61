"""Simulated days at one stockpile, the truth known, for the tracker's proof.

A day is twenty loads of 80 kg of oven-dry sand, 12 kg of free water wanted in each. The free moisture of
the stockpile begins somewhere, drifts from load to load, and each load is dug from a place a little wetter or drier.
The mixer stops adding when the mix looks right, which is off by his eye: his added water is what the load truly needed
and that error. One load in eight ends a little dry or wet and is called so. Figures are made up, after common practice.
"""

import sys
from collections.abc import Iterable
from dataclasses import dataclass
from random import Random
from statistics import median
from typing import NamedTuple

from keeve.core.rules.next_water import PastLoad, next_water
from keeve.core.rules.registry import rule_of

WATER_KG, SAND_KG, LOADS = 12.0, 80.0, 20


@dataclass(frozen=True)
class Scenario:
    """What kind of day: moisture in the morning, drift a load, scatter of single loads, the
    eye's error over the wanted water, a reset with its jump.
    """

    start: float = 0.05
    drift: float = -0.0005
    drift_sd: float = 0.0008
    scatter: float = 0.002
    eye: float = 0.035
    reset: str = ""
    jump: float = 0.0
    jump_sd: float = 0.0


SCENARIOS = {
    "base": Scenario(),
    "rain": Scenario(reset="rain", jump=0.02, jump_sd=0.012),
    "delivery": Scenario(reset="delivery", jump=0.0, jump_sd=0.025),
    "fast drying": Scenario(start=0.09, drift=-0.0035, drift_sd=0.0008),
    "noisy heap": Scenario(scatter=0.012),
    "sharp eye": Scenario(eye=0.018),
    "rough eye": Scenario(eye=0.06),
}


@dataclass(frozen=True)
class Day:
    """The loads as they were recorded, and what each truly needed, L."""

    loads: list[PastLoad]
    needed_l: list[float]


def a_day(scenario: Scenario, random: Random) -> Day:
    """One day of a scenario."""
    moisture = min(max(random.gauss(scenario.start, 0.02), 0.01), 0.12)
    drift = random.gauss(scenario.drift, scenario.drift_sd)
    reset_at = random.randrange(3, 7) if scenario.reset else -1
    loads, needed = [], []
    for number in range(LOADS):
        reset = None
        if number == reset_at:
            moisture = min(max(moisture + random.gauss(scenario.jump, scenario.jump_sd), 0.005), 0.13)
            reset = scenario.reset
        need_l = WATER_KG - SAND_KG * max(moisture + random.gauss(0, scenario.scatter), 0.0)
        judged, off = (
            random.choice([("dry", -0.05), ("wet", 0.05)]) if random.random() < 1 / 8 else ("right", 0.0)
        )
        added_l = max(need_l + WATER_KG * (off + random.gauss(0, scenario.eye)), 0.0)
        loads.append(PastLoad(added_l=added_l, dry_aggregate_kg=SAND_KG, judged=judged, reset=reset))
        needed.append(need_l)
        moisture = max(moisture + drift, 0.002)
    return Day(loads, needed)


class Score(NamedTuple):
    """Median error of the next start beside that of the last total and of the first, and the band's coverage."""

    over_last: float
    over_first: float
    coverage: float


def score(name: str, days: int, after: Iterable[int], seed: int) -> Score:
    """How the tracker does on so many days of a scenario, asked after so many loads of each."""
    random = Random(f"{name} {seed}")
    ours, last, first, covered = [], [], [], []
    for _ in range(days):
        day = a_day(SCENARIOS[name], random)
        for number in after:
            history, coming = day.loads[:number], day.loads[number]
            if coming.reset:
                history = [*history, coming.model_copy(update={"judged": "unmixed", "added_l": 0.0})]
            found = rule_of(next_water).function(
                history=history, target_water_kg=WATER_KG, dry_aggregate_kg=SAND_KG, absorption_fraction=0.0
            )
            need_l = day.needed_l[number]
            ours.append(abs(found.start_l - need_l))
            last.append(abs(day.loads[number - 1].added_l - need_l))
            first.append(abs(day.loads[0].added_l - need_l))
            covered.append(found.low_l <= need_l <= found.high_l)
    error = median(ours)
    return Score(error / median(last), error / median(first), sum(covered) / len(covered))


if __name__ == "__main__":
    for scenario in SCENARIOS:
        result = score(scenario, int(sys.argv[1]), range(1, LOADS), seed=2)
        print(
            f"{scenario:12} {result.over_last:.2f} {result.over_first:.2f} {result.coverage:.0%}", flush=True
        )
