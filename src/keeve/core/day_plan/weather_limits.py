"""Whether an hour will do for placing a mix: by its own limits, the frost before it hardens, rain, sun and wind."""

from collections.abc import Collection, Sequence
from math import fsum
from typing import Literal, NamedTuple

from keeve.core.mixes.model import Use
from keeve.core.planning.job import Conditions
from keeve.core.planning.mix_temperature import estimated_mix_c, heat_masses
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.maturity import evaporation_rate, speed
from keeve.core.rules.temperature import SOLID_HEAT, cooling_plan, working_life
from keeve.core.rules.workings import Workings
from keeve.core.weather import Air

Verdict = Literal["go", "care", "no"]
Why = Literal["cold", "hot", "mix-cold", "mix-hot", "frost", "rain", "heavy-rain", "drying", "thirsty"]

# Until it has hardened for so long at 20 °C, frost ruins it (ACI 306R: about 3.5 MPa, from memory); it is looked for so
# many hours ahead.
_SAFE_AGE_H, _FROST_AHEAD_H = 24.0, 72
# Rain that washes a fresh face, and rain in which nothing is placed, mm in an hour (common practice, no source).
_RAIN_MM, _HEAVY_MM = 0.4, 2.0
# It is to be dry for so long after placing (common practice, no source).
_DRY_FOR_H = 4
# What a fresh mix should come to, °C: ACI 305R and 306R, from memory.
_WARMEST_MIX_C, _COOLEST_MIX_C, _HOTTEST_WATER_C = 32.0, 7.0, 60.0
# Water from the main lies between the ground's and the air's (an estimate, no source), °C.
_GROUND_C, _OF_AIR = 9.0, 0.3
# The heap follows the air of the last hours; the sun on it makes it so much warmer (an estimate, no source), °C.
_HEAP_HOURS, _SUN_ON_HEAP_C = 6, 6.0
# In this sun a warm base drinks the water of what is laid on it (common practice, no source).
_HOT_BASE_C, _HOT_SUN = 22.0, 0.4
_FLAT: frozenset[Use] = frozenset({"lay floor", "top", "pour"})
_ON_BASE: frozenset[Use] = frozenset({"render", "plaster", "top", "lay floor", "bed", "point"})


class Reason(NamedTuple):
    """Why an hour is not simply good: what, how bad, and a figure that goes with it (°C, mm, kg/m2 h)."""

    why: Why
    verdict: Verdict
    figure: float
    remedy_c: float | None = None
    remedy_kg: float | None = None


class HourFor(NamedTuple):
    """An hour for a mix: its verdict with reasons, the temperature the mix comes to, its working life, min."""

    verdict: Verdict
    reasons: Sequence[Reason]
    mix_c: float | None
    life_min: float


def hour_for(
    plan: Plan,
    load: Load,
    temperature_c: tuple[float, float] | None,
    uses: Collection[Use],
    hours: Sequence[Air],
    index: int,
    *,
    indoors: bool = False,
) -> HourFor:
    """How an hour suits a load.

    Args:
        plan: its plan.
        load: the load.
        temperature_c: the air between which the mix may be placed, °C.
        uses: what it is used as.
        hours: the weather, hour by hour.
        index: the hour in question; hours before it warm the heap, those after it bring frost and rain.
        indoors: whether rain, sun and wind stay out.
    """
    now = hours[index]
    site = _site(plan.conditions, hours, index, indoors=indoors)
    mix_c = estimated_mix_c(site, plan.binders, load, Workings())
    life_min = plan.mix.life_min
    if mix_c is not None:
        life_min = min(working_life(life_min, mix_c).life_min, life_min)
    reasons = [*_of_air(now.air_c, temperature_c), *_of_mix(plan, load, site, mix_c)]
    if not indoors:
        reasons += _of_sky(uses, hours, index, mix_c)
    order: Sequence[Verdict] = ("no", "care", "go")
    verdict = next(
        each for each in order if each == "go" or any(reason.verdict == each for reason in reasons)
    )
    return HourFor(verdict, reasons, mix_c, life_min)


