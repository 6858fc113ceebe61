"""Load timeline: against a simulation written another way, and what holds whatever is simulated."""

from collections import defaultdict
from collections.abc import Iterator
from itertools import pairwise
from random import Random
from typing import Any

import pytest
import simpy

from keeve.core.rules.loads_timeline import (
    JobTimeline,
    LoadTimes,
    Piece,
    dead_loads,
    loads_timeline,
    placings,
    simulate,
)


def some_times(chance: Random) -> LoadTimes:
    return LoadTimes(
        charge_min=chance.uniform(1, 9),
        mix_min=chance.uniform(1, 9),
        rest_min=chance.choice([0, chance.uniform(0, 12)]),
        discharge_min=chance.uniform(0.5, 4),
        place_min=chance.uniform(2, 40),
        clean_min=chance.uniform(0.5, 6),
        life_min=chance.uniform(20, 90),
        first_water_min=chance.uniform(0, 1),
    )


def some_run(chance: Random, mixers: int, **more: Any) -> JobTimeline:
    loads = [some_times(chance) for _ in range(chance.randint(1, 14))]
    return JobTimeline(loads, range(1, mixers + 1), chance.uniform(0, 30), chance.uniform(5, 45), **more)


def by_simpy(run: JobTimeline) -> dict[tuple[int, str], tuple[float, float]]:
    """The same by processes that wait for each other (SimPy), written from the words of the rule."""
    world, told = simpy.Environment(), {}
    mixers = simpy.Resource(world, len(run.mixers))
    crew = simpy.PriorityResource(world, 1)

    def lasts(number: int, what: str, minutes: float) -> Iterator[Any]:
        begun = world.now
        yield world.timeout(minutes)
        told[number, what] = (begun, world.now)

    def load(number: int, times: LoadTimes) -> Iterator[Any]:
        yield world.timeout(run.start_min)
        with mixers.request() as mixer:
            yield mixer
            yield from lasts(number, "charge", times.charge_min)
            yield from lasts(number, "mix", times.mix_min)
            yield from lasts(number, "rest", times.rest_min)
            hands = crew.request(priority=number)
            yield hands
            yield from lasts(number, "discharge", times.discharge_min)
            world.process(place(number, times, hands))
            yield from lasts(number, "clean", times.clean_min)

    def place(number: int, times: LoadTimes, hands: Any) -> Iterator[Any]:
        yield from lasts(number, "place", times.place_min)
        crew.release(hands)

    for number, times in enumerate(run.loads, 1):
        world.process(load(number, times))
    world.run()
    return told


@pytest.mark.parametrize("seed", range(200))
def test_a_simulation_written_another_way_finds_the_same_times(seed: int) -> None:
    chance = Random(seed)
    run = some_run(chance, mixers=chance.randint(1, 4))
    (ours,) = simulate([run])
    theirs = by_simpy(run)
    for piece in ours:
        if piece.what != "wait":
            assert theirs.pop((piece.load, piece.what)) == pytest.approx((piece.from_min, piece.to_min))
    assert all(what == "rest" and begin == end for (_, what), (begin, end) in theirs.items())


def overlapping(pieces: list[tuple[float, float, int]], at: float) -> int:
    return sum(number for begin, end, number in pieces if begin < at - 1e-6 and at + 1e-6 < end)


@pytest.mark.parametrize("seed", range(150))
def test_nobody_is_in_two_places_and_every_load_takes_its_times(seed: int) -> None:
    chance = Random(seed)
    runs = [
        some_run(
            chance,
            mixers=chance.randint(1, 3),
            mixing_hands=chance.randint(0, 2),
            placing_hands=chance.randint(0, 3),
            held_back=chance.random() < 0.5,
        )
        for _ in range(chance.randint(1, 3))
    ]
    hands = chance.randint(3, 6)
    found = simulate(runs, hands)
    in_mixer: dict[int, list[tuple[float, float, int]]] = defaultdict(list)
    busy: list[tuple[float, float, int]] = []
    for run, pieces in zip(runs, found, strict=True):
        of_load: dict[int, dict[str, Piece]] = defaultdict(dict)
        for piece in pieces:
            of_load[piece.load][piece.what] = piece
        assert sorted(of_load) == list(range(1, len(run.loads) + 1))
        placed = [(piece.from_min, piece.to_min, 1) for pair in placings(pieces) for piece in pair]
        for number, parts in of_load.items():
            times = run.loads[number - 1]
            assert parts["charge"].from_min >= run.start_min
            for what in ("charge", "mix", "rest", "discharge", "clean", "place"):
                lasted = parts[what].to_min - parts[what].from_min if what in parts else 0.0
                assert lasted == pytest.approx(getattr(times, f"{what}_min"), abs=1e-6)
            out_at = parts["clean"].to_min
            in_mixer[parts["charge"].mixer].append((parts["charge"].from_min, out_at, 1))
            busy += [
                (parts["charge"].from_min, parts["mix"].to_min, run.mixing_hands),
                (parts["clean"].from_min, out_at, run.mixing_hands),
                (parts["discharge"].from_min, parts["place"].to_min, run.placing_hands),
            ]
        middles = [(begin + end) / 2 for begin, end, _ in placed]
        assert all(overlapping(placed, middle) == 1 for middle in middles)
    for each in in_mixer.values():
        assert all(overlapping(each, (begin + end) / 2) == 1 for begin, end, _ in each)
    moments = sorted({moment for begin, end, _ in busy for moment in (begin, end)})
    for begin, end in pairwise(moments):
        assert overlapping(busy, (begin + end) / 2) <= hands or end - begin < 1e-5


@pytest.mark.parametrize("seed", range(100))
def test_holding_loads_back_never_kills_one_that_lives_and_delays_no_placing_of_loads_alike(
    seed: int,
) -> None:
    chance = Random(seed)
    loads = [some_times(chance)] * chance.randint(1, 14)
    mixers = range(1, chance.randint(1, 3) + 1)
    at_once, held = JobTimeline(loads, mixers), JobTimeline(loads, mixers, held_back=True)
    (eager,), (late,) = simulate([at_once]), simulate([held])
    assert set(dead_loads(held, late)) <= set(dead_loads(at_once, eager))
    assert [place.to_min for _, place in placings(late)] == pytest.approx(
        [place.to_min for _, place in placings(eager)]
    )


def test_a_load_that_waits_dies_and_one_that_comes_late_is_a_cold_joint() -> None:
    # By hand: ready at 20, the crew is busy from 20 to 81 and from 81 to 142; life ends at 60, 60 and 122.
    slow = loads_timeline(
        loads=3, charge_min=10, mix_min=10, rest_min=0, discharge_min=1, clean_min=0,
        mixers=2, placing_m3_h=0.1, volume_m3=0.1, life_min=90,
    )  # fmt: skip
    assert slow.dead == [2, 3]
    assert slow.cold_joints == []
    # A load takes the mixer 70 min and is placed in 6: the joint lies open for 64.
    far = loads_timeline(
        loads=2, charge_min=30, mix_min=30, rest_min=5, discharge_min=2, clean_min=3,
        mixers=1, placing_m3_h=1, volume_m3=0.1, life_min=90,
    )  # fmt: skip
    assert (far.cold_joints, far.idle_min, far.dead) == ([2], pytest.approx(62.0), [])
