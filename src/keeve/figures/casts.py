"""Casts after the pour: when they come out of the mould, how they dry, when they may be used."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from keeve.core.loads.drying import Drying
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.loads.state_parts import WeighedAt

_EIGHTY = 1.2816
# No day is known better than that, days.
_LEAST_BAND_DAYS = 0.5


@dataclass(frozen=True)
class DryingFigures:
    """The figures of a drying cast: weights in kg, when it was poured, when it is expected dry, 80 % band in days."""

    poured_at: datetime
    wet_kg: float
    dry_kg: float
    done_fraction: float | None
    ready_at: datetime | None
    ready_days_band: float
    is_dry: bool
    stays: bool
    is_under: bool
    weighings: Sequence[WeighedAt]

    @property
    def last_kg(self) -> float | None:
        """Its last weight."""
        return self.weighings[-1].kg if self.weighings else None


def drying_figures(drying: Drying, poured_at: datetime) -> DryingFigures:
    """The figures of a drying cast."""
    return DryingFigures(
        poured_at=poured_at,
        wet_kg=drying.wet_kg,
        dry_kg=drying.dry_kg,
        done_fraction=drying.done_fraction,
        ready_at=drying.ready_at,
        ready_days_band=max(_EIGHTY * (drying.ready_days_sd or 0.0), _LEAST_BAND_DAYS),
        is_dry=drying.is_dry,
        stays=drying.stays,
        is_under=drying.is_under,
        weighings=drying.weighings,
    )


def drying_of_load(state: LoadState, begun_at: datetime, now: Situation) -> DryingFigures | None:
    """How the cast of a load dries; None before it is out of its mould."""
    if now.drying is None or state.stripped_at is None:
        return None
    return drying_figures(now.drying, now.life.began_at or begun_at)
