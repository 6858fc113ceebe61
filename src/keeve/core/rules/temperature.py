"""Temperature and time: what a mix comes to, how it is cooled, and how long it can be worked."""

import math
from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import PRACTICE, Amount, Dimension, Example, Result, published, rule
from keeve.core.tolerances import UNMEASURABLE

# Heat of a dry solid and of melting ice, over the heat of water: kcal/(kg K) and kcal/kg.
SOLID_HEAT = 0.22
_FUSION = 79.8
_ACI_305R = published("ACI 305R")
_SPEED_OF_SETTING = published(
    "Freiesleben Hansen and Pedersen: E = 33 500 J/mol, plus 1470 (20 − T) below 20 °C"
)
LiquidCelsius = Annotated[float, Field(ge=0, le=100)]
# What a mixer or a thermometer on a site can show, °C.
Celsius = Annotated[float, Field(ge=-40, le=100)]


class MixTemperature(Result):
    """Temperature of the fresh mix, °C."""

    mix_c: float


@rule(
    "mix-temperature",
    formula="[0.22(T_a·W_a + T_c·W_c) + T_w·W_w + T_a·W_wa − 79.8·W_i] / [0.22(W_a + W_c) + W_w + W_wa + W_i]",
    math=(
        r"T = \frac{0.22 (T_a W_a + T_c W_c) + T_w W_w + T_a W_{wa} - 79.8 W_i}"
        r"{0.22 (W_a + W_c) + W_w + W_{wa} + W_i}"
    ),
    sources=[_ACI_305R],
    example=Example(
        given={
            "aggregate_kg": 1800,
            "cement_kg": 350,
            "water_kg": 160,
            "aggregate_water_kg": 20,
            "ice_kg": 0,
            "aggregate_c": 32,
            "cement_c": 50,
            "water_c": 25,
        },
        gives={"mix_c": 32.40735068912711},
        origin="by hand: (0.22 · 75 100 + 4 000 + 640) / (0.22 · 2 150 + 180) = 21 162 / 653",
    ),
)
def mix_temperature(
    aggregate_kg: Amount,
    cement_kg: Amount,
    water_kg: Amount,
    aggregate_c: Celsius,
    cement_c: Celsius,
    water_c: LiquidCelsius,
    aggregate_water_kg: Amount = 0.0,
    ice_kg: Amount = 0.0,
) -> MixTemperature:
    """Temperature of a fresh mix from what goes into it.

    Args:
        aggregate_kg: oven-dry kg.
        cement_kg: binder, kg.
        water_kg: liquid water from the tap, kg, without the ice.
        aggregate_c: with the water in it, °C. Not frozen.
        cement_c: temperature of the binder, °C.
        water_c: temperature of the water, °C.
        aggregate_water_kg: water in the damp sand and stone, kg.
        ice_kg: loose ice that melts in the mix, kg.

    Returns:
        mix_c, °C.

    Raises:
        InputError: there is nothing in it, the aggregate is frozen, or ice would be left.
    """
    if aggregate_c < 0:
        raise InputError(
            "frozen", "aggregate_c is below 0. Thaw the pile. Never mix frozen sand.", ["aggregate_c"]
        )
    heat = SOLID_HEAT * (aggregate_kg + cement_kg) + water_kg + aggregate_water_kg + ice_kg
    if heat == 0:
        raise InputError(
            "nothing_in", "water_kg is 0 and so is everything else. Enter the masses.", ["water_kg"]
        )
    brought = (
        SOLID_HEAT * (aggregate_c * aggregate_kg + cement_c * cement_kg)
        + water_c * water_kg
        + aggregate_c * aggregate_water_kg
        - _FUSION * ice_kg
    )
    if brought < 0:
        raise InputError("ice_left", "ice_kg is too much: some would not melt. Use less.", ["ice_kg"])
    return MixTemperature(mix_c=brought / heat)


class CoolingPlan(Result):
    """How a mix comes to a temperature: water at °C, and ice in place of some of it, kg."""

    water_c: float
    ice_kg: float
    mix_c: float
    feasible: bool


