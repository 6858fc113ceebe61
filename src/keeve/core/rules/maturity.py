"""How far cement has hardened by its temperatures, and how fast fresh concrete and a screed dry."""

import math
from collections.abc import Iterator, Sequence
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Result,
    Strict,
    published,
    rule,
)
from keeve.core.rules.temperature import Celsius, speed_of_setting

_C1074 = published("ASTM C1074")
_REFERENCE_C = 20.0
Maturing = Literal["arrhenius", "nurse-saul"]


# Below that what is not hard yet freezes: nothing is promised of it. Common practice, no source.
FROZEN_C = -5.0


class Spell(Strict):
    """A length of time at a temperature: hours, °C."""

    hours: Dimension
    c: Celsius


def until(temperatures: Sequence[Spell], hours: float) -> list[Spell]:
    """The temperatures of the first so many hours; the last of them goes on.

    Args:
        temperatures: from the beginning on, at least one.
        hours: how long, h.
    """
    found, left = [], hours
    for number, spell in enumerate(temperatures, 1):
        lasts = left if number == len(temperatures) else min(spell.hours, left)
        if lasts > 0:
            found.append(Spell(hours=lasts, c=spell.c))
        left -= lasts
    return found


class EquivalentAge(Result):
    """The age at 20 °C that comes to the same, h."""

    hours_at_20c: float


@rule(
    "equivalent-age",
    formula=(
        "Arrhenius: Σ h·exp(E/R · (1/293.15 − 1/(T + 273.15))), nothing below −5 °C; "
        "Nurse-Saul: Σ h·max(0, T − datum)/(20 − datum)"
    ),
    math=(
        r"t_e = \sum \Delta t \, \exp\left[\frac{E}{R}\left(\frac{1}{293.15} - \frac{1}{T + 273.15}\right)\right]"
        r" \qquad t_e = \sum \Delta t \, \frac{\max(0, T - T_0)}{20 - T_0}"
    ),
    sources=[
        _C1074,
        published("Freiesleben Hansen and Pedersen: E = 33 500 J/mol, plus 1470 (20 − T) below 20 °C"),
    ],
    example=Example(
        given={
            "temperatures": [{"hours": 24, "c": 20}, {"hours": 24, "c": 10}],
            "method": "nurse-saul",
        },
        gives={"hours_at_20c": 36.0},
        origin="by hand: 24 · 20/20 + 24 · 10/20",
    ),
)
def equivalent_age(
    temperatures: Annotated[list[Spell], Field(max_length=10_000)],
    method: Maturing = "arrhenius",
    datum_c: Celsius = 0.0,
) -> EquivalentAge:
    """How old this concrete would be if it had stayed at 20 °C.

    Args:
        temperatures: hours at each temperature, one after another, h and °C.
        method: ``arrhenius``, or ``nurse-saul``, which is simpler and counts too much in the cold.
        datum_c: below it nothing is counted by ``nurse-saul``, °C.

    Returns:
        hours_at_20c.

    Raises:
        InputError: the datum is not below 20 °C.
    """
    if datum_c >= _REFERENCE_C:
        raise InputError("no_datum", "datum_c must be below 20. It is usually 0 or −10.", ["datum_c"])
    aged = math.fsum(spell.hours * speed(spell.c, method, datum_c) for spell in temperatures)
    return EquivalentAge(hours_at_20c=aged)


def speed(c: float, method: Maturing = "arrhenius", datum_c: float = 0.0) -> float:
    """How fast it ages at a temperature, over how fast at 20 °C; frozen it does not, whatever a formula says."""
    if method == "arrhenius":
        return speed_of_setting(c) if c >= FROZEN_C else 0.0
    return max(c - datum_c, 0.0) / (_REFERENCE_C - datum_c)


def hours_until_aged(temperatures: Sequence[Spell], ages_h: Sequence[float]) -> Iterator[float]:
    """After how many hours each of these equivalent ages is reached, infinity for never; the last temperature goes on.

    Args:
        temperatures: from the beginning on, at least one.
        ages_h: equivalent ages at 20 °C, rising, h.
    """
    spells = iter(temperatures)
    spell, passed, aged = next(spells), 0.0, 0.0
    left = spell.hours
    for age in ages_h:
        while aged + left * speed(spell.c) < age and (after := next(spells, None)) is not None:
            aged, passed = aged + left * speed(spell.c), passed + left
            spell, left = after, after.hours
        missing, goes_on = max(age - aged, 0.0), speed(spell.c)
        yield passed + (missing / goes_on if goes_on else math.inf if missing else 0.0)


class EarlyStrength(Result):
    """Strength over that at 28 days at 20 °C."""

    strength_fraction: float


Hardening = Literal["slow", "normal", "rapid"]
_HARDENING: dict[Hardening, float] = {"slow": 0.38, "normal": 0.25, "rapid": 0.20}
_DAYS_28_H = 28 * 24.0


