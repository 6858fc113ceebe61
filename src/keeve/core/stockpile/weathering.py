"""Weather on a stockpile in the open: sun, wind and dry air take water out of it, rain puts some in."""

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import lru_cache

from keeve.core.rules.maturity import evaporation_rate
from keeve.core.weather import Air

# By how much the weather should have changed the free moisture of an open stockpile between two moments.
Weathered = Callable[[datetime, datetime], float]

# The layer that is dug from next, kg of dry sand over a square metre: the outer 200 mm. Its drained face loses a third
# of what open water would, and the sun warms it by so much. No night changes it by more. Estimates, no source.
_LAYER_KG_M2, _OF_OPEN_WATER, _SUN_C = 300.0, 0.33, 8.0
_MOST_DRYING, _MOST_WETTING = -0.02, 0.06
_COLDEST_C = -18.0


def moisture_change(hours: Sequence[Air]) -> float:
    """How the free moisture of an open stockpile changes in these hours, over dry mass: an estimate."""
    return _change(tuple(hours))


@lru_cache(maxsize=512)
def _change(hours: tuple[Air, ...]) -> float:
    water_kg_m2 = 0.0
    for air in hours:
        air_c = max(air.air_c, _COLDEST_C)
        lost = evaporation_rate(air_c + _SUN_C * air.sun_fraction, air_c, air.humidity_fraction, air.wind_kmh)
        water_kg_m2 += air.rain_mm - _OF_OPEN_WATER * lost.kg_m2_h
    return min(max(water_kg_m2 / _LAYER_KG_M2, _MOST_DRYING), _MOST_WETTING)
