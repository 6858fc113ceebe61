"""Gypsum plaster: its ratio, what makes a volume, what a bucket makes, the water it binds, how dense it dries.

Water here has the density of its temperature: plaster is weighed, and its ratio is by mass.
"""

import math
from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    MASS_BALANCE,
    PRACTICE,
    Dimension,
    Example,
    Result,
    RuleWarning,
    Source,
    published,
    rule,
)
from keeve.core.rules.temperature import LiquidCelsius

LITRES_PER_US_QUART = 0.946352946
KG_PER_POUND = 0.45359237
# Hemihydrate plaster, and the gypsum crystal it becomes, kg/m3. Handbook figures, from memory.
POWDER_KG_M3 = 2630.0
_CRYSTAL_KG_M3 = 2320.0
# Water that a mass of pure hemihydrate binds: one and a half molecules each. Also the least that sets it.
COMBINED_FRACTION = 0.1862
_LEAST_PER_100 = 100 * COMBINED_FRACTION
# Water to 100 of plaster that nobody casts: there a ratio was read the wrong way round, or measured by equal volumes.
_THIN_PER_100, _REVERSED_PER_100, _WATERY_PER_100 = 95.0, 125.0, 200.0
# Set plaster grows about two thousandths; much more was never measured.
_EXPANSION, _CLAIMED_EXPANSION = 0.002, 0.005
# A claimed yield off by less is how a jug is filled.
_YIELD_FRACTION = 0.03

_CHEMISTRY = Source(text="CaSO4·½H2O + 1½ H2O → CaSO4·2H2O, by molar masses", kind="derived")
_WATER_DENSITY = published("density of water by temperature, Kell's form")
WaterPer100 = Dimension


def water_density_kg_m3(water_c: float) -> float:
    """The density of water at a temperature in °C, kg/m3."""
    return 1000 * (1 - (water_c + 288.9414) * (water_c - 3.9863) ** 2 / (508929.2 * (water_c + 68.12963)))


def _volume_of_a_kg(water_per_100: float, powder_density_kg_m3: float, water_c: float) -> float:
    """The slurry of a kilogram of plaster, m3."""
    return 1 / powder_density_kg_m3 + water_per_100 / 100 / water_density_kg_m3(water_c)


def _refuse_too_dry(water_per_100: float, field: str) -> None:
    if water_per_100 < _LEAST_PER_100:
        raise InputError(
            "cannot_set",
            f"{field} is {water_per_100:.1f} water per 100 plaster. "
            f"Under {_LEAST_PER_100:.1f} it can't all set. Use more water.",
            [field],
        )


class PlasterCharge(Result):
    """What makes a volume of slurry: plaster and water, kg; the water also in L."""

    plaster_kg: float
    water_kg: float
    water_l: float


@rule(
    "plaster-charge",
    formula="V = m·(1/ρ_p + (c/100)/ρ_w); water = m·c/100",
    math=(
        r"m = \frac{V}{\dfrac{1}{\rho_p} + \dfrac{c}{100\,\rho_w}} "
        r"\qquad m_w = \frac{c}{100}\,m"
    ),
    sources=[MASS_BALANCE, _WATER_DENSITY],
    example=Example(
        given={"volume_m3": 0.001, "water_per_100": 70},
        gives={"plaster_kg": 0.9243, "water_kg": 0.6470, "water_l": 0.6482},
        origin="by hand: 1 / (0.38023 + 0.70126) L a kg, water 998.2 kg/m3 at 20 °C",
        relative_tolerance=5e-4,
    ),
)
def plaster_charge(
    volume_m3: Dimension,
    water_per_100: WaterPer100,
    powder_density_kg_m3: Dimension = POWDER_KG_M3,
    water_c: LiquidCelsius = 20.0,
) -> PlasterCharge:
    """Plaster and water for the volume of a cast.

    Args:
        volume_m3: volume to fill, m3.
        water_per_100: water per 100 plaster, by weight.
        powder_density_kg_m3: particle density of the plaster, kg/m3.
        water_c: temperature of the water, °C.

    Returns:
        plaster_kg, water_kg (kg) and water_l (L).

    Raises:
        InputError: so little water that the plaster cannot all set.
    """
    _refuse_too_dry(water_per_100, "water_per_100")
    plaster_kg = volume_m3 / _volume_of_a_kg(water_per_100, powder_density_kg_m3, water_c)
    water_kg = plaster_kg * water_per_100 / 100
    return PlasterCharge(
        plaster_kg=plaster_kg, water_kg=water_kg, water_l=water_kg / water_density_kg_m3(water_c) * 1000
    )


