"""Sand and stone in the open, and the water they will leave for the tap."""

from keeve.core.stockpile.events import StockpileEvent, parse_stockpile_event
from keeve.core.stockpile.forecast import Forecast, expected_water, forecast

__all__ = ["Forecast", "StockpileEvent", "expected_water", "forecast", "parse_stockpile_event"]
