"""The working life of a load: from the start of its clock, at its own temperature."""

from datetime import datetime, timedelta
from typing import Literal, NamedTuple

from keeve.core.loads.load_state import LoadState
from keeve.core.loads.set_clock import SetClock
from keeve.core.planning.mix_temperature import estimated_mix_c
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.temperature import working_life
from keeve.core.rules.workings import Workings

# Not begun before its clock starts; then green, amber in its last quarter, red in its last tenth, and dead.
Stage = Literal["not-begun", "green", "amber", "red", "dead"]
_AMBER, _RED = 0.25, 0.10


class Life(NamedTuple):
    """The working life of a load.

    Args:
        life_min: from the start of its clock, min.
        began_at: when its clock started: at first water, or when powder and water met; None before.
        mix_c: the temperature it was counted at; None where nothing is known and 20 °C was taken.
        is_measured: whether it was measured in the mix, or computed from what goes in.
        amber_min: when little of it is left, min.
        red_min: when hardly any is, min.
    """

    life_min: float
    began_at: datetime | None
    mix_c: float | None
    is_measured: bool
    amber_min: float
    red_min: float

    @property
    def dead_at(self) -> datetime | None:
        """When it ends."""
        return self._after(self.life_min)

    @property
    def amber_at(self) -> datetime | None:
        """When little of it is left."""
        return self._after(self.amber_min)

    @property
    def red_at(self) -> datetime | None:
        """When hardly any is left."""
        return self._after(self.red_min)

    def _after(self, minutes: float) -> datetime | None:
        return self.began_at and self.began_at + timedelta(minutes=minutes)

    def stage(self, now: datetime) -> Stage:
        """How much of it is left at a moment."""
        if self.dead_at is None or self.amber_at is None or self.red_at is None:
            return "not-begun"
        if now >= self.dead_at:
            return "dead"
        if now >= self.red_at:
            return "red"
        return "amber" if now >= self.amber_at else "green"


def life_of(plan: Plan, load: Load, state: LoadState, workings: Workings) -> Life:
    """The working life of a load by its temperature and, through its plan, its admixtures.

    Judgement made here: a computed temperature may shorten the working life, never lengthen it.

    Args:
        plan: the plan.
        load: the load, its stockpile as it is expected to be.
        state: the load as it is.
        workings: keeps the rules that are run.
    """
    mix_c = state.mix_c
    if mix_c is None:
        mix_c = estimated_mix_c(plan.conditions, plan.binders, load, workings)
    life_min = plan.mix.life_min
    if mix_c is not None:
        own_min = workings.run(working_life, life_min_at_20c=life_min, mix_c=mix_c).life_min
        life_min = own_min if state.mix_c is not None else min(own_min, life_min)
    return _lasting(
        0.0, life_min, began_at=began_at(plan, load, state), mix_c=mix_c, is_measured=state.mix_c is not None
    )


def life_by_clock(clock: SetClock) -> Life:
    """The life of a load that a set clock runs: to the end of the window in which it is placed."""
    begins, ends = clock.window_min
    return _lasting(min(begins, ends), ends, began_at=clock.met_at, mix_c=None, is_measured=False)


def _lasting(
    begins_min: float, ends_min: float, *, began_at: datetime | None, mix_c: float | None, is_measured: bool
) -> Life:
    """A life that may be used from one minute to another: the last quarter of that is amber, the last tenth red."""
    usable_min = ends_min - begins_min
    amber_min, red_min = ends_min - _AMBER * usable_min, ends_min - _RED * usable_min
    return Life(ends_min, began_at, mix_c, is_measured, amber_min, red_min)


def began_at(plan: Plan, load: Load, state: LoadState) -> datetime | None:
    """The moment its clock started: first water, or, of a mix loaded wet, when water and binder were both in."""
    if plan.mix.regime_traits.starts_with_water and not (
        load.water.needs_none and state.first_water_at is None
    ):
        return state.first_water_at
    wet = {item.name for item in plan.materials if item.free_fraction > 0}
    binder_at = _first_at(state, set(plan.binders))
    wet_at = state.first_water_at or _first_at(state, wet)
    return max(binder_at, wet_at) if binder_at and wet_at else None


def _first_at(state: LoadState, materials: set[str]) -> datetime | None:
    """When the first of these materials went in."""
    return min((at for name, at in state.charged_at.items() if name in materials), default=None)