class PlasterRatio(Result):
    """A ratio of plaster in the ways it is told: by mass, pounds a US quart, kilograms a litre."""

    water_per_100: float
    plaster_lb_per_us_qt: float
    plaster_kg_per_l: float


@rule(
    "plaster-ratio",
    formula="c = 100·water/plaster",
    math=r"c = 100 \, \frac{m_w}{m_p} \qquad r = \frac{m_p}{m_w / \rho_w}",
    sources=[MASS_BALANCE, _WATER_DENSITY],
    example=Example(
        given={"plaster_kg": 1, "water_kg": 0.7},
        gives={"water_per_100": 70.0, "plaster_lb_per_us_qt": 2.975, "plaster_kg_per_l": 1.426},
        origin="by hand: a US quart of water weighs 2.0826 lb at 20 °C",
        relative_tolerance=5e-4,
    ),
)
def plaster_ratio(plaster_kg: Dimension, water_kg: Dimension) -> PlasterRatio:
    """A plaster ratio in all its usual forms.

    Args:
        plaster_kg: plaster, kg.
        water_kg: water, kg.

    Returns:
        water_per_100 (water to 100 of plaster by mass), plaster_lb_per_us_qt (lb to a US quart of water) and
        plaster_kg_per_l (kg to a litre of water at 20 °C).

    Raises:
        InputError: so little water that the plaster cannot all set.
    """
    per_100 = 100 * water_kg / plaster_kg
    _refuse_too_dry(per_100, "water_kg")
    kg_per_l = plaster_kg / water_kg * water_density_kg_m3(20.0) / 1000
    return PlasterRatio(
        water_per_100=per_100,
        plaster_kg_per_l=kg_per_l,
        plaster_lb_per_us_qt=kg_per_l * LITRES_PER_US_QUART / KG_PER_POUND,
        warnings=_unlikely(per_100),
    )


def _unlikely(per_100: float) -> list[RuleWarning]:
    """What was probably meant by a ratio that nobody casts."""
    if per_100 < _THIN_PER_100:
        return []
    told = f"{per_100:.0f} water per 100 plaster"
    if per_100 < _REVERSED_PER_100:
        code, message = "equal_volumes", f"{told} is far too thin to cast. Equal volumes are 111 to 133."
        suggestion = "Weigh both: 65 to 70 water per 100 plaster."
    elif per_100 <= _WATERY_PER_100:
        code, message = "reversed", f"{told} looks like {1e4 / per_100:.0f} per 100 the wrong way round."
        suggestion = f"More plaster than water, by weight: {1e4 / per_100:.0f} water per 100 plaster."
    else:
        code, message = "too_thin", f"{told} sets soft as chalk, if at all."
        suggestion = "Weigh both: 65 to 70 water per 100 plaster."
    return [RuleWarning(code=code, message=message, field="water_kg", suggestion=suggestion)]


class PlasterYield(Result):
    """The slurry of a batch, L: the volume of the cast."""

    slurry_l: float


