"""A cast that dries: the weight it comes to, the day it will probably be there, and whether it is dry."""

from datetime import datetime, timedelta
from math import fsum
from typing import NamedTuple

from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import WeighedAt
from keeve.core.rules.gypsum_time import Weighing, plaster_dry_weight, plaster_drying
from keeve.core.rules.workings import Workings

# It stays at its weight: two weighings so long apart differ by less than that share. And it is no further over its
# computed dry weight than that, or it is only waiting in a damp room. Judgements made here.
_APART = timedelta(hours=20)
_STAYS_FRACTION = 0.002
_NEAR_FRACTION = 0.015
# So far under it, the scale or the powder is not what was thought.
_UNDER_FRACTION = 0.03


# So many standard deviations hold eight in ten; no day is known better than that, days.
_EIGHTY, _LEAST_BAND_DAYS = 1.2816, 0.5


class Drying(NamedTuple):
    """How a cast dries.

    Args:
        poured_at: when it was poured.
        wet_kg: what it weighed then, less what was trimmed off.
        dry_kg: what it comes to.
        done_fraction: how much of its water has left, of what has to; None before it was weighed.
        ready_at: when it will probably be dry; None before three weighings that fall.
        ready_days_sd: standard deviation of that, days.
        stays: whether it stays at its weight.
        is_dry: whether it may be used: it stays, near the weight it comes to.
        is_under: whether it weighs less than it can, so that something was not as thought.
        weighings: every weighing, in order.
    """

    poured_at: datetime
    wet_kg: float
    dry_kg: float
    done_fraction: float | None
    ready_at: datetime | None
    ready_days_sd: float | None
    stays: bool
    is_dry: bool
    is_under: bool
    weighings: tuple[WeighedAt, ...]

    @property
    def last_kg(self) -> float | None:
        """Its last weight."""
        return self.weighings[-1].kg if self.weighings else None

    @property
    def ready_days_band(self) -> float:
        """The 80 % band of the day it will be dry, days."""
        return max(_EIGHTY * (self.ready_days_sd or 0.0), _LEAST_BAND_DAYS)


def drying_of(
    state: LoadState, poured_at: datetime | None, made_l: float, workings: Workings
) -> Drying | None:
    """How the cast of a plaster load dries; None where nothing of it was placed.

    Args:
        state: its state.
        poured_at: when its clock started; None before.
        made_l: fresh mix that was made of it, L.
        workings: keeps the rules that are run.
    """
    plaster_kg = fsum(state.went_in_kg.values())
    if poured_at is None or state.placed_l <= 0 or plaster_kg <= 0 or made_l <= 0:
        return None
    placed = min(state.placed_l / made_l, 1.0)
    whole = workings.run(
        plaster_dry_weight, plaster_kg=plaster_kg * placed, water_kg=max(state.went_in_l, 0.0) * placed
    )
    left = max(1 - state.trimmed_kg / whole.wet_kg, 0.0)
    wet_kg, dry_kg = whole.wet_kg * left, whole.dry_kg * left
    if not state.weighings or dry_kg <= 0:
        return Drying(poured_at, wet_kg, dry_kg, None, None, None, False, False, False, ())
    first = state.weighings[0].at
    found = workings.run(
        plaster_drying,
        weighings=[
            Weighing(day=(one.at - first).total_seconds() / 86400, kg=one.kg) for one in state.weighings
        ],
        dry_kg=dry_kg,
    )
    last = state.weighings[-1]
    before = next((one for one in reversed(state.weighings) if last.at - one.at >= _APART), None)
    stays = before is not None and abs(before.kg - last.kg) <= _STAYS_FRACTION * last.kg
    return Drying(
        poured_at=poured_at,
        wet_kg=wet_kg,
        dry_kg=dry_kg,
        done_fraction=found.done_fraction,
        ready_at=None if found.ready_day is None else first + timedelta(days=found.ready_day),
        ready_days_sd=found.ready_day_sd,
        stays=stays,
        is_dry=stays and last.kg <= dry_kg * (1 + _NEAR_FRACTION),
        is_under=last.kg < dry_kg * (1 - _UNDER_FRACTION),
        weighings=state.weighings,
    )
