"""Statistics over many loads of a mix: water, strength, people, moisture, time, waste."""

import math
from collections.abc import Iterator, Mapping, Sequence
from datetime import timedelta
from itertools import pairwise
from statistics import fmean, median
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.event import Result
from keeve.core.log.load_row import LoadRow, RatioWindow
from keeve.core.log.specimens import SpecimenRow
from keeve.core.rules.control_chart import ControlChart, Signal, SignalKind, control_chart
from keeve.core.rules.strength import required_mean_strength
from keeve.core.rules.strength_tests import (
    Specimen,
    Standard,
    StrengthAcceptance,
    StrengthRecord,
    strength_acceptance,
    strength_record,
)

# Fewer values are no series: chance has shown too little of itself.
LEAST_CHARTED = 8
# The standard deviation from the median of moving ranges of two (Montgomery, from memory).
_D4 = 0.954
# The share of series in which nothing changed and that call all the same; a spread from few values is taken as wider by
# so many over their number (found by simulation, test_quality.py).
_FALSE_ALARMS, _UNSURE = 0.08, 4.0
# A figure printed to two places tells no smaller spread apart.
_LEAST_SIGMA = 0.003
# A ratio printed to two places is another from there.
SAME_RATIO = 0.005
# Loads that differ by no more than that are of one size.
_SAME_SIZE = 0.02


def is_past(ratio: float, window: RatioWindow) -> bool:
    """Whether a water ratio is more than the mix may have, as it is printed."""
    return ratio > window.high + SAME_RATIO


class RatioSeries(NamedTuple):
    """Water ratios in the order in which loads were mixed, the mix's window where it is known, and their control chart
    where they are enough.
    """

    loads: Sequence[LoadRow]
    ratios: Sequence[float]
    window: RatioWindow | None
    chart: ControlChart | None


def ratio_series(loads: Sequence[LoadRow], window: RatioWindow | None) -> RatioSeries | None:
    """The water ratios of loads in order, of those that have one; None where there are none.

    Judgement made here: centre and spread are by medians, so that a bad week does not hide itself by widening them.
    """
    known = [(load, load.ratio) for load in loads if load.ratio is not None]
    if not known:
        return None
    ratios = [ratio for _, ratio in known]
    chart = None
    if len(ratios) >= LEAST_CHARTED:
        spread = median(abs(later - earlier) for earlier, later in pairwise(ratios)) / _D4
        chart = control_chart(
            ratios,
            target=median(ratios),
            sigma=max(spread * (1 + _UNSURE / len(ratios)), _LEAST_SIGMA),
            false_alarms_fraction=_FALSE_ALARMS,
        )
    return RatioSeries([load for load, _ in known], ratios, window, chart)


class SignalRun(NamedTuple):
    """Signals of a kind at values in a row, from one to another (from 0), and since when it grew."""

    kind: SignalKind
    first: int
    last: int
    since: int


def runs_of(signals: Sequence[Signal]) -> list[SignalRun]:
    """The signals, those of a kind that follow one another taken together."""
    found: list[SignalRun] = []
    for kind in dict.fromkeys(signal.kind for signal in signals):
        for signal in (one for one in signals if one.kind == kind):
            if found and found[-1].kind == kind and signal.index == found[-1].last + 1:
                found[-1] = found[-1]._replace(last=signal.index)
            else:
                found.append(SignalRun(kind, signal.index, signal.index, signal.since))
    return sorted(found, key=lambda run: run.first)


class TestedSpecimen(NamedTuple):
    """A specimen that was tested, and its load."""

    load: LoadRow
    specimen: SpecimenRow


def specimens_tested(loads: Sequence[LoadRow]) -> list[TestedSpecimen]:
    """Every tested specimen of the loads, in order."""
    return [TestedSpecimen(load, one) for load in loads for one in load.specimens if one.mpa is not None]


class JudgeBias(NamedTuple):
    """How somebody calls a mix right: of how many loads, how much wetter than the crew does (water ratio), how those
    came out.
    """

    name: str
    loads: int
    wetter_by: float
    results: Mapping[Result, int]


def judges_of(loads: Sequence[LoadRow]) -> list[JudgeBias]:
    """Who called loads right at which water, against all of them, and what followed."""
    right: dict[str, list[LoadRow]] = {}
    for load in loads:
        if load.is_right and load.ratio is not None:
            right.setdefault(load.judged_by, []).append(load)
    everyone = [load.ratio or 0.0 for own in right.values() for load in own]
    return sorted(
        JudgeBias(
            name,
            len(own),
            fmean(load.ratio or 0.0 for load in own) - median(everyone),
            {result: n for result in ("good", "usable", "poor") if (n := _came_out(own, result))},
        )
        for name, own in right.items()
    )


def _came_out(loads: Sequence[LoadRow], result: str) -> int:
    return sum(load.result == result for load in loads)


