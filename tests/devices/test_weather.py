"""The simulated weather: plausible for its place and season, and the same whenever it is asked for."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise
from statistics import correlation, mean

import pytest

from keeve.core.zones import zones
from keeve.devices.weather import Hour, SimulatedWeather

YEAR = datetime(2026, 1, 1, tzinfo=UTC)


def a_year(zone: str) -> list[Hour]:
    return list(SimulatedWeather().hours(zones()[zone], YEAR, 365 * 24))


def test_any_stretch_of_it_is_the_same_whenever_it_is_asked_for() -> None:
    place, weather = zones()["Europe/London"], SimulatedWeather()
    whole = weather.hours(place, YEAR, 500)
    assert weather.hours(place, YEAR + timedelta(hours=77, minutes=20), 100) == whole[77:177]
    assert weather.hours(zones()["Europe/Paris"], YEAR, 500) != whole


# Means of January and July, °C, of places near a sea: climate tables, from memory, rounded.
@pytest.mark.parametrize(
    ("zone", "january_c", "july_c"),
    [
        ("Europe/London", 5, 18),
        ("Australia/Sydney", 23, 13),
        ("America/Los_Angeles", 14, 21),
        ("Asia/Singapore", 27, 28),
    ],
)
def test_it_is_as_warm_as_the_season_within_a_few_degrees(zone: str, january_c: float, july_c: float) -> None:
    year = a_year(zone)
    for month, usual_c in ((1, january_c), (7, july_c)):
        assert mean(hour.air_c for hour in year if hour.at.month == month) == pytest.approx(usual_c, abs=6)


@pytest.mark.parametrize("zone", ["Europe/London", "Australia/Sydney", "America/Anchorage", "Asia/Singapore"])
def test_its_figures_can_be(zone: str) -> None:
    year = a_year(zone)
    for hour in year:
        assert -50 < hour.air_c < 50
        assert 0.05 < hour.humidity_fraction <= 1
        assert 1 <= hour.wind_kmh < 90
        assert 0 <= hour.sun_fraction <= 1
        assert 0 <= hour.rain_mm < 20
    assert 0.02 < mean(hour.rain_mm > 0 for hour in year) < 0.25
    assert all(abs(one.air_c - other.air_c) < 4 for one, other in pairwise(year))


def test_days_hang_together_and_the_afternoon_is_warmer() -> None:
    year = a_year("Europe/London")
    days = [mean(hour.air_c for hour in year[day * 24 : day * 24 + 24]) for day in range(365)]
    swings = [year[day * 24 + 15].air_c - year[day * 24 + 3].air_c for day in range(365)]
    assert correlation(days[:-1], days[1:]) > 0.7
    assert mean(swings) > 3
    assert all(hour.sun_fraction == 0 for hour in year if hour.at.hour in (0, 1, 23))
