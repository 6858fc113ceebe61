"""A stockpile as it is shown: its moisture load by load with what was predicted, and what comes next."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, NamedTuple

from keeve.core.rules.next_water import BAND_SD, Reset
from keeve.core.stockpile.stockpile import Stockpile


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


def moisture_history(stockpile: Stockpile) -> MoistureHistory | None:
    """The history of a stockpile and the prediction that follows from it; None where nothing was seen of it yet."""
    if stockpile.forecast is None:
        return None
    following = stockpile.forecast.water
    steps = list(enumerate(zip(stockpile.history, following.path, strict=True)))
    return MoistureHistory(
        predicted=[
            *(MoisturePoint(step.free_moisture_fraction, step.sd_fraction) for step in following.path),
            MoisturePoint(following.free_moisture_fraction, following.sd_fraction),
        ],
        seen=[
            SeenPoint(index, step.seen_fraction, not observed.past.was_mixed, is_slip=step.taken_as == "slip")
            for index, (observed, step) in steps
            if step.seen_fraction is not None
        ],
        changes=[
            ChangePoint(index, observed.past.reset or "untold", observed.at)
            for index, (observed, step) in steps
            if observed.past.reset or step.taken_as == "change"
        ],
    )