@rule(
    "plaster-yield",
    formula="V = m_p/ρ_p + m_w/ρ_w",
    math=r"V = \frac{m_p}{\rho_p} + \frac{m_w}{\rho_w}",
    sources=[MASS_BALANCE, _WATER_DENSITY],
    example=Example(
        given={"plaster_kg": 1.36077711, "water_kg": 0.944652},
        gives={"slurry_l": 1.46376},
        origin="by hand: 3 lb and a US quart of water make 0.5174 + 0.9464 L, that is 89.3 in³",
        relative_tolerance=1e-4,
    ),
)
def plaster_yield(
    plaster_kg: Dimension, water_kg: Dimension, claimed_l: Dimension | None = None
) -> PlasterYield:
    """How much a batch of plaster makes.

    Args:
        plaster_kg: plaster, kg.
        water_kg: water, kg.
        claimed_l: the yield a label or rule of thumb gives, L.

    Returns:
        slurry_l, L.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    slurry_l = (plaster_kg / POWDER_KG_M3 + water_kg / water_density_kg_m3(20.0)) * 1000
    warnings = []
    if claimed_l is not None and abs(claimed_l / slurry_l - 1) > _YIELD_FRACTION:
        short = 1 - claimed_l / slurry_l
        what = f"{abs(short):.0%} {'under' if short > 0 else 'over'}"
        warnings.append(
            RuleWarning(
                code="hidden_waste" if short > 0 else "short_yield",
                message=f"The stated yield is {what} what these weights make.",
                field="claimed_l",
                suggestion="It already includes waste. Use the true volume and add your own."
                if short > 0
                else "Use the true volume, or the mould comes up short.",
            )
        )
    return PlasterYield(slurry_l=slurry_l, warnings=warnings)


class PlasterCombinedWater(Result):
    """Water that plaster binds as it sets, and what it weighs then, dry, kg."""

    water_kg: float
    set_mass_kg: float


@rule(
    "plaster-combined-water",
    formula="water = 0.1862·purity·m",
    math=r"m_b = 0.1862 \, p \, m",
    sources=[_CHEMISTRY],
    example=Example(
        given={"plaster_kg": 10},
        gives={"water_kg": 1.862, "set_mass_kg": 11.862},
        origin="by hand: 1.5 · 18.015 / 145.15 = 0.1862",
    ),
)
def plaster_combined_water(
    plaster_kg: Dimension, purity_fraction: Annotated[float, Field(gt=0, le=1)] = 1.0
) -> PlasterCombinedWater:
    """Water that plaster uses up as it sets.

    Args:
        plaster_kg: plaster, kg.
        purity_fraction: share that is pure plaster.

    Returns:
        water_kg and set_mass_kg, kg.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    water_kg = COMBINED_FRACTION * purity_fraction * plaster_kg
    return PlasterCombinedWater(water_kg=water_kg, set_mass_kg=plaster_kg + water_kg)


class PlasterDensity(Result):
    """A dry cast: its density, kg/m3, the share of it that is pores, and how its surface takes a nail."""

    dry_density_kg_m3: float
    pore_fraction: float
    hardness: str


# By pores: a judgement made here, in the words of the trade.
_HARDNESS = ((0.48, "hard"), (0.55, "firm"), (0.62, "soft"), (1.0, "very soft"))


@rule(
    "plaster-density",
    formula="ρ = m·1.1862/V; pores = 1 − ρ/2320",
    math=(
        r"\rho = \frac{1 + 0.1862}{\dfrac{1}{\rho_p} + \dfrac{c}{100\,\rho_w}} "
        r"\qquad p = 1 - \frac{\rho}{2320}"
    ),
    sources=[_CHEMISTRY, MASS_BALANCE],
    example=Example(
        given={"water_per_100": 70},
        gives={"dry_density_kg_m3": 1096.8, "pore_fraction": 0.5272, "hardness": "firm"},
        origin="by hand: 1.1862 kg in 1.08149 L",
        relative_tolerance=5e-4,
    ),
)
def plaster_density(water_per_100: WaterPer100) -> PlasterDensity:
    """How dense and hard a ratio dries.

    Args:
        water_per_100: water per 100 plaster, by weight.

    Returns:
        dry_density_kg_m3 (kg/m3), pore_fraction and hardness (hard, firm, soft, very soft: a judgement by pores).

    Raises:
        InputError: so little water that the plaster cannot all set.
    """
    _refuse_too_dry(water_per_100, "water_per_100")
    density = (1 + COMBINED_FRACTION) / _volume_of_a_kg(water_per_100, POWDER_KG_M3, 20.0)
    pores = 1 - density / _CRYSTAL_KG_M3
    hardness = next(words for most, words in _HARDNESS if pores <= most)
    return PlasterDensity(dry_density_kg_m3=density, pore_fraction=pores, hardness=hardness)


