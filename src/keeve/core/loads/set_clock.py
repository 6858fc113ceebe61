"""The set clock of a running plaster load: estimated, refined by the crew's own loads, re-timed by what is seen."""

import math
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.errors import InputError
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import SettingHistory
from keeve.core.planning.plan import Load, Plan
from keeve.core.planning.set_clock import clock_of, water_c_of, window_of
from keeve.core.rules.gypsum_time import (
    HOTTEST_WATER_C,
    SIGHTS,
    SLOWEST,
    PlasterClock,
    Sight,
    age_factor_of,
    plaster_stages,
)
from keeve.core.rules.workings import Workings

# Recorded clocks differ by minutes: standard deviation of a setting over its estimate, before anything was seen of
# this powder; of one load beside another of the same bag; and of what is left once a sight was told. Judgements made
# here, common practice, no source.
_PRIOR, _LOAD, _SEEN = 0.15, 0.07, 0.05


class StageAt(NamedTuple):
    """A stage of the setting: from when to when, min after powder and water met (None: open)."""

    name: str
    from_min: float
    to_min: float | None


class SetClock(NamedTuple):
    """The set clock of a load.

    Args:
        met_at: when powder and water met; None before.
        stages: the stages of the pour, in order.
        build: the stages of building up with it, in order.
        window_min: from when to when it is placed, min after powder and water met.
        factor: how much slower it goes than the reference clock.
        spread_fraction: standard deviation of that, over itself.
        seen: the last sight that re-timed it; None where it is only estimated.
        setting: what the crew's own loads say of the powder; None where there are none.
        water_c: the temperature of the water it is counted by, °C.
        age_months: the age of its powder it is counted by; None where that is not known, or own loads say it better.
    """

    met_at: datetime | None
    stages: tuple[StageAt, ...]
    build: tuple[StageAt, ...]
    window_min: tuple[float, float]
    factor: float
    spread_fraction: float
    seen: Sight | None
    setting: SettingHistory | None
    water_c: float
    age_months: float | None

    def at(self, minutes: float) -> datetime | None:
        """The moment so many minutes after powder and water met; None before."""
        return self.met_at and self.met_at + timedelta(minutes=minutes)

    def starts_at(self, stage: str) -> datetime | None:
        """When a stage of the pour begins."""
        return self.at(next(item.from_min for item in self.stages if item.name == stage))

    def elapsed_min(self, now: datetime) -> float | None:
        """Minutes since powder and water met; None before."""
        return None if self.met_at is None else (now - self.met_at).total_seconds() / 60

    def stage(self, now: datetime, *, build: bool) -> str | None:
        """The stage at a moment, of the pour or of building up; None before the first."""
        elapsed = self.elapsed_min(now)
        stages = self.build if build else self.stages
        return None if elapsed is None else next(
            (item.name for item in reversed(stages) if item.from_min <= elapsed), None
        )  # fmt: skip


def set_clock(
    plan: Plan, load: Load, state: LoadState, met_at: datetime | None, workings: Workings
) -> SetClock | None:
    """The set clock of a load; None where it is not run by one.

    Args:
        plan: its plan.
        load: the load as planned.
        state: its state.
        met_at: when powder and water met; None before.
        workings: keeps the rules that are run.
    """
    if plan.mix.regime_traits.placed_in is None:
        return None
    age = state.setting.age_factor if state.setting else age_factor_of(plan.materials[0].age_months)
    clock = _estimated(plan, load, state, age, workings)
    spread = state.setting.spread_fraction if state.setting else _spread(0)
    seen = next((item for item in reversed(state.seen) if met_at is not None and item.at > met_at), None)
    if seen and met_at:
        seen_min = (seen.at - met_at).total_seconds() / 60
        factor = seen_min / SIGHTS[seen.sight]
        clock = _estimated(plan, load, state, min(age * factor / clock.factor, SLOWEST), workings)
        clock, spread = _poured_from(clock, seen_min), _SEEN
    mixed_min = clock.starts("stand")
    return SetClock(
        met_at=met_at,
        stages=tuple(StageAt(one.name, one.from_min, one.to_min) for one in clock.stages),
        build=tuple(
            StageAt(one.name, one.from_min, one.to_min)
            for one in workings.run(plaster_stages, factor=clock.factor, mixed_min=mixed_min).stages
        ),
        window_min=window_of(plan.mix.regime_traits, clock) or (0.0, 0.0),
        factor=clock.factor,
        spread_fraction=spread,
        seen=seen.sight if seen else None,
        setting=state.setting,
        water_c=_water_c(plan, state),
        age_months=None if state.setting else plan.materials[0].age_months,
    )