# More ice than that in place of water no longer melts in the time it is mixed.
_MOST_ICE = 0.75


@rule(
    "cooling-plan",
    formula="the water as cool as it must be, down to min_water_c; then ice instead of up to 75 % of the water",
    math=(
        r"T_w = \frac{T \left[0.22 (W_a + W_c) + W_w + W_{wa}\right] - 0.22 (T_a W_a + T_c W_c) - T_a W_{wa}}{W_w}"
        r" \qquad W_i = \frac{Q - T D}{T_w + 79.8}"
    ),
    sources=[_ACI_305R],
    example=Example(
        given={
            "aggregate_kg": 1800,
            "cement_kg": 350,
            "water_kg": 160,
            "aggregate_water_kg": 20,
            "aggregate_c": 32,
            "cement_c": 50,
            "water_c": 25,
            "target_c": 30,
        },
        gives={"water_c": 15.175, "ice_kg": 0.0, "mix_c": 30.0, "feasible": True},
        origin="by hand: (30 · 653 − 16 522 − 640) / 160",
    ),
)
def cooling_plan(
    aggregate_kg: Amount,
    cement_kg: Amount,
    water_kg: Dimension,
    aggregate_c: Celsius,
    cement_c: Celsius,
    water_c: LiquidCelsius,
    target_c: Celsius,
    aggregate_water_kg: Amount = 0.0,
    min_water_c: LiquidCelsius = 5.0,
) -> CoolingPlan:
    """Cooler water, then ice, to bring a mix down to a temperature. Water and ice together stay the same.

    Judgement made here: ice comes only after the coldest water.
    Ice in sealed bags cools but doesn't count as water.

    Args:
        aggregate_kg: oven-dry kg.
        cement_kg: binder, kg.
        water_kg: all the tap water, kg. Ice replaces part of it.
        aggregate_c: with the water in it, °C.
        cement_c: temperature of the binder, °C.
        water_c: the water you have, °C.
        target_c: the temperature wanted, °C.
        aggregate_water_kg: water in the damp sand and stone, kg.
        min_water_c: the coldest water you can get, °C.

    Returns:
        water_c, ice_kg, the mix_c they give, and whether that is the target.

    Raises:
        InputError: the aggregate is frozen.
    """
    solids = {
        "aggregate_kg": aggregate_kg,
        "cement_kg": cement_kg,
        "aggregate_water_kg": aggregate_water_kg,
        "aggregate_c": aggregate_c,
        "cement_c": cement_c,
    }

    def comes_to(at_c: float, ice_kg: float) -> float:
        return mix_temperature(
            **solids, water_kg=water_kg - ice_kg, ice_kg=ice_kg, water_c=at_c
        ).mix_c  # fmt: skip

    as_it_is_c = comes_to(water_c, 0.0)
    if as_it_is_c <= target_c:
        return CoolingPlan(water_c=water_c, ice_kg=0.0, mix_c=as_it_is_c, feasible=True)
    heat = SOLID_HEAT * (aggregate_kg + cement_kg) + water_kg + aggregate_water_kg
    wanted_c = water_c - (as_it_is_c - target_c) * heat / water_kg
    coldest_c = min(min_water_c, water_c)
    if wanted_c >= coldest_c:
        return CoolingPlan(water_c=wanted_c, ice_kg=0.0, mix_c=target_c, feasible=True)
    too_warm = (comes_to(coldest_c, 0.0) - target_c) * heat
    ice_kg = min(too_warm / (coldest_c + _FUSION), _MOST_ICE * water_kg)
    mix_c = comes_to(coldest_c, ice_kg)
    return CoolingPlan(
        water_c=coldest_c, ice_kg=ice_kg, mix_c=mix_c, feasible=mix_c <= target_c + UNMEASURABLE
    )


_GAS, _ZERO_C = 8.314, 273.15
# J/mol, and more for each °C under 20.
_ACTIVATION, _COLD_ACTIVATION = 33500.0, 1470.0
_REFERENCE_C = 20.0


