"""A day of one or several jobs: their timelines, what fails, and the nearest plan that works."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import fsum
from typing import Annotated, Literal, NamedTuple
from uuid import UUID

from pydantic import Field

from keeve.core.day_plan.weather_limits import HourFor, hour_for
from keeve.core.mixes.model import Use
from keeve.core.planning.pace import load_times, longest_gap_min
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.load_sizes import MOST_LOADS
from keeve.core.rules.loads_timeline import (
    MOST_MIXERS,
    JobTimeline,
    Piece,
    cold_joints,
    idle_min,
    simulate,
)
from keeve.core.rules.registry import Dimension, Strict
from keeve.core.tolerances import ROUNDING
from keeve.core.weather import Air

MINUTES = 24 * 60
MOST_LOADS_A_DAY = 200
# A plan is known by its UUID.
PLAN_ID = r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$"
# Nobody starts a load that would not be placed by then, min of the day.
DAY_ENDS_MIN = 20 * 60


class DayJob(Strict):
    """A job of the day: its plan, which loads, when it begins (min of the day), its mixers, how fast it is placed.

    ``held_back``: loads are begun so late that each is ready at its turn. ``indoors``: rain, sun and wind stay out.
    ``joints``: a joint is planned wherever one comes about. ``life_min``: its working time at 20 °C with the retarder
    at hand; None without.
    """

    plan_id: Annotated[str, Field(pattern=PLAN_ID)]
    first_load: Annotated[int, Field(ge=1, le=MOST_LOADS)]
    loads: Annotated[int, Field(ge=1, le=MOST_LOADS_A_DAY)]
    begins_min: Annotated[int, Field(ge=0, lt=MINUTES)]
    mixers: Annotated[
        list[Annotated[int, Field(ge=1, le=MOST_MIXERS)]], Field(min_length=1, max_length=MOST_MIXERS)
    ]
    placing_m3_h: Dimension
    held_back: bool = False
    indoors: bool = False
    joints: bool = False
    life_min: Annotated[float, Field(ge=1, le=MINUTES)] | None = None

    @property
    def numbers(self) -> range:
        """The numbers of its loads."""
        return range(self.first_load, self.first_load + self.loads)


class DayPlan(Strict):
    """A day: its jobs, the one that goes first first; its hands, and how many of them a mixer and a placing take."""

    version: Literal[1] = 1
    jobs: Annotated[list[DayJob], Field(max_length=12)] = []
    hands: Annotated[int, Field(ge=1, le=40)] = 3
    mixing_hands: Annotated[int, Field(ge=1, le=4)] = 1
    placing_hands: Annotated[int, Field(ge=1, le=10)] = 1


@dataclass(frozen=True)
class Work:
    """The plan of a job of the day as far as the day needs it: the plan, the air it may be placed in, its use."""

    plan: Plan
    temperature_c: tuple[float, float] | None
    uses: tuple[Use, ...]


class Start(NamedTuple):
    """A job of a day: when it begins, its name, which loads of it, its plan."""

    begins_at: datetime
    title: str
    first_load: int
    loads: int
    plan_id: UUID


class StartedLoad(NamedTuple):
    """A load that was begun, min of the day: when, when it was placed (None: not yet), when its life is over."""

    began_min: float
    placed_min: float | None
    dead_min: float | None


class SoFar(NamedTuple):
    """How far a day is: of each job the loads that were begun, by number; nothing else begins before ``now_min``."""

    begun: Sequence[Mapping[int, StartedLoad]]
    now_min: float | None


class DayLoad(NamedTuple):
    """A load of the day: its parts, when its life is over (min of the day), whether the joint before it is cold, the
    hour it is mixed in, whether it was begun already, and whether it was placed.
    """

    number: int
    pieces: Sequence[Piece]
    dead_min: float
    is_cold: bool
    hour: HourFor
    is_begun: bool = False
    is_placed: bool = False

    @property
    def placed_min(self) -> float:
        """When it is placed, min of the day."""
        return max(piece.to_min for piece in self.pieces if piece.what == "place")

    @property
    def is_dead(self) -> bool:
        """Whether it would be placed past its life."""
        return not self.is_placed and self.placed_min > self.dead_min + ROUNDING


BreakKind = Literal["dead", "cold-joint", "no-weather", "late", "no-hands"]


class Break(NamedTuple):
    """A break of a job: of which kind, and with which loads."""

    kind: BreakKind
    job: int
    loads: Sequence[int]


# The 24 hours of a day as they suit one job.
Suits = Sequence[HourFor]


@dataclass(frozen=True)
class Outcome:
    """A day as it would go: the loads of each job, the hours as they suit each, and what breaks."""

    jobs: Sequence[Sequence[DayLoad]]
    hours: Sequence[Suits]
    breaks: Sequence[Break]

    @property
    def ends_min(self) -> float:
        """When the last load is placed, min of the day; 0 of an empty day."""
        return max((load.placed_min for job in self.jobs for load in job), default=0.0)

    @property
    def idle_min(self) -> float:
        """How long those who place wait between the loads of their jobs, all jobs together, min."""
        ahead = ([load for load in loads if not load.is_begun] for loads in self.jobs)
        return fsum(idle_min([piece for load in loads for piece in load.pieces]) for loads in ahead)


def suits(day: DayPlan, works: Sequence[Work], hours: Sequence[Air]) -> list[Suits]:
    """How the hours of a day suit each of its jobs.

    Args:
        day: what is planned.
        works: of each of its jobs.
        hours: the weather from midnight on: 24 hours, and those after them, which bring frost.
    """
    return [
        [
            hour_for(
                work.plan,
                work.plan.loads[0],
                work.temperature_c,
                work.uses,
                hours,
                index,
                indoors=job.indoors,
            )
            for index in range(24)
        ]
        for job, work in zip(day.jobs, works, strict=True)
    ]


def play(
    day: DayPlan,
    works: Sequence[Work],
    suited: Sequence[Suits],
    so_far: SoFar | None = None,
) -> Outcome:
    """The day as it would go.

    Args:
        day: what is planned.
        works: of each of its jobs.
        suited: how the hours suit each.
        so_far: what was begun of it; nothing where that is left out.
    """
    begun = so_far.begun if so_far else [{} for _ in day.jobs]
    now_min = so_far.now_min if so_far else None
    left = [_left(job, work, known) for job, work, known in zip(day.jobs, works, begun, strict=True)]
    under_way = [_under_way(work, known) for work, known in zip(works, begun, strict=True)]
    runs = [
        _run(day, job, work, [*held, *loads], [known[load.number].began_min for load in held], now_min or 0.0)
        for job, work, held, loads, known in zip(day.jobs, works, under_way, left, begun, strict=True)
    ]
    found = simulate(runs, day.hands, now_min or 0.0)
    jobs: list[list[DayLoad]] = []
    breaks: list[Break] = []
    for index, (job, work, run) in enumerate(zip(day.jobs, works, runs, strict=True)):
        by_hour = suited[index]
        cold = set() if job.joints else set(cold_joints(found[index], run.cold_joint_min))
        numbers = [load.number for load in (*under_way[index], *left[index])]
        places = {load.number: place for place, load in enumerate(under_way[index], 1)}
        placed_at = {piece.load: piece.to_min for piece in found[index] if piece.what == "place"}
        loads = []
        for number, each in sorted(begun[index].items()):
            loads.append(_begun_load(number, each, by_hour, placed_at.get(places.get(number, 0))))
        loads += _loads(found[index], numbers, run, job, work, cold, by_hour)
        jobs.append(loads)
        breaks += _breaks(index, loads, len(left[index]) - sum(not load.is_begun for load in loads))
    return Outcome(jobs, suited, breaks)


def _left(job: DayJob, work: Work, begun: Mapping[int, StartedLoad]) -> list[Load]:
    return [load for load in work.plan.loads if load.number in job.numbers and load.number not in begun]


def _under_way(work: Work, begun: Mapping[int, StartedLoad]) -> list[Load]:
    """Its loads that are under way, the oldest first: they hold mixer, people and placing crew."""
    held = [number for number, each in begun.items() if each.placed_min is None]
    found = [load for number in held if (load := work.plan.load(number))]
    return sorted(found, key=lambda load: begun[load.number].began_min)


def _run(
    day: DayPlan,
    job: DayJob,
    work: Work,
    loads: Sequence[Load],
    began_min: Sequence[float],
    now_min: float,
) -> JobTimeline:
    """A job as it is run: its loads under way, which began then, before those that are left."""
    # Loads of one size take the same times.
    by_size = {load.yield_l: load for load in loads}
    times = {size: load_times(work.plan, load, job.placing_m3_h) for size, load in by_size.items()}
    return JobTimeline(
        [times[load.yield_l] for load in loads],
        job.mixers,
        max(job.begins_min, now_min),
        longest_gap_min(work.plan),
        day.mixing_hands,
        day.placing_hands,
        job.held_back,
        began_min,
    )


def _loads(
    pieces: Sequence[Piece],
    numbers: Sequence[int],
    run: JobTimeline,
    job: DayJob,
    work: Work,
    cold: set[int],
    by_hour: Suits,
) -> Iterator[DayLoad]:
    of_load: dict[int, list[Piece]] = {}
    for piece in pieces:
        of_load.setdefault(piece.load, []).append(piece)
    for place, parts in of_load.items():
        if place <= len(run.charged_from):
            continue
        begins = next(piece.from_min for piece in parts if piece.what == "charge")
        water_at = begins + run.loads[place - 1].first_water_min
        hour = by_hour[_hour(water_at)]
        dead_min = water_at + life_of(job, work, hour)
        yield DayLoad(numbers[place - 1], parts, dead_min, place in cold, hour)


def life_of(job: DayJob, work: Work, hour: HourFor) -> float:
    """The working life of a load of that hour, min: a retarder stretches it as it would at 20 °C."""
    usual = work.plan.mix.life_min
    return hour.life_min * (job.life_min / usual if job.life_min else 1.0)


def _hour(minute: float) -> int:
    return min(int(minute // 60), 23)


def _begun_load(number: int, begun: StartedLoad, by_hour: Suits, placed_at: float | None) -> DayLoad:
    """A load that was begun; of one that is not placed yet, ``placed_at`` is when it will be (None: nobody can)."""
    hour = by_hour[_hour(max(begun.began_min, 0.0))]
    dead_min = begun.dead_min if begun.dead_min is not None else begun.began_min + hour.life_min
    ends = (begun.placed_min, placed_at, dead_min)
    end = max(next(moment for moment in ends if moment is not None), begun.began_min)
    pieces = [Piece(number, "place", begun.began_min, end, 0)]
    return DayLoad(
        number,
        pieces,
        dead_min,
        is_cold=False,
        hour=hour,
        is_begun=True,
        is_placed=begun.placed_min is not None,
    )


def _breaks(job: int, loads: Sequence[DayLoad], never: int) -> Iterator[Break]:
    found: Sequence[tuple[BreakKind, list[int]]] = (
        ("dead", [load.number for load in loads if load.is_dead]),
        ("cold-joint", [load.number for load in loads if load.is_cold]),
        ("no-weather", [load.number for load in loads if load.hour.verdict == "no" and not load.is_begun]),
        ("late", [load.number for load in loads if load.placed_min > DAY_ENDS_MIN and not load.is_begun]),
        ("no-hands", [0] * never),
    )
    yield from (Break(kind, job, numbers) for kind, numbers in found if numbers)