@rule(
    "early-strength",
    formula="ratio = exp(s · (1 − √(28 / t))), t the equivalent age in days, s 0.20 rapid, 0.25 normal, 0.38 slow",
    math=r"\beta_{cc} = \exp\left[s \left(1 - \sqrt{28 / t_e}\right)\right]",
    sources=[published("EN 1992-1-1, 3.1.2, strength over time (from memory)")],
    example=Example(
        given={"hours_at_20c": 168, "hardening": "normal"},
        gives={"strength_fraction": 0.7788007830714049},
        origin="by hand: seven days, exp(0.25 · (1 − 2))",
    ),
)
def early_strength(hours_at_20c: Dimension, hardening: Hardening = "normal") -> EarlyStrength:
    """How much of its 28-day strength a concrete has at an equivalent age. An estimate: break a cube.

    Args:
        hours_at_20c: its equivalent age, h.
        hardening: how fast its cement hardens: ``rapid`` for class R and for high strength, ``normal``, ``slow``.

    Returns:
        strength_fraction, strength over that at 28 days at 20 °C.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    age = math.sqrt(_DAYS_28_H / hours_at_20c)
    return EarlyStrength(strength_fraction=math.exp(_HARDENING[hardening] * (1 - age)))


class EvaporationRate(Result):
    """Water lost by a fresh surface, kg/(m2 h), and what that asks for."""

    kg_m2_h: float
    verdict: Literal["low", "caution", "protect"]


_CAUTION, _PROTECT = 0.5, 1.0


@rule(
    "evaporation-rate",
    formula=(
        "the greater of 5·([T_c + 18]^2.5 − r·[T_a + 18]^2.5)·(V + 4)·10⁻⁶ and "
        "0.3116·(e_c − r·e_a)·(0.253 + 0.0597 V); caution from 0.5, protect from 1.0"
    ),
    math=(
        r"E = \max\left(5 \left[(T_c + 18)^{2.5} - r (T_a + 18)^{2.5}\right] (V + 4) \cdot 10^{-6}, \; "
        r"0.3116 \, (e_c - r e_a)(0.253 + 0.0597 V)\right)"
    ),
    sources=[
        published("Uno, ACI Materials Journal 1998"),
        published("Menzel 1954, the equation of the chart of ACI 305R, in kPa and km/h (from memory)"),
        published("ACI 305R: 0.5 and 1.0 kg/(m2 h)"),
    ],
    example=Example(
        given={"concrete_c": 30, "air_c": 30, "humidity_fraction": 0.4, "wind_kmh": 20},
        gives={"kg_m2_h": 1.1493056, "verdict": "protect"},
        origin="by hand: 48^2.5 = 2304 · 6.9282032 = 15 962.580; 5 · 0.6 · 15 962.580 · 24 · 10⁻⁶",
        relative_tolerance=1e-6,
    ),
)
def evaporation_rate(
    concrete_c: Celsius,
    air_c: Celsius,
    humidity_fraction: Annotated[float, Field(ge=0, le=1)],
    wind_kmh: Amount,
) -> EvaporationRate:
    """How fast a fresh surface dries. It cracks if it dries faster than it bleeds.

    The short formula was fitted to the nomograph. Past 35 °C it falls short of it by up to a fifth, so the equation of
    the nomograph is taken where that is more.

    Args:
        concrete_c: temperature of the concrete, °C.
        air_c: temperature of the air, °C.
        humidity_fraction: relative humidity.
        wind_kmh: wind, km/h.

    Returns:
        kg_m2_h, nothing where water would condense, and a verdict: ``low``, ``caution`` or ``protect``.

    Raises:
        InputError: a temperature below −18 °C, for which the formula says nothing.
    """
    if min(concrete_c, air_c) < -18:
        raise InputError(
            "too_cold",
            "air_c and concrete_c must be −18 or more. Nobody pours in that frost.",
            ["air_c"],
        )
    drawn = (concrete_c + 18) ** 2.5 - humidity_fraction * (air_c + 18) ** 2.5
    pressure_kpa = _saturated_kpa(concrete_c) - humidity_fraction * _saturated_kpa(air_c)
    by_nomograph = _MENZEL * pressure_kpa * (0.253 + 0.096 * wind_kmh / _KM_A_MILE)
    rate = max(5 * drawn * (wind_kmh + 4) * 1e-6, by_nomograph, 0.0)
    verdict: Literal["low", "caution", "protect"] = (
        "protect" if rate >= _PROTECT else "caution" if rate >= _CAUTION else "low"
    )
    return EvaporationRate(kg_m2_h=rate, verdict=verdict)


# 0.44 lb/(ft2 h) a psi, in kg/(m2 h) a kPa.
_MENZEL = 0.44 * 0.45359237 / 0.3048**2 / 6.894757
_KM_A_MILE = 1.609344


def _saturated_kpa(c: float) -> float:
    """The pressure of saturated vapour over water, kPa (Tetens, from memory)."""
    return 0.61078 * math.exp(17.27 * c / (c + 237.3))


class ScreedDrying(Result):
    """Days until a screed is dry enough to cover."""

    days: float


_FAST_MM, _DAYS_A_MM = 50.0, 2.0


@rule(
    "screed-drying",
    formula="1 mm a day to 50 mm, then 2 days a mm",
    math=r"d = \min(h, 50) + 2 \max(h - 50, 0)",
    sources=[published("BS 8203"), PRACTICE],
    example=Example(
        given={"thickness_mm": 75}, gives={"days": 100.0}, origin="by hand: 50 days and 25 mm at 2 days each"
    ),
)
def screed_drying(thickness_mm: Dimension) -> ScreedDrying:
    """How long a cement screed dries before you can floor it, in a dry, aired building. An estimate.

    Args:
        thickness_mm: of the screed, mm.

    Returns:
        days, from the end of its curing; a hygrometer has the last word.

    Raises:
        InputError: the thickness is nothing.
    """
    slow = max(thickness_mm - _FAST_MM, 0.0)
    return ScreedDrying(days=min(thickness_mm, _FAST_MM) + _DAYS_A_MM * slow)