def speed_of_setting(mix_c: float) -> float:
    """How fast a cement sets and hardens at a temperature, over how fast at 20 °C (Arrhenius)."""
    activation = _ACTIVATION + _COLD_ACTIVATION * max(_REFERENCE_C - mix_c, 0.0)
    return math.exp(activation / _GAS * (1 / (_REFERENCE_C + _ZERO_C) - 1 / (mix_c + _ZERO_C)))


class WorkingLife(Result):
    """Working life from first water, min."""

    life_min: float


# Cold keeps a mix open, but it also dries, bleeds and is forgotten.
_LONGEST = 1.5


@rule(
    "working-life",
    formula="life at 20 °C / exp(E/R · (1/293.15 − 1/(T + 273.15))), never above 1.5 times the life at 20 °C",
    math=(
        r"L = \min\left(1.5 \, L_{20},\ L_{20} \Big/ \exp\left[\frac{E}{R}"
        r"\left(\frac{1}{293.15} - \frac{1}{T + 273.15}\right)\right]\right)"
    ),
    sources=[
        _SPEED_OF_SETTING,
        PRACTICE,
    ],
    example=Example(
        given={"life_min_at_20c": 120, "mix_c": 30},
        gives={"life_min": 76.2552},
        origin="by hand: 33 500 / 8.314 · (1/293.15 − 1/303.15) = 0.453406; 120 / e^0.453406",
        relative_tolerance=1e-6,
    ),
)
def working_life(life_min_at_20c: Dimension, mix_c: Celsius) -> WorkingLife:
    """Working time at the temperature of the mix.

    Args:
        life_min_at_20c: from first water, min.
        mix_c: temperature of the fresh mix, °C.

    Returns:
        life_min, at most one and a half times the life at 20 °C.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return WorkingLife(life_min=life_min_at_20c * min(1 / speed_of_setting(mix_c), _LONGEST))


class SlumpLater(Result):
    """Slump left after a time, mm, and when half of it is lost, min."""

    slump_mm: float
    half_lost_min: float


# Half of the slump is lost in so long at 20 °C, of plain concrete and of one that a water reducer made. An estimate,
# common practice, no source: a reducer's slump is gone within about an hour. The label and the site say better.
_HALF_LOST_MIN, _HALF_OF_A_REDUCER_MIN = 60.0, 30.0


@rule(
    "slump-retention",
    formula="slump · ½^(t / (half life at 20 °C · stretch / speed of setting))",
    math=r"s(t) = s_0 \cdot 2^{-t / h} \qquad h = h_{20} \cdot k \Big/ \exp\left[\frac{E}{R}"
    r"\left(\frac{1}{293.15} - \frac{1}{T + 273.15}\right)\right]",
    sources=[
        PRACTICE,
        _SPEED_OF_SETTING,
    ],
    example=Example(
        given={"slump_mm": 100, "minutes": 60, "mix_c": 20},
        gives={"slump_mm": 50.0, "half_lost_min": 60.0},
        origin="by hand: half of it is lost in an hour",
    ),
)
def slump_retention(
    slump_mm: Dimension,
    minutes: Amount,
    mix_c: Celsius,
    with_reducer: bool = False,
    stretch: Dimension = 1.0,
) -> SlumpLater:
    """Slump of a concrete some time after mixing. An estimate: try it with your own.

    Args:
        slump_mm: slump as mixed, mm.
        minutes: time since mixing, min.
        mix_c: temperature of the fresh mix, °C.
        with_reducer: whether a plasticiser or water reducer made the slump: it goes twice as fast.
        stretch: how much longer a retarder keeps it workable: its working time over the usual one.

    Returns:
        slump_mm left, half_lost_min.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    half_min = (
        (_HALF_OF_A_REDUCER_MIN if with_reducer else _HALF_LOST_MIN) * stretch / speed_of_setting(mix_c)
    )
    return SlumpLater(slump_mm=slump_mm * 0.5 ** (minutes / half_min), half_lost_min=half_min)
