"""Weather by the hour: what a forecast service is asked for, and a simulated one that ships with Keeve."""

import math
from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from random import Random
from typing import NamedTuple, Protocol

from keeve.core.weather import Air
from keeve.core.zones import MapPlace


class Hour(NamedTuple):
    """The weather of an hour from ``at`` on: air °C, relative humidity, wind km/h, share of full sun, rain mm."""

    at: datetime
    air_c: float
    humidity_fraction: float
    wind_kmh: float
    sun_fraction: float
    rain_mm: float

    @property
    def air(self) -> Air:
        """The same without its moment."""
        return Air(*self[1:])


class Weather(Protocol):
    """Who knows the weather, past and to come."""

    is_simulated: bool

    def hours(self, place: MapPlace, begin: datetime, hours: int) -> Sequence[Hour]:
        """The weather at a place, hour by hour.

        Args:
            place: where.
            begin: from the hour in which this moment lies.
            hours: how many.
        """

    def day_c(self, place: MapPlace, day: date) -> float:
        """The mean temperature of the air on a day there, °C."""


class SimulatedWeather:
    """Weather that is made up: plausible for the place and the season, the same whenever it is asked for.

    Every day has its own chance from place and date; neighbouring days hang together through a weighted sum of them, so
    that any stretch of hours can be had without those before. The figures of the climate are rough (an estimate, no
    source): a degree of latitude costs a third of a degree of mean air, and adds a seventh to the swing of the year.
    """

    is_simulated = True

    def hours(self, place: MapPlace, begin: datetime, hours: int) -> Sequence[Hour]:
        """The weather at a place, hour by hour."""
        first = begin.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
        return [_hour(place, first + timedelta(hours=index)) for index in range(hours)]

    def day_c(self, place: MapPlace, day: date) -> float:
        """The mean temperature of the air on a day there, °C."""
        noon = datetime.combine(day, time(12))
        return round(_usual_c(place.latitude_deg, noon) + _between_days(place, noon).warmer_c, 1)


class _Day(NamedTuple):
    """A day as a whole: how much warmer than usual (°C), how wet and how windy (standard figures)."""

    warmer_c: float
    wet: float
    windy: float


_WARMEST_DAY = 201  # of the year, in the north
# How much a day owes to itself and to those before it.
_WEIGHTS = (0.6, 0.5, 0.4, 0.35, 0.32)


def _hour(place: MapPlace, at: datetime) -> Hour:
    local = at + timedelta(hours=place.longitude_deg / 15)
    day = _between_days(place, local)
    height = _sun_height(place.latitude_deg, local)
    cloud = min(max(0.5 + 0.35 * day.wet, 0.0), 1.0)
    sun = max(math.sin(height), 0.0) * (1 - 0.8 * cloud)
    mean_c = _usual_c(place.latitude_deg, local) + day.warmer_c
    swing_c = 1.5 + 4.5 * (1 - cloud)
    air_c = mean_c + swing_c * math.sin(2 * math.pi * (_hour_of(local) - 9) / 24)
    dew_c = mean_c - swing_c * (0.6 if day.wet > 0 else 1.1) - 0.5
    humidity = min(_vapour(min(dew_c, air_c)) / _vapour(air_c), 1.0)
    gust = Random(f"{place}{at:%Y%m%d%H}")
    wind = max((9 + 5 * day.windy + 5 * sun) * gust.uniform(0.7, 1.3), 1.0)
    rain = gust.expovariate(0.9) if gust.random() < 0.45 * (day.wet - 0.5) else 0.0
    return Hour(at, round(air_c, 1), round(humidity, 2), round(wind, 1), round(sun, 2), round(rain, 1))


def _hour_of(moment: datetime) -> float:
    return moment.hour + moment.minute / 60


def _usual_c(latitude_deg: float, local: datetime) -> float:
    """The usual mean of that day of the year, °C."""
    turned = 1 if latitude_deg >= 0 else -1
    season = math.cos(2 * math.pi * (local.timetuple().tm_yday - _WARMEST_DAY) / 365.25)
    return 28 - 0.33 * abs(latitude_deg) + turned * 0.145 * abs(latitude_deg) * season


def _sun_height(latitude_deg: float, local: datetime) -> float:
    """How high the sun stands, radians (declination by Cooper 1969, from memory)."""
    tilt = math.radians(23.45) * math.sin(2 * math.pi * (284 + local.timetuple().tm_yday) / 365)
    latitude, turn = math.radians(latitude_deg), math.radians(15 * (_hour_of(local) - 12))
    return math.asin(
        math.sin(latitude) * math.sin(tilt) + math.cos(latitude) * math.cos(tilt) * math.cos(turn)
    )


def _vapour(c: float) -> float:
    """Pressure of saturated vapour, hPa (Magnus, from memory)."""
    return 6.112 * math.exp(17.62 * c / (243.12 + c))


def _between_days(place: MapPlace, local: datetime) -> _Day:
    """The state of the weather at an hour, between the middles of two days."""
    before = local - timedelta(hours=12)
    share = _hour_of(before) / 24
    one, other = _day(place, before.date()), _day(place, before.date() + timedelta(days=1))
    return _Day(*(a + (b - a) * share for a, b in zip(one, other, strict=True)))


@lru_cache(maxsize=2000)
def _day(place: MapPlace, day: date) -> _Day:
    drawn = [_chance(place, day - timedelta(days=back)) for back in range(len(_WEIGHTS))]
    warm, wet, windy = (
        sum(weight * each[which] for weight, each in zip(_WEIGHTS, drawn, strict=True)) for which in range(3)
    )
    return _Day(warmer_c=3.0 * warm, wet=wet, windy=0.5 * windy + 0.5 * wet)


@lru_cache(maxsize=2000)
def _chance(place: MapPlace, day: date) -> tuple[float, float, float]:
    drawn = Random(f"{place}{day}")
    return drawn.gauss(), drawn.gauss(), drawn.gauss()
