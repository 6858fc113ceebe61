"""What is shown of casts after the pour: when they come out of the mould, how they dry, when they may be used."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from keeve.core.running.drying import Drying
from keeve.core.running.next_step import Situation
from keeve.core.running.state_parts import WeighedAt
from keeve.services.load_store import RunningLoad

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
        """What it weighed last."""
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


@dataclass(frozen=True)
class CastLine:
    """A cast on Today: its load, where it is, and how it dries; None while it is in its mould."""

    running: RunningLoad
    now: Situation
    drying: DryingFigures | None

    @property
    def id(self) -> UUID:
        """The id of its load."""
        return self.running.id


def cast_line(running: RunningLoad, now: Situation) -> CastLine:
    """A cast as Today shows it."""
    return CastLine(running, now, drying_of_load(running, now))


def drying_of_load(running: RunningLoad, now: Situation) -> DryingFigures | None:
    """How the cast of a load dries; None before it is out of its mould."""
    if now.drying is None or running.state.stripped_at is None:
        return None
    return drying_figures(now.drying, now.life.began_at or running.begun_at)
