"""What a stockpile shows: its moisture load by load with what was predicted, and what comes next."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.rules.next_water import BAND_SD, NextWater, Reset
from keeve.core.stockpile.forecast import Observation
from keeve.data import loads, stockpiles
from keeve.data.accounts import Visitor
from keeve.data.stockpiles import Stockpile
from keeve.devices.weather import Weather


class MoisturePoint(NamedTuple):
    """Free moisture predicted for a moment, and its standard deviation; fractions."""

    mean: float
    sd: float

    @property
    def low(self) -> float:
        """The low end of its 80 % range."""
        return self.mean - BAND_SD * self.sd

    @property
    def high(self) -> float:
        """The high end of its 80 % range."""
        return self.mean + BAND_SD * self.sd


class SeenPoint(NamedTuple):
    """Free moisture that was seen: by a load, or by a dried pan; a fraction. A slip hardly counts, or not at all."""

    position: int
    moisture: float
    by_pan: bool
    is_slip: bool


class ChangePoint(NamedTuple):
    """A change of the stockpile before the moment of that index; ``untold`` where only the loads show it."""

    position: int
    what: Reset | Literal["untold"]
    at: datetime


@dataclass(frozen=True)
class MoistureHistory:
    """The history of a stockpile: predictions (the last is the next load's), sights and changes."""

    predicted: Sequence[MoisturePoint]
    seen: Sequence[SeenPoint]
    changes: Sequence[ChangePoint]

    @property
    def top(self) -> float:
        """The greatest moisture in it."""
        return max(
            [
                *(point.mean + point.sd for point in self.predicted),
                *(point.moisture for point in self.seen if not point.is_slip),
            ]
        )


def moisture_history(history: Sequence[Observation], following: NextWater) -> MoistureHistory:
    """The history of a stockpile and the prediction that follows from it."""
    return MoistureHistory(
        predicted=[
            *(MoisturePoint(step.free_moisture_fraction, step.sd_fraction) for step in following.path),
            MoisturePoint(following.free_moisture_fraction, following.sd_fraction),
        ],
        seen=[
            SeenPoint(index, step.seen_fraction, not observed.past.was_mixed, is_slip=step.taken_as == "slip")
            for index, (observed, step) in enumerate(zip(history, following.path, strict=True))
            if step.seen_fraction is not None
        ],
        changes=[
            ChangePoint(index, observed.past.reset or "untold", observed.at)
            for index, (observed, step) in enumerate(zip(history, following.path, strict=True))
            if observed.past.reset or step.taken_as == "change"
        ],
    )


def stockpile_history(stockpile: Stockpile) -> MoistureHistory | None:
    """The history of a stockpile; None where nothing was seen of it yet."""
    return moisture_history(stockpile.history, stockpile.forecast.water) if stockpile.forecast else None


class StockpileLine(NamedTuple):
    """A stockpile and its history; None where nothing was seen of it yet."""

    stockpile: Stockpile
    history: MoistureHistory | None


def stockpile_of_load(
    engine: Engine, visitor: Visitor, load_id: UUID, now: datetime, weather: Weather | None = None
) -> StockpileLine | None:
    """The stockpile of a load as it is known before its water; None where there is none."""
    running = loads.running_load(engine, visitor, load_id)
    stockpile = stockpiles.stockpile_before(engine, visitor, running, now, weather) if running else None
    return None if stockpile is None else StockpileLine(stockpile, stockpile_history(stockpile))
