"""Changes that make a day hold that does not: one at a time, or the few that do it together."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Literal, NamedTuple

from keeve.core.day_plan.day import (
    DAY_ENDS_MIN,
    MOST_LOADS_A_DAY,
    DayJob,
    DayLoad,
    DayPlan,
    Outcome,
    SoFar,
    Suits,
    Work,
    life_of,
    play,
)
from keeve.core.rules.loads_timeline import MOST_MIXERS

# A start is put off by so much at a time.
_LATER_MIN = 60

ChangeKind = Literal["hold-back", "mixer", "pace", "hands", "later", "fewer", "joints", "retarder", "smaller"]


class DayChange(NamedTuple):
    """A change that makes a day hold, or break less: of which job, and to what: mixers, a start (min), loads, people,
    m3 an hour, a working life (min) or the size of a load (L). A smaller load is a change of the job, not of the day.
    """

    kind: ChangeKind
    job: int
    to: float
    day: DayPlan
    left: int


def changes(
    day: DayPlan, works: Sequence[Work], outcome: Outcome, so_far: SoFar | None = None
) -> list[DayChange]:
    """The nearest days that break less, one change each, those that break nothing first.

    Judgement made here: what costs nothing comes first (holding loads back, another start), then a planned joint and a
    retarder, then people and mixers, then fewer loads today, and smaller loads last, for which the job is changed.
    """
    if not outcome.breaks:
        return []
    worst = _weight(outcome)
    tried = []
    for order, (kind, job, to, other) in enumerate(_candidates(day, works, outcome)):
        weight = _weight(play(other, works, outcome.hours, so_far))
        if weight < worst:
            tried.append((weight, order, DayChange(kind, job, to, other, weight)))
    found = [change for _, _, change in sorted(tried, key=lambda each: each[:2])]
    smaller = _smaller(day, works, outcome, so_far, worst)
    return sorted([*found, *smaller], key=lambda change: change.left)


def _smaller(
    day: DayPlan, works: Sequence[Work], outcome: Outcome, so_far: SoFar | None, worst: int
) -> Iterator[DayChange]:
    """Loads of half the size, of jobs whose loads die."""
    for index in sorted({each.job for each in outcome.breaks if each.kind == "dead"}):
        work, job = works[index], day.jobs[index]
        chosen = [load for load in work.plan.loads if load.number in job.numbers]
        halves = [half for load in chosen for half in (load.times(0.5), load.times(0.5))]
        if len(halves) > MOST_LOADS_A_DAY or (so_far and so_far.begun[index]):
            continue
        plan = work.plan.model_copy(
            update={"loads": [half.numbered(n) for n, half in enumerate(halves, start=1)]}
        )
        other = with_job(day, index, first_load=1, loads=len(halves))
        tried = [replace(work, plan=plan) if place == index else each for place, each in enumerate(works)]
        weight = _weight(play(other, tried, outcome.hours, so_far))
        if weight < worst:
            yield DayChange("smaller", index, halves[0].yield_l, day, weight)


# So many changes together at most: more is another day.
_MOST_CHANGES = 3


def nearest(
    first: Sequence[DayChange], works: Sequence[Work], outcome: Outcome, so_far: SoFar | None = None
) -> list[DayChange]:
    """The changes, one after another, by which nothing breaks any more; none where that takes more than a few.

    Args:
        first: the changes that are offered for the day.
        works: of each of its jobs.
        outcome: how it would go.
        so_far: what was begun of it.
    """
    taken: list[DayChange] = []
    offered = first
    while outcome.breaks and len(taken) < _MOST_CHANGES:
        best = next((change for change in offered if change.kind != "smaller"), None)
        if best is None:
            return []
        taken.append(best)
        outcome = play(best.day, works, outcome.hours, so_far)
        offered = changes(best.day, works, outcome, so_far) if len(taken) < _MOST_CHANGES else []
    return [] if outcome.breaks else taken


def _weight(outcome: Outcome) -> int:
    """How many loads something breaks for."""
    return sum(len(each.loads) for each in outcome.breaks)


def _candidates(
    day: DayPlan, works: Sequence[Work], outcome: Outcome
) -> Iterator[tuple[ChangeKind, int, float, DayPlan]]:
    broken = sorted({each.job for each in outcome.breaks})
    for index in broken:
        job = day.jobs[index]
        if not job.held_back:
            yield "hold-back", index, 1, with_job(day, index, held_back=True)
    for index in broken:
        for begins in _other_starts(day.jobs[index], outcome.hours[index]):
            yield "later", index, begins, with_job(day, index, begins_min=begins)
    for index in broken:
        if any(each.kind == "cold-joint" and each.job == index for each in outcome.breaks):
            yield "joints", index, 1, with_job(day, index, joints=True)
    for index in broken:
        if needed_min := _needed_life(day.jobs[index], works[index], outcome.jobs[index]):
            yield "retarder", index, needed_min, with_job(day, index, life_min=needed_min)
    for index in broken:
        job = day.jobs[index]
        another = next((mixer for mixer in range(1, MOST_MIXERS + 1) if mixer not in job.mixers), None)
        if another is not None:
            mixers = sorted([*job.mixers, another])
            yield "mixer", index, len(mixers), with_job(day, index, mixers=mixers)
    yield "hands", -1, day.hands + 1, day.model_copy(update={"hands": day.hands + 1})
    for index in broken:
        job = day.jobs[index]
        faster = round(1.5 * job.placing_m3_h, 3)
        yield "pace", index, faster, with_job(day, index, placing_m3_h=faster)
        if job.loads > 1:
            yield "fewer", index, (job.loads + 1) // 2, with_job(day, index, loads=(job.loads + 1) // 2)


# A retarder gives no more than so much (common practice, no source).
_RETARDER = 3.0


def _needed_life(job: DayJob, work: Work, loads: Sequence[DayLoad]) -> float | None:
    """The working life at 20 °C, min, with which no load of a job would die; None where none does, or no retarder would
    do.
    """
    shares = []
    for load in loads:
        if load.is_dead:
            life_min = life_of(job, work, load.hour)
            shares.append((load.placed_min - load.dead_min + life_min) / life_min)
    if not shares or max(shares) > _RETARDER:
        return None
    usual_min = job.life_min or work.plan.mix.life_min
    return 5.0 * math.ceil(usual_min * max(shares) / 5)


def _other_starts(job: DayJob, hours: Suits) -> Iterator[int]:
    """An hour later; the first hour of each better stretch of weather."""
    begins = {job.begins_min + _LATER_MIN}
    better = (
        index + 1
        for index, (before, after) in enumerate(pairwise(hours))
        if before.verdict == "no" and after.verdict != "no"
    )
    begins |= {60 * hour for hour in better}
    yield from sorted(begin for begin in begins if begin < DAY_ENDS_MIN and begin != job.begins_min)


def with_job(day: DayPlan, index: int, **changed: object) -> DayPlan:
    """The day with one of its jobs changed."""
    jobs = [job.model_copy(update=changed) if place == index else job for place, job in enumerate(day.jobs)]
    return day.model_copy(update={"jobs": jobs})