class PlasterExpansion(Result):
    """How much a cast grows as it sets, mm."""

    growth_mm: float


@rule(
    "plaster-expansion",
    formula="growth = 0.002·length",
    math=r"\Delta = 0.002 \, l",
    sources=[published("ASTM C28 and C472")],
    example=Example(
        given={"length_mm": 600}, gives={"growth_mm": 1.2}, origin="by hand: two thousandths of 600 mm"
    ),
)
def plaster_expansion(
    length_mm: Dimension, expansion_fraction: Annotated[float, Field(ge=0, lt=0.1)] = _EXPANSION
) -> PlasterExpansion:
    """How much a cast expands as it sets.

    Args:
        length_mm: length, mm.
        expansion_fraction: linear expansion; about 0.002.

    Returns:
        growth_mm, mm.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    warnings = []
    if expansion_fraction >= _CLAIMED_EXPANSION:
        warnings.append(
            RuleWarning(
                code="expansion_claim",
                message=f"An expansion of {expansion_fraction:.1%} is entered, but plaster grows about 0.2 %.",
                field="expansion_fraction",
                suggestion="Use 0.2 %.",
                meant={"expansion_fraction": _EXPANSION},
            )
        )
    return PlasterExpansion(growth_mm=length_mm * expansion_fraction, warnings=warnings)


class PlasterVesselFill(Result):
    """What a bucket filled so far with water makes: water and slurry, L; plaster, kg."""

    water_l: float
    plaster_kg: float
    slurry_l: float


@rule(
    "plaster-vessel-fill",
    formula="water = fill·π·d²·h/4",
    math=r"V_w = f \, \frac{\pi d^{2} h}{4}",
    sources=[MASS_BALANCE, PRACTICE],
    example=Example(
        given={
            "bucket_diameter_m": 0.28,
            "bucket_height_m": 0.3,
            "water_fill_fraction": 0.3,
            "water_per_100": 75,
        },
        gives={"water_l": 5.54177, "plaster_kg": 7.3757, "slurry_l": 8.3463},
        origin="by hand: 0.3 of 18.4726 L; 5.5318 kg of water take 7.376 kg, 2.804 L of powder",
        relative_tolerance=1e-3,
    ),
)
def plaster_vessel_fill(
    bucket_diameter_m: Dimension,
    bucket_height_m: Dimension,
    water_fill_fraction: Annotated[float, Field(gt=0, le=1)],
    water_per_100: WaterPer100,
) -> PlasterVesselFill:
    """How much plaster a bucket makes, from its water level.

    By islands the ratio is an estimate: 62 to 89 water per 100 plaster (settled porosity 0.62 to 0.70).

    Args:
        bucket_diameter_m: inside diameter, m.
        bucket_height_m: inside height, m.
        water_fill_fraction: water level, as a share of that height.
        water_per_100: water per 100 plaster, by weight.

    Returns:
        water_l (L), plaster_kg (kg) and slurry_l (L).

    Raises:
        InputError: so little water that the plaster cannot all set.
    """
    _refuse_too_dry(water_per_100, "water_per_100")
    bucket_m3 = math.pi * bucket_diameter_m**2 / 4 * bucket_height_m
    water_kg = water_fill_fraction * bucket_m3 * water_density_kg_m3(20.0)
    plaster_kg = water_kg * 100 / water_per_100
    slurry_l = plaster_kg * _volume_of_a_kg(water_per_100, POWDER_KG_M3, 20.0) * 1000
    warnings = []
    if slurry_l > bucket_m3 * 1000:
        warnings.append(
            RuleWarning(
                code="overfills",
                message=f"{slurry_l:.1f} L of slurry won't fit in a bucket of {bucket_m3 * 1000:.1f} L.",
                field="water_fill_fraction",
                suggestion="Fill it with water to a third at most.",
            )
        )
    return PlasterVesselFill(
        water_l=water_fill_fraction * bucket_m3 * 1000,
        plaster_kg=plaster_kg,
        slurry_l=slurry_l,
        warnings=warnings,
    )


# What settles under water by itself, islands and all: porosity 0.62 to 0.70. Common practice, no source.
ISLANDS_PER_100 = (62.0, 89.0)
