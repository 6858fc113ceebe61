"""The weather of an hour, as far as the work needs it."""

from typing import NamedTuple


class Air(NamedTuple):
    """The weather of an hour: °C, relative humidity, km/h, share of full sun, mm of rain."""

    air_c: float
    humidity_fraction: float
    wind_kmh: float
    sun_fraction: float
    rain_mm: float
