"""The clock of a plaster load as planned: what it is counted by, and the window in which it is placed."""

from collections.abc import Sequence
from math import fsum
from typing import Protocol

from keeve.core.mixes.regimes import Regime
from keeve.core.planning.job import Conditions
from keeve.core.rules.gypsum_time import PlasterClock, plaster_clock
from keeve.core.rules.workings import Workings

# Of a tap in a heated room, °C, where nobody measured.
_WATER_C = 20.0
# Where the steps do not say how long it is mixed, min.
_LEAST_MIXING_MIN = 0.5


class _TimedStep(Protocol):
    @property
    def kind(self) -> str: ...
    @property
    def minutes(self) -> tuple[float, float]: ...


def water_c_of(conditions: Conditions) -> float:
    """The temperature of the water, °C; of a tap where it was not measured."""
    return _WATER_C if conditions.water_c is None else conditions.water_c


def mixing_min(steps: Sequence[_TimedStep]) -> float:
    """How long the steps mix it, min."""
    return max(fsum(step.minutes[0] for step in steps if step.kind == "mix"), _LEAST_MIXING_MIN)


def clock_of(
    ratio: float,
    plaster_kg: float,
    steps: Sequence[_TimedStep],
    water_c: float,
    workings: Workings,
    age_factor: float = 1.0,
) -> PlasterClock:
    """The clock of a plaster load.

    Args:
        ratio: water over plaster by mass.
        plaster_kg: plaster in it, kg.
        steps: its procedure.
        water_c: temperature of its water, °C.
        workings: keeps the rule that is run.
        age_factor: how much slower its powder sets, as its own loads show.
    """
    return workings.run_for(
        "conditions",
        plaster_clock,
        water_per_100=ratio * 100,
        water_c=water_c,
        batch_kg=plaster_kg,
        mixing_min=mixing_min(steps),
        age_factor=age_factor,
    )


def window_of(regime: Regime, clock: PlasterClock) -> tuple[float, float] | None:
    """From when to when a load is placed, min after powder and water met; None where no set clock runs."""
    if regime.placed_in is None:
        return None
    first, last = regime.placed_in
    ends = next(stage.to_min for stage in clock.stages if stage.name == last)
    return clock.starts(first), ends if ends is not None else float("inf")
