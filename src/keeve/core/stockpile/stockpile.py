"""A stockpile as it is known."""

from dataclasses import dataclass

from keeve.core.mixes import materials
from keeve.core.stockpile.events import LabReported, Part, StockpileEvent, dug_from, is_covered
from keeve.core.stockpile.forecast import Forecast, Observation


@dataclass(frozen=True)
class Stockpile:
    """A stockpile as it is known: its history, what happened to it, and what the next load would take (in the yard, one
    like the last). ``report`` is the last of a laboratory, None without one.
    """

    id: str
    history: list[Observation]
    events: list[StockpileEvent]
    forecast: Forecast | None
    report: LabReported | None = None

    @property
    def is_covered(self) -> bool:
        """Whether its cover is on."""
        return is_covered(self.events)

    @property
    def is_drifting(self) -> bool:
        """Whether the loads after the next are worth telling: it goes on drying or getting wetter from load to load."""
        return self.forecast is not None and self.forecast.because.kind in ("drying", "wetter")

    @property
    def dug_from(self) -> Part:
        """The part of it that is dug."""
        return dug_from(self.events)

    @property
    def name(self) -> str:
        """The name of its material."""
        return materials()[self.id].name
