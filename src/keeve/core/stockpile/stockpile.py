"""A stockpile as it is known."""

from dataclasses import dataclass

from keeve.core.mixes import materials
from keeve.core.stockpile.events import StockpileEvent, is_covered
from keeve.core.stockpile.forecast import Forecast, Observation


@dataclass(frozen=True)
class Stockpile:
    """A stockpile as it is known: its history, what happened to it, and what the next load would take (in the yard, one
    like the last).
    """

    id: str
    history: list[Observation]
    events: list[StockpileEvent]
    forecast: Forecast | None

    @property
    def is_covered(self) -> bool:
        """Whether its cover is on."""
        return is_covered(self.events)

    @property
    def name(self) -> str:
        """The name of its material."""
        return materials()[self.id].name