def _poured_from(clock: PlasterClock, seen_min: float) -> PlasterClock:
    """A clock that was re-timed: what was seen can be poured then, however long it was to be mixed by the plan."""
    begins = min(clock.starts("pour"), seen_min)
    pour = next(index for index, one in enumerate(clock.stages) if one.name == "pour")
    stages = []
    for index, one in enumerate(clock.stages):
        if index < pour:
            # What came before it was over by then.
            ends = begins if one.name == "stand" or one.to_min is None else min(one.to_min, begins)
            one = one.model_copy(update={"from_min": min(one.from_min, begins), "to_min": ends})
        elif index == pour:
            one = one.model_copy(update={"from_min": begins})
        stages.append(one)
    return clock.model_copy(update={"stages": stages})


def _water_c(plan: Plan, state: LoadState) -> float:
    return water_c_of(plan.conditions) if state.water_c is None else state.water_c


def _estimated(
    plan: Plan, load: Load, state: LoadState, age_factor: float, workings: Workings
) -> PlasterClock:
    """The clock by ratio, water, size and mixing, of what is really in it."""
    plaster_kg = state.went_in_kg.get(load.charges[0].material, 0.0) or load.binder_kg
    ratio = load.water.target_l / load.binder_kg
    # Hotter than anybody can tell is counted as that hot.
    water_c = min(_water_c(plan, state), HOTTEST_WATER_C)
    return clock_of(ratio, plaster_kg, plan.procedure, water_c, workings, age_factor)


def observed_age(plan: Plan, load: Load, state: LoadState, met_at: datetime | None) -> float | None:
    """How much slower a load set than is estimated of fresh powder, by its first sight; None where none was told."""
    seen = next((item for item in state.seen if met_at and item.at > met_at), None)
    if seen is None or met_at is None:
        return None
    try:
        estimated = _estimated(plan, load, state, 1.0, Workings()).factor
    except InputError:
        return None
    return (seen.at - met_at).total_seconds() / 60 / SIGHTS[seen.sight] / estimated


def learnt(ages: Sequence[float]) -> SettingHistory | None:
    """The lesson of past loads of a powder for the next one; None where there are none.

    The logarithm of how much slower it sets is taken as normal: each load draws the estimate from the reference clock
    towards what was seen, the first ones most.

    Args:
        ages: how much slower each load set than was estimated, oldest first.
    """
    if not ages:
        return None
    off = [math.log(age) for age in ages]
    errors = [abs(off[number] - _expected(off[:number])) for number in range(len(off))]
    half = max(len(errors) // 2, 1)
    return SettingHistory(
        age_factor=min(math.exp(_expected(off)), SLOWEST),
        spread_fraction=_spread(len(off)),
        loads=len(off),
        error_before_fraction=math.fsum(errors[:half]) / half,
        error_lately_fraction=math.fsum(errors[-half:]) / half,
    )


def _expected(off: Sequence[float]) -> float:
    """The mean of the next one's logarithm: the prior is one of no difference."""
    return math.fsum(off) / (len(off) + (_LOAD / _PRIOR) ** 2) if off else 0.0


def _spread(loads: int) -> float:
    """The standard deviation of the next load's logarithm after so many."""
    return math.sqrt(1 / (1 / _PRIOR**2 + loads / _LOAD**2) + _LOAD**2)
