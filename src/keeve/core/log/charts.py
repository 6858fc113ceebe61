"""Statistics over many loads of a mix: water, strength, people, moisture, time, waste."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from itertools import pairwise
from statistics import fmean, median
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.drying import Drying
from keeve.core.loads.events import Result
from keeve.core.loads.load_state import LoadState
from keeve.core.log.specimens import SpecimenLine, specimens_of
from keeve.core.planning.plan import Load, Plan
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
# A figure printed to two places tells no smaller spread apart.
_LEAST_SIGMA = 0.003
# A ratio printed to two places is another from there.
SAME_RATIO = 0.005
# Loads that differ by no more than that are of one size.
_SAME_SIZE = 0.02


class Done(NamedTuple):
    """A load that was mixed: its id, the name of its job, when it was begun, plan, load, state, water over binder, how
    what it made dries.
    """

    id: UUID
    plan_id: UUID
    job: str
    begun_at: datetime
    plan: Plan
    load: Load
    state: LoadState
    ratio: float | None
    drying: Drying | None = None

    @property
    def name(self) -> str:
        """How one calls it."""
        return f"{self.job}, load {self.load.number}"


class RatioOf(NamedTuple):
    """The water ratio of a load, planned here or from before: its id, its job, its number, when it was begun."""

    id: UUID
    job: str
    number: int
    begun_at: datetime
    ratio: float

    @property
    def name(self) -> str:
        """How one calls it."""
        return f"{self.job}, load {self.number}"


def ratio_of(done: Done) -> RatioOf | None:
    """The water ratio of a load; None where it has none."""
    if done.ratio is None or not done.load.binder_kg:
        return None
    return RatioOf(done.id, done.job, done.load.number, done.begun_at, done.ratio)


class Window(NamedTuple):
    """The water ratios a mix may have: least, the one to aim at, most."""

    low: float
    target: float
    high: float


def window_of(load: Load) -> Window | None:
    """The water ratios of a load as planned; None of one without binder."""
    if not load.binder_kg:
        return None
    water = load.water
    low, target, high = (
        water.free_l(litres) / load.binder_kg for litres in (water.min_l, water.target_l, water.ceiling_l)
    )
    return Window(low, target, high)


def is_past(ratio: float, window: Window) -> bool:
    """Whether a water ratio is more than the mix may have, as it is printed."""
    return ratio > window.high + SAME_RATIO


class RatioSeries(NamedTuple):
    """Water ratios in the order in which loads were mixed, the mix's window where it is known, and their control chart
    where they are enough.
    """

    loads: Sequence[RatioOf]
    window: Window | None
    chart: ControlChart | None

    @property
    def ratios(self) -> list[float]:
        """The ratios alone."""
        return [load.ratio for load in self.loads]


def ratio_series(loads: Sequence[RatioOf], window: Window | None) -> RatioSeries | None:
    """The water ratios of loads in order; None where there are none.

    Judgement made here: centre and spread are by medians, so that a bad week does not hide itself by widening them.
    """
    if not loads:
        return None
    ratios = [load.ratio for load in loads]
    chart = None
    if len(ratios) >= LEAST_CHARTED:
        spread = median(abs(later - earlier) for earlier, later in pairwise(ratios)) / _D4
        chart = control_chart(ratios, target=median(ratios), sigma=max(spread, _LEAST_SIGMA))
    return RatioSeries(loads, window, chart)


class Run(NamedTuple):
    """Signals of a kind at values in a row, from one to another (from 0), and since when it grew."""

    kind: SignalKind
    first: int
    last: int
    since: int


def runs_of(signals: Sequence[Signal]) -> list[Run]:
    """The signals, those of a kind that follow one another taken together."""
    found: list[Run] = []
    for kind in dict.fromkeys(signal.kind for signal in signals):
        for signal in (one for one in signals if one.kind == kind):
            if found and found[-1].kind == kind and signal.index == found[-1].last + 1:
                found[-1] = found[-1]._replace(last=signal.index)
            else:
                found.append(Run(kind, signal.index, signal.index, signal.since))
    return sorted(found, key=lambda run: run.first)


class Tested(NamedTuple):
    """A specimen that was tested, and its load."""

    done: Done
    line: SpecimenLine


def specimens_tested(loads: Sequence[Done]) -> list[Tested]:
    """Every tested specimen of the loads, in order."""
    return [
        Tested(done, line)
        for done in loads
        for line in specimens_of(done.plan, done.load, done.state)
        if line.mpa is not None
    ]


class Judge(NamedTuple):
    """How somebody calls a mix right: of how many loads, how much wetter than the crew does (water ratio), how those
    came out.
    """

    name: str
    loads: int
    wetter_by: float
    results: Mapping[Result, int]


def judges_of(loads: Sequence[Done]) -> list[Judge]:
    """Who called loads right at which water, against all of them, and what followed."""
    right: dict[str, list[Done]] = {}
    for done in loads:
        judged = done.state.last_judgement
        if judged is not None and judged.is_right and done.ratio is not None:
            right.setdefault(judged.by, []).append(done)
    everyone = [done.ratio or 0.0 for own in right.values() for done in own]
    return sorted(
        Judge(
            name,
            len(own),
            fmean(done.ratio or 0.0 for done in own) - median(everyone),
            {result: n for result in ("good", "usable", "poor") if (n := _came_out(own, result))},
        )
        for name, own in right.items()
    )


def _came_out(loads: Sequence[Done], result: str) -> int:
    return sum(done.state.result == result for done in loads)


class WaterByMoisture(NamedTuple):
    """The free moisture that was expected of a load's sand, the water that went in from the tap, and what the balance
    of the sand's water says it should be, L.
    """

    done: Done
    moisture: float
    water_l: float
    balance_l: float


def water_by_moisture(loads: Sequence[Done]) -> Iterator[WaterByMoisture]:
    """The water of loads whose stockpile was followed, against its moisture: of those as large as the last."""
    yield_l = loads[-1].load.yield_l if loads else 0.0
    for done in loads:
        if abs(done.load.yield_l / yield_l - 1) > _SAME_SIZE:
            continue
        expected = done.state.expected
        if expected is None or not expected.stockpile or not done.state.went_in_l:
            continue
        moisture = expected.free_moisture_fraction
        sand_kg = sum(
            charge.dry_kg
            for charge in done.load.charges
            if done.plan.material(charge.material).stockpile == expected.stockpile
        )
        planned = done.load.water
        balance_l = planned.free_l(planned.target_l) - planned.in_admixture_l - moisture * sand_kg
        yield WaterByMoisture(done, moisture, done.state.went_in_l, balance_l)


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


def uses_of(loads: Sequence[Done]) -> list[JobUse]:
    """What each job of the loads took, against its plan: of its loads that are used up."""
    by_job: dict[str, list[Done]] = {}
    for done in loads:
        if done.state.placed_l or done.state.discarded is not None:
            by_job.setdefault(done.job, []).append(done)
    return [_use(name, own) for name, own in by_job.items()]


def _use(name: str, loads: Sequence[Done]) -> JobUse:
    plan = loads[0].plan
    binders = set(plan.binders)
    planned_kg = sum(
        charge.mass_kg for done in loads for charge in done.load.charges if charge.material in binders
    )
    used_kg = sum(
        kg for done in loads for material, kg in done.state.went_in_kg.items() if material in binders
    )
    taken = [minutes for done in loads if (minutes := _minutes(done)) is not None]
    made_l = sum(done.load.yield_l for done in loads)
    lost_l = sum(max(done.load.yield_l - done.state.placed_l - done.state.given_l, 0.0) for done in loads)
    return JobUse(
        name=name,
        loads=len(loads),
        planned_binder_kg=planned_kg,
        binder_kg=used_kg,
        planned_min=sum(fmean(step.minutes) for step in plan.procedure if step.kind != "place"),
        minutes=median(taken) if taken else None,
        planned_waste=plan.volume.order_m3 / plan.volume.net_m3 - 1 if plan.volume.net_m3 else 0.0,
        waste=lost_l / made_l if made_l else 0.0,
    )


def _minutes(done: Done) -> float | None:
    """From the start of a load to when it was last judged, min."""
    judged = done.state.last_judgement
    return (judged.at - done.begun_at) / timedelta(minutes=1) if judged else None


class Verdict(NamedTuple):
    """A first verdict on tests at 28 days: samples (load and mean of its specimens, MPa) in order, what they come to,
    whether they meet the specified strength, the mean to aim at with this spread, MPa.
    """

    samples: Sequence[tuple[Done, float]]
    record: StrengthRecord
    acceptances: Sequence[tuple[str, StrengthAcceptance]]
    aim_mpa: float | None

    @property
    def meets(self) -> bool:
        """Whether all of it meets the specified strength."""
        return all(acceptance.verdict == "meets" for _, acceptance in self.acceptances)


_SPECIFIED_DAYS = 28


def verdict_of(tests: Sequence[Tested], specified_mpa: float, standard: Standard) -> Verdict | None:
    """A first verdict on specimens of one shape; None where none was tested at 28 days.

    The specimens of a load are one sample, and count by their mean. By EN 206 what was placed on a day is a volume,
    and is looked at by itself, six samples at a time.
    """
    by_load: dict[UUID, list[Tested]] = {}
    for test in tests:
        if test.line.test_days == _SPECIFIED_DAYS:
            by_load.setdefault(test.done.id, []).append(test)
    if not by_load:
        return None
    samples = [(own[0].done, fmean(test.line.mpa or 0.0 for test in own)) for own in by_load.values()]
    record = strength_record(
        [Specimen(age_days=float(_SPECIFIED_DAYS), mpa=mpa) for _, mpa in samples], specified_mpa
    )
    volumes: dict[str, list[float]] = {}
    for number, (done, mpa) in enumerate(samples):
        part = "" if standard == "aci-318" else f"{done.begun_at:%Y-%m-%d}"
        if len(volumes.get(part, ())) == _MOST_OF_VOLUME and standard == "en-206":
            part = f"{part} {number}"
        volumes.setdefault(part, []).append(mpa)
    accepted = [
        (part, strength_acceptance(strengths, specified_mpa, standard)) for part, strengths in volumes.items()
    ]
    aim = None if record.sd is None else required_mean_strength(specified_mpa, record.sd).mean_mpa
    return Verdict(samples, record, accepted, aim)


_MOST_OF_VOLUME = 6
