"""A timeline of loads: who waits, which loads expire, where cold joints form."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from math import fsum
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from keeve.core.rules.registry import PRACTICE, Amount, Dimension, Example, Result, Strict, rule
from keeve.core.tolerances import ROUNDING

What = Literal["charge", "mix", "rest", "wait", "discharge", "clean", "place"]
# Every load has these, so that its times can be read.
_ALWAYS: frozenset[What] = frozenset({"charge", "discharge", "place"})
# More are no day, and take seconds to line up.
_MOST_IN_LINE = 1000
Count = Annotated[int, Field(ge=1, le=_MOST_IN_LINE)]
# More than that stand beside no job on site.
MOST_MIXERS = 12
Mixers = Annotated[int, Field(ge=1, le=MOST_MIXERS)]
Hands = Annotated[int, Field(ge=0, le=100)]


class Piece(NamedTuple):
    """What is done with a load, from when to when, min, and in which mixer (from 1)."""

    load: int
    what: What
    from_min: float
    to_min: float
    mixer: int


class TimelineEvent(Strict):
    """The same, as the rule gives it."""

    load: int
    what: What
    from_min: float
    to_min: float
    mixer: int


class Timeline(Result):
    """The loads against time, the idle minutes of those who place, cold joints and dead loads by load number."""

    events: list[TimelineEvent]
    idle_min: float
    cold_joints: list[int]
    dead: list[int]


@dataclass(frozen=True)
class LoadTimes:
    """How long each part of a load takes, min; ``first_water_min`` after its charging began; its working life."""

    charge_min: float
    mix_min: float
    rest_min: float
    discharge_min: float
    place_min: float
    clean_min: float
    life_min: float
    first_water_min: float = 0.0

    @property
    def ready_after_min(self) -> float:
        """From the beginning of charging until it may be placed."""
        return self.charge_min + self.mix_min + self.rest_min


@dataclass(frozen=True)
class JobTimeline:
    """Loads of one job, placed one after another in one place.

    Args:
        loads: how long the parts of each take.
        mixers: which mixers it may use, from 1.
        start_min: nothing of it begins before.
        cold_joint_min: a longer gap between two placings is a cold joint.
        mixing_hands: people a load keeps busy while it is charged, mixed and its mixer cleaned.
        placing_hands: people it keeps busy while it is discharged and placed.
        held_back: charging waits so that a load is ready when its turn to be placed comes, not before.
        charged_from: when the first of its loads were charged that are under way already and not placed yet, min.
    """

    loads: Sequence[LoadTimes]
    mixers: Sequence[int]
    start_min: float = 0.0
    cold_joint_min: float = 45.0
    mixing_hands: int = 0
    placing_hands: int = 0
    held_back: bool = False
    charged_from: Sequence[float] = ()

    def has_hands(self, hands: int | None) -> bool:
        """Whether so many people are ever enough for it."""
        return hands is None or max(self.mixing_hands, self.placing_hands) <= hands


@dataclass
class _Load:
    """A load on its way: where it is, since when, and until when what is done with it lasts."""

    run: int
    number: int
    times: LoadTimes
    mixer: int
    charged_from: float
    at: What = "charge"
    since: float = 0.0
    until: float | None = None  # None: it waits for people
    placed_to: float | None = None


@dataclass
class _Site:
    """The site at a moment: hands, loads on their way, what was done; a mixer is free when no load is in it."""

    runs: Sequence[JobTimeline]
    hands: int | None
    begun: list[int]
    under_way: list[_Load] = field(default_factory=list)
    busy: list[tuple[float, int]] = field(default_factory=list)  # hands, until when
    placing: dict[int, float] = field(default_factory=dict)  # of a run, until when
    done: list[list[Piece]] = field(default_factory=list)

    def free_hands(self, now: float) -> int | None:
        """Hands that do nothing now; None where they are not counted."""
        if self.hands is None:
            return None
        return self.hands - sum(number for until, number in self.busy if until > now + ROUNDING)

    def note(self, load: _Load, what: What, begin: float, end: float) -> None:
        """Write down what was done with a load; what takes no time and tells nothing is left out."""
        if end > begin + ROUNDING or what in _ALWAYS:
            self.done[load.run].append(Piece(load.number, what, begin, end, load.mixer))


def simulate(
    runs: Sequence[JobTimeline], hands: int | None = None, now_min: float = 0.0
) -> list[list[Piece]]:
    """What is done when, for each run; of loads under way what is left from now on.

    Judgements made here: whoever is free first places what is ready, the oldest load first; then cleans; then charges
    the next load, of the run that comes first in the list. Nobody leaves what was begun. A load is placed as one, by
    people who take it from the mixer. Mixer and people are taken as soon as they are free.

    Args:
        runs: the runs, the one that goes first first.
        hands: how many people there are; None where nobody waits for want of people.
        now_min: from when on, where loads are under way, min.

    Returns:
        For each run its events, in the order in which they begin; loads that find no hands at all are left out.
    """
    site = _Site(runs, hands, [len(run.charged_from) for run in runs], done=[[] for _ in runs])
    now: float | None = min((run.start_min for run in runs), default=None)
    for index, run in enumerate(runs):
        for number, begun in enumerate(run.charged_from):
            times, mixer = run.loads[number], run.mixers[number % len(run.mixers)]
            load = _Load(index, number + 1, times, mixer, begun, since=begun, until=begun + times.charge_min)
            site.under_way.append(load)
            site.busy.append((begun + times.charge_min + times.mix_min, run.mixing_hands))
            now = now_min
    while now is not None:
        wakes = _step(site, now)
        now = min(wakes, default=None)
    return [sorted(events, key=lambda event: (event.from_min, event.load)) for events in site.done]


def _step(site: _Site, now: float) -> list[float]:
    """Begin all that can begin now; the moments at which something more may."""
    _move_on(site, now)
    waiting = [load for load in site.under_way if load.at == "wait"]
    for load in sorted(waiting, key=lambda load: (load.charged_from, load.run)):
        if site.placing.get(load.run, now) <= now + ROUNDING:
            _place(site, load, now)
    for load in [load for load in site.under_way if load.at == "clean" and load.until is None]:
        if _takes_hands(site, site.runs[load.run].mixing_hands, now, load.times.clean_min):
            load.since, load.until = now, now + load.times.clean_min
    waking = [_charge(site, index, run, now) for index, run in enumerate(site.runs)]
    waking += [load.until for load in site.under_way]
    waking += [until for until, _ in site.busy]
    waking += site.placing.values()
    return [moment for moment in waking if moment is not None and moment > now + ROUNDING]


def _move_on(site: _Site, now: float) -> None:
    """What has lasted its time is over, and what follows it by itself begins."""
    order: dict[What, What] = {"charge": "mix", "mix": "rest", "rest": "wait"}
    for load in list(site.under_way):
        while load.until is not None and load.until <= now + ROUNDING:
            site.note(load, load.at, load.since, load.until)
            ended = load.until
            if load.at == "clean":
                site.under_way.remove(load)
                break
            load.at, load.since = order.get(load.at, "clean"), ended
            lasts = {"mix": load.times.mix_min, "rest": load.times.rest_min}
            load.until = ended + lasts[load.at] if load.at in lasts else None


def _place(site: _Site, load: _Load, now: float) -> None:
    times, needed = load.times, site.runs[load.run].placing_hands
    if not _takes_hands(site, needed, now, times.discharge_min + times.place_min):
        return
    site.note(load, "wait", load.since, now)
    load.at, load.since, load.until = "discharge", now, now + times.discharge_min
    load.placed_to = load.until + times.place_min
    site.placing[load.run] = load.placed_to
    site.note(load, "place", load.until, load.placed_to)


def _charge(site: _Site, index: int, run: JobTimeline, now: float) -> float | None:
    """Begin to charge what mixers and people allow; when to look again, where that is not when something ends."""
    taken = {load.mixer for load in site.under_way}
    if not run.has_hands(site.hands):
        return None
    while site.begun[index] < len(run.loads):
        mixer = next((mixer for mixer in run.mixers if mixer not in taken), None)
        if mixer is None:
            return None
        times = run.loads[site.begun[index]]
        not_before = run.start_min
        if run.held_back:
            not_before = max(not_before, _turn(site, index, now) - times.ready_after_min)
        if not_before > now + ROUNDING:
            return not_before
        if not _takes_hands(site, run.mixing_hands, now, times.charge_min + times.mix_min):
            return None
        site.begun[index] += 1
        taken.add(mixer)
        load = _Load(index, site.begun[index], times, mixer, now, since=now, until=now + times.charge_min)
        site.under_way.append(load)
    return None


def _turn(site: _Site, index: int, now: float) -> float:
    """When a load of the run that is charged now will have its turn to be placed."""
    turn = max(site.placing.get(index, now), now)
    ahead = [load for load in site.under_way if load.run == index and load.placed_to is None]
    for load in sorted(ahead, key=lambda load: load.charged_from):
        ready = max(turn, load.charged_from + load.times.ready_after_min)
        turn = ready + load.times.discharge_min + load.times.place_min
    return turn


def _takes_hands(site: _Site, needed: int, now: float, minutes: float) -> bool:
    """Whether so many are free; they are busy from now on for so long."""
    free = site.free_hands(now)
    if free is None or needed == 0:
        return True
    if needed > free:
        return False
    site.busy = [(until, number) for until, number in site.busy if until > now + ROUNDING]
    site.busy.append((now + minutes, needed))
    return True


def placings(events: Sequence[Piece]) -> list[tuple[Piece, Piece]]:
    """The discharge and the placing of each load, in the order in which they are placed."""
    by_load = {(event.load, event.what): event for event in events}
    placed = sorted((event for event in events if event.what == "place"), key=lambda event: event.from_min)
    return [(by_load[event.load, "discharge"], event) for event in placed]


def cold_joints(events: Sequence[Piece], cold_joint_min: float) -> list[int]:
    """The loads before which the last one had lain longer than that."""
    pairs = placings(events)
    return [
        place.load
        for (_, before), (_, place) in pairwise(pairs)
        if place.from_min - before.to_min > cold_joint_min + ROUNDING
    ]


def idle_min(events: Sequence[Piece]) -> float:
    """How long those who place wait, from the first load until the last is placed, min."""
    pairs = placings(events)
    waits = ((discharge.from_min - before.to_min) for (_, before), (discharge, _) in pairwise(pairs))
    return fsum(max(wait, 0.0) for wait in waits)


def dead_loads(run: JobTimeline, events: Sequence[Piece]) -> list[int]:
    """The loads whose placing ends past their working life."""
    begun = {event.load: event.from_min for event in events if event.what == "charge"}
    return [
        place.load
        for _, place in placings(events)
        if place.to_min > die_at_min(run.loads[place.load - 1], begun[place.load]) + ROUNDING
    ]


def die_at_min(times: LoadTimes, charged_from_min: float) -> float:
    """When the working life of a load is over, min."""
    return charged_from_min + times.first_water_min + times.life_min


@rule(
    "loads-timeline",
    formula=(
        "each load: charge, mix, rest, wait for the crew, discharge, place; its mixer is free after cleaning; dead: "
        "placed later than life after first water; cold joint: more than cold_joint_min between two placings"
    ),
    math=(
        r"d_i = \max(r_i, p_{i-1}) \qquad p_i = d_i + t_{discharge} + \frac{60 V}{q} "
        r"\qquad \text{dead: } p_i > w_i + L \qquad \text{cold joint: } d_i + t_{discharge} - p_{i-1} > J"
    ),
    sources=[PRACTICE],
    example=Example(
        given={
            "loads": 3,
            "charge_min": 4,
            "mix_min": 5,
            "rest_min": 0,
            "discharge_min": 1,
            "clean_min": 2,
            "mixers": 1,
            "placing_m3_h": 0.3,
            "volume_m3": 0.1,
            "life_min": 60,
        },
        gives={"idle_min": 0.0, "cold_joints": [], "dead": []},
        origin=(
            "by hand: the first is placed from 10 to 30 and its mixer clean at 12; the second is ready at 21 and waits "
            "until 30, is placed by 51, 39 after its first water at 12; the third begins at 33 and is placed by 72"
        ),
    ),
)
def loads_timeline(
    loads: Count,
    charge_min: Amount,
    mix_min: Amount,
    rest_min: Amount,
    discharge_min: Amount,
    clean_min: Amount,
    mixers: Mixers,
    placing_m3_h: Dimension,
    volume_m3: Dimension,
    life_min: Dimension,
    cold_joint_min: Amount = 45.0,
    start: Amount = 0.0,
    first_water_min: Amount = 0.0,
    held_back: bool = False,
) -> Timeline:
    """A timeline of loads for one job: equal mixers, one placing crew.

    Args:
        loads: how many.
        charge_min: filling the mixer, min.
        mix_min: mixing, min.
        rest_min: resting before it can be placed, min.
        discharge_min: emptying the mixer, min. Takes the crew.
        clean_min: cleaning the mixer before its next load, min.
        mixers: how many.
        placing_m3_h: what the crew places per hour, m3.
        volume_m3: of each load, m3.
        life_min: from first water, min.
        cold_joint_min: longest gap that still bonds, min.
        start: when the first load starts, min.
        first_water_min: when the first water goes in after charging began, min.
        held_back: start each load just in time for placing.

    Returns:
        events in the order in which they begin, min; idle_min of the crew between its first and its last load;
        cold_joints, the loads before which it went cold; dead, the loads placed past their life.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    times = LoadTimes(
        charge_min=charge_min,
        mix_min=mix_min,
        rest_min=rest_min,
        discharge_min=discharge_min,
        place_min=60 * volume_m3 / placing_m3_h,
        clean_min=clean_min,
        life_min=life_min,
        first_water_min=first_water_min,
    )
    run = JobTimeline([times] * loads, range(1, mixers + 1), start, cold_joint_min, held_back=held_back)
    (events,) = simulate([run])
    return Timeline(
        events=[TimelineEvent(**event._asdict()) for event in events],
        idle_min=idle_min(events),
        cold_joints=cold_joints(events, cold_joint_min),
        dead=dead_loads(run, events),
    )
