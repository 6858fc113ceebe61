"""A season before the boathouse: a slipway slab with its cubes and a bad week, a boundary wall bed by bed. Invented."""

from collections.abc import Iterator
from datetime import datetime, time, timedelta
from math import exp
from random import Random
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.loads.running_load import RunningLoad
from keeve.core.planning.plan import Plan
from keeve.core.rules.strength import strength_law
from keeve.data import job_summaries, jobs, loads, plans, pours
from keeve.data.accounts import Visitor
from keeve.demo.jobs import BOUNDARY_WALL, SLIPWAY_SLAB
from keeve.demo.mixing import Remembered
from keeve.formats.job_file import read_job

# Days before today on which the slab was poured and on which the wall was bedded, and loads a day.
_POURED, _BEDDED = (54, 52, 47, 45, 40, 38, 33, 31, 28), (36, 34, 27, 26, 24, 22)
_POURED_A_DAY, _BEDDED_A_DAY = 5, 6
# In that week the hose was left to somebody new.
_BAD = (40, 38)
_BEGINS, _APART_MIN, _PAUSE_MIN = time(8, 20), 27, 41
_CUBE_MM = 150.0
_CUBE_AGES = (7, 28, 28)
_SPREAD_FRACTION = 0.06


def mix_season(engine: Engine, wren: Visitor, fen: Visitor, now: datetime) -> None:
    """Both jobs as they were mixed, with the cubes that have been tested by now."""
    chance = Random(1790)
    for job, mixed in ((SLIPWAY_SLAB, _slab), (BOUNDARY_WALL, _wall)):
        plan_id = plans.save_plan(engine, wren, read_job(job))
        saved = plans.saved_plan(engine, wren, plan_id)
        if saved is None:
            raise RuntimeError("the season's plan is gone")
        loads.keep_past(engine, wren, list(mixed(plan_id, saved.plan, (wren, fen), chance, now)))
        days = _POURED if job is SLIPWAY_SLAB else _BEDDED
        for ago in days:
            pours.stop_tracking(
                engine, wren, plan_id, now.astimezone(wren.zone).date() - timedelta(days=ago), now
            )
        job_summaries.close_job(engine, wren, plan_id, {}, now - timedelta(days=20))
        jobs.archive(engine, wren, plan_id, now - timedelta(days=19))


def _moments(
    days: tuple[int, ...], a_day: int, visitor: Visitor, now: datetime
) -> Iterator[tuple[int, int, datetime]]:
    """The day, the number and the time of each load."""
    today = now.astimezone(visitor.zone).date()
    for index in range(len(days) * a_day):
        day, turn = days[index // a_day], index % a_day
        begins = datetime.combine(today - timedelta(days=day), _BEGINS, visitor.zone)
        pause = _PAUSE_MIN if turn > a_day // 2 else 0
        yield day, index + 1, begins + timedelta(minutes=_APART_MIN * turn + pause)


def _slab(
    plan_id: UUID, plan: Plan, crew: tuple[Visitor, Visitor], chance: Random, now: datetime
) -> Iterator[RunningLoad]:
    wren, fen = crew
    for day, number, at in _moments(_POURED, _POURED_A_DAY, wren, now):
        is_bad = day in _BAD
        load = Remembered(fen if is_bad or number % 3 == 0 else wren, plan_id, plan, number, at)
        water = load.now.window
        # The sand dries a little from load to load; on a bad day the hose went on past the most it may have.
        needs_l = water.target_l - 0.55 + 0.12 * ((number - 1) % _POURED_A_DAY) + chance.gauss(0, 0.14)
        load.charge_and_mix()
        if is_bad:
            load.flood(times=chance.choice((1, 2, 2)))
        else:
            load.to_right(needs_l)
        load.test_fresh(slump_mm=round(chance.gauss(185 if is_bad else 85, 12)))
        load.place(after_min=16 + chance.random() * 6)
        load.came_out("poor" if is_bad and number % 2 else "usable" if is_bad else "good")
        if number % _POURED_A_DAY == 2:
            _test_cubes(load, f"S{number}", chance, now)
        yield load.running


def _test_cubes(load: Remembered, mark: str, chance: Random, now: datetime) -> None:
    """Three cubes of a load, broken when they are due; their strength by the law with what chance adds."""
    ratio = load.now.ratio or 0.6
    law = strength_law()
    made = load.make_cubes(mark, _CUBE_MM, _CUBE_AGES)
    mixed_at = load.at
    for number, age in enumerate(_CUBE_AGES, start=1):
        at = mixed_at + timedelta(days=age, hours=chance.uniform(-2, 3))
        if at > now - timedelta(days=1):
            continue  # they are due, and nobody has been to the press yet
        hardened = exp(law.gain * (1 - (28 / age) ** 0.5))
        mpa = 1.25 * law.base * exp(-law.slope * ratio) * hardened * chance.gauss(1, _SPREAD_FRACTION)
        load.break_cube(made, number, round(mpa * _CUBE_MM**2 / 1000, 0), at)


def _wall(
    plan_id: UUID, plan: Plan, crew: tuple[Visitor, Visitor], chance: Random, now: datetime
) -> Iterator[RunningLoad]:
    wren, fen = crew
    for _, number, at in _moments(_BEDDED, _BEDDED_A_DAY, wren, now):
        load = Remembered(fen if number % 2 else wren, plan_id, plan, number, at)
        water = load.now.window
        # Fen calls it right a little early.
        early_l = 0.3 if load.visitor is fen else 0.0
        drier_l = 0.1 * ((number - 1) % _BEDDED_A_DAY)
        needs_l = min(water.target_l - 0.4 + drier_l - early_l + chance.gauss(0, 0.12), water.ceiling_l - 0.1)
        load.charge_and_mix()
        load.to_right(needs_l)
        if number == 17:
            load.note("Rain on the pile before noon")
        load.place(after_min=21 + chance.random() * 14)
        load.came_out("usable" if early_l and chance.random() < 0.5 else "good")
        yield load.running