class WaterByMoisture(NamedTuple):
    """The free moisture that was expected of a load's sand, the water that went in from the tap, and what the balance
    of the sand's water says it should be, L.
    """

    load: LoadRow
    moisture: float
    water_l: float
    balance_l: float


def water_by_moisture(loads: Sequence[LoadRow]) -> Iterator[WaterByMoisture]:
    """The water of loads whose stockpile was followed, against its moisture: of those as large as the last."""
    yield_l = (loads[-1].planned_l if loads else None) or 0.0
    for load in loads:
        if not load.planned_l or not yield_l or abs(load.planned_l / yield_l - 1) > _SAME_SIZE:
            continue
        if load.moisture_fraction is not None and load.balance_l is not None and load.water_l:
            yield WaterByMoisture(load, load.moisture_fraction, load.water_l, load.balance_l)


class JobUse(NamedTuple):
    """A job as planned and as it was: binder in kg, minutes until a load was right, waste as a share."""

    name: str
    loads: int
    planned_binder_kg: float
    binder_kg: float
    planned_min: float
    minutes: float | None
    planned_waste: float
    waste: float


def uses_of(loads: Sequence[LoadRow]) -> list[JobUse]:
    """Use of each job of the loads, against its plan: of its loads that are used up."""
    by_job: dict[str, list[LoadRow]] = {}
    for load in loads:
        if load.is_out and load.as_planned is not None:
            by_job.setdefault(load.title, []).append(load)
    return [_use(name, own) for name, own in by_job.items()]


def _use(name: str, loads: Sequence[LoadRow]) -> JobUse:
    plans = [load.as_planned for load in loads if load.as_planned is not None]
    taken = [(load.judged_at - load.begun_at) / timedelta(minutes=1) for load in loads if load.judged_at]
    made_l = math.fsum(load.planned_l or 0.0 for load in loads)
    lost_l = math.fsum(max((load.planned_l or 0.0) - load.placed_l - load.given_l, 0.0) for load in loads)
    return JobUse(
        name=name,
        loads=len(loads),
        planned_binder_kg=math.fsum(plan.binder_kg for plan in plans),
        binder_kg=math.fsum(load.binder_kg for load in loads),
        planned_min=plans[0].minutes,
        minutes=median(taken) if taken else None,
        planned_waste=plans[0].waste_fraction,
        waste=lost_l / made_l if made_l else 0.0,
    )


class Verdict(NamedTuple):
    """A first verdict on tests at 28 days: samples (load and mean of its specimens, MPa) in order, what they come to,
    whether they meet the specified strength, the mean to aim at with this spread, MPa.
    """

    samples: Sequence[tuple[LoadRow, float]]
    record: StrengthRecord
    acceptances: Sequence[tuple[str, StrengthAcceptance]]
    aim_mpa: float | None

    @property
    def meets(self) -> bool:
        """Whether all of it meets the specified strength."""
        return all(acceptance.verdict == "meets" for _, acceptance in self.acceptances)


_SPECIFIED_DAYS = 28


def verdict_of(tests: Sequence[TestedSpecimen], specified_mpa: float, standard: Standard) -> Verdict | None:
    """A first verdict on specimens of one shape; None where none was tested at 28 days.

    The specimens of a load are one sample, and count by their mean. By EN 206 what was placed on a day is a volume,
    and is looked at by itself, in groups of at most six samples.
    """
    by_load: dict[UUID, list[TestedSpecimen]] = {}
    for test in tests:
        if test.specimen.test_days == _SPECIFIED_DAYS:
            by_load.setdefault(test.load.id, []).append(test)
    if not by_load:
        return None
    samples = [(own[0].load, fmean(test.specimen.mpa or 0.0 for test in own)) for own in by_load.values()]
    record = strength_record(
        [Specimen(age_days=float(_SPECIFIED_DAYS), mpa=mpa) for _, mpa in samples], specified_mpa
    )
    volumes: dict[str, list[float]] = {}
    for load, mpa in samples:
        volumes.setdefault("" if standard == "aci-318" else f"{load.begun_at:%Y-%m-%d}", []).append(mpa)
    accepted = [
        (part, strength_acceptance(group, specified_mpa, standard))
        for part, strengths in volumes.items()
        for group in (_groups(strengths) if standard == "en-206" else [strengths])
    ]
    aim = None if record.sd is None else required_mean_strength(specified_mpa, record.sd).mean_mpa
    return Verdict(samples, record, accepted, aim)


_MOST_OF_VOLUME = 6


def _groups(strengths: list[float]) -> Iterator[list[float]]:
    """Results of one volume in groups of at most six, alike in size: the rule of the mean holds each of them."""
    count = math.ceil(len(strengths) / _MOST_OF_VOLUME)
    each, more = divmod(len(strengths), count)
    begins = 0
    for index in range(count):
        ends = begins + each + (index < more)
        yield strengths[begins:ends]
        begins = ends