def _site(known: Conditions, hours: Sequence[Air], index: int, *, indoors: bool) -> Conditions:
    """The temperatures of the site at that hour; what was measured there for the job goes before."""
    now, lately = hours[index], hours[max(index - _HEAP_HOURS, 0) : index + 1]
    heap_c = fsum(hour.air_c for hour in lately) / len(lately)
    heap_c += 0.0 if indoors else _SUN_ON_HEAP_C * now.sun_fraction
    day_c = fsum(hour.air_c for hour in hours) / len(hours)
    water_c = (
        known.water_c if known.water_c is not None else max(_GROUND_C + _OF_AIR * (day_c - _GROUND_C), 2.0)
    )
    return Conditions(air_c=now.air_c, stockpile_c=heap_c, water_c=water_c)


def _of_air(air_c: float, temperature_c: tuple[float, float] | None) -> list[Reason]:
    if temperature_c is None:
        return []
    least, greatest = temperature_c
    if air_c < least:
        return [Reason("cold", "no", air_c)]
    return [Reason("hot", "no", air_c)] if air_c > greatest else []


def _of_mix(plan: Plan, load: Load, site: Conditions, mix_c: float | None) -> list[Reason]:
    """Cool or warm water, or ice, where the mix would come out too warm or too cold; plaster minds neither."""
    if mix_c is None or not plan.mix.regime_traits.water_in_steps or load.water.target_l <= 0:
        return []
    masses = heat_masses(plan.binders, load)
    if mix_c > _WARMEST_MIX_C:
        found = cooling_plan(
            **masses,
            aggregate_c=site.stockpile_c or 0.0,
            cement_c=site.air_c or 0.0,
            water_c=site.water_c or 0.0,
            target_c=_WARMEST_MIX_C,
        )
        return [
            Reason("mix-hot", "care" if found.feasible else "no", mix_c, found.water_c, found.ice_kg or None)
        ]
    if mix_c < _COOLEST_MIX_C:
        heat = SOLID_HEAT * (masses["aggregate_kg"] + masses["cement_kg"]) + masses["aggregate_water_kg"]
        heat += masses["water_kg"]
        needed_c = (site.water_c or 0.0) + (_COOLEST_MIX_C - mix_c) * heat / masses["water_kg"]
        return [
            Reason("mix-cold", "care" if needed_c <= _HOTTEST_WATER_C else "no", mix_c, min(needed_c, 100.0))
        ]
    return []


def _of_sky(uses: Collection[Use], hours: Sequence[Air], index: int, mix_c: float | None) -> list[Reason]:
    now, found = hours[index], []
    frost_c = _frost_before_safe(hours, index)
    if frost_c is not None:
        found.append(Reason("frost", "care", frost_c))
    rain_mm = max(hour.rain_mm for hour in hours[index : index + 1 + _DRY_FOR_H])
    if now.rain_mm >= _HEAVY_MM:
        found.append(Reason("heavy-rain", "no", now.rain_mm))
    elif rain_mm >= _RAIN_MM:
        found.append(Reason("rain", "care", rain_mm))
    if _FLAT & set(uses) and mix_c is not None:
        rate = evaporation_rate(mix_c, max(now.air_c, -18.0), now.humidity_fraction, now.wind_kmh)
        if rate.verdict == "protect":
            found.append(Reason("drying", "care", rate.kg_m2_h))
    if _ON_BASE & set(uses) and now.air_c >= _HOT_BASE_C and now.sun_fraction >= _HOT_SUN:
        found.append(Reason("thirsty", "care", now.air_c))
    return found


def _frost_before_safe(hours: Sequence[Air], index: int) -> float | None:
    """The coldest air below 0 °C before it has hardened so far that frost does nothing; None where there is none."""
    aged, coldest = 0.0, 0.0
    for hour in hours[index : index + _FROST_AHEAD_H]:
        if aged >= _SAFE_AGE_H:
            break
        aged += speed(hour.air_c)
        coldest = min(coldest, hour.air_c)
    return coldest if coldest < 0 else None
