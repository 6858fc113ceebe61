"""Designed concrete by ACI 211.1-91: from strength, slump and stone to masses a cubic metre.

The tables are written from memory of the standard, in its own units, and are beside what reads them.
"""

from collections.abc import Iterator, Sequence
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.aggregate_moisture import aggregate_moisture
from keeve.core.rules.proportioning import WATER_KG_M3
from keeve.core.rules.registry import (
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    Strict,
    published,
    rule,
)
from keeve.core.rules.tables import between_rows
from keeve.core.tolerances import ROUNDING

PSI_OF_MPA = 145.0377
KG_M3_OF_LB_YD3 = 0.45359237 / 0.9144**3

# Nominal maximum size of the stone, mm: 3/8, 1/2, 3/4, 1, 1 1/2, 2, 3, 6 in.
STONES_MM = (9.5, 12.5, 19.0, 25.0, 37.5, 50.0, 75.0, 150.0)
# A stone is taken as the largest of these that is not above its own size by more than this.
_STONE_ROUNDING = 1.07

# Water, lb/yd3, by slump band (its upper end, mm) and stone; None where the standard gives none.
_SLUMPS_MM = (52.0, 102.0, 178.0)
_PLAIN_WATER = (
    (350, 335, 315, 300, 275, 260, 220, 190),
    (385, 365, 340, 325, 300, 285, 245, 210),
    (410, 385, 360, 340, 315, 300, 270, None),
)
_ENTRAINED_WATER = (
    (305, 295, 280, 270, 250, 240, 205, 180),
    (340, 325, 305, 295, 275, 265, 225, 200),
    (365, 345, 325, 310, 290, 280, 260, None),
)
# Air, per cent, by stone.
_ENTRAPPED_AIR = (3, 2.5, 2, 1.5, 1, 0.5, 0.3, 0.2)
_ENTRAINED_AIR = {
    "mild": (4.5, 4.0, 3.5, 3.0, 2.5, 2.0, 1.5, 1.0),
    "moderate": (6.0, 5.5, 5.0, 4.5, 4.5, 4.0, 3.5, 3.0),
    "severe": (7.5, 7.0, 6.0, 6.0, 5.5, 5.0, 4.5, 4.0),
}
# Water to cement for a mean strength at 28 days, psi, rising.
_PLAIN_RATIO = ((2000.0, 0.82), (3000.0, 0.68), (4000.0, 0.57), (5000.0, 0.48), (6000.0, 0.41))
_ENTRAINED_RATIO = ((2000.0, 0.74), (3000.0, 0.59), (4000.0, 0.48), (5000.0, 0.40))
# Dry-rodded stone in a volume of concrete, by stone, at these fineness moduli of the sand.
_FINENESS = (2.40, 2.60, 2.80, 3.00)
_RODDED = (
    (0.50, 0.48, 0.46, 0.44), (0.59, 0.57, 0.55, 0.53), (0.66, 0.64, 0.62, 0.60), (0.71, 0.69, 0.67, 0.65),
    (0.75, 0.73, 0.71, 0.69), (0.78, 0.76, 0.74, 0.72), (0.82, 0.80, 0.78, 0.76), (0.87, 0.85, 0.83, 0.81),
)  # fmt: skip
_SEVERE_RATIO, _SEVERE_THIN_RATIO, _SULFATE_LOWER = 0.50, 0.45, 0.05

Exposure = Literal["mild", "moderate", "severe"]


class PerM3(Strict):
    """kg a cubic metre of concrete."""

    cement: float
    water: float
    stone: float
    sand: float


class ConcreteContent(Result):
    """Oven-dry kg a m3 (cement: all of the binder), air, and water to binder."""

    per_m3: PerM3
    air_fraction: float
    w_c: float


class ConcreteDesign(ConcreteContent):
    """A concrete's content, and what to weigh out of the stockpiles (water is what is added)."""

    batch_per_m3: PerM3


@rule(
    "concrete-design-aci",
    formula="c = w / (w/c);  stone = rodded volume · density;  sand fills 1 − w − c − stone − air",
    math=(
        r"\text{cement} = \frac{\text{water}}{w/c} "
        r"\qquad \text{stone} = V_{\text{rodded}} \cdot \rho_{\text{rodded}} "
        r"\qquad \text{sand} = \rho_{\text{sand}} "
        r"\left( 1 - V_{\text{water}} - V_{\text{cement}} - V_{\text{stone}} - \text{air} \right)"
    ),
    sources=[published("ACI 211.1-91, absolute volume method, its tables")],
    example=Example(
        given={
            "strength_mpa": 24.131674,
            "slump_mm": [75, 100],
            "stone_max_mm": 37.5,
            "fineness_modulus": 2.8,
            "stone_rodded_density_kg_m3": 1601.846,
            "cement_density_kg_m3": 3150,
            "stone_density_kg_m3": 2680,
            "sand_density_kg_m3": 2640,
            "air_entrained": False,
            "exposure": "mild",
        },
        gives={
            "per_m3": {"cement": 284.8, "water": 178.0, "stone": 1137.3, "sand": 784.7},
            "air_fraction": 0.01,
            "w_c": 0.625,
        },
        origin="ACI 211.1-91, first worked example (memory), unrounded",
        relative_tolerance=2e-4,
    ),
)
def concrete_design_aci(
    strength_mpa: Dimension,
    slump_mm: Annotated[list[Amount], Field(min_length=2, max_length=2)],
    stone_max_mm: Dimension,
    fineness_modulus: Dimension,
    stone_rodded_density_kg_m3: Dimension,
    cement_density_kg_m3: Dimension,
    stone_density_kg_m3: Dimension,
    sand_density_kg_m3: Dimension,
    air_entrained: bool,
    exposure: Exposure,
    thin_section: bool = False,
    sulfate_or_sea: bool = False,
    stone_moisture_fraction: Fraction = 0.0,
    stone_absorption_fraction: Fraction = 0.0,
    sand_moisture_fraction: Fraction = 0.0,
    sand_absorption_fraction: Fraction = 0.0,
) -> ConcreteDesign:
    """Weights for a cubic metre of concrete, from strength, slump and stone.

    Args:
        strength_mpa: average you want at 28 days, MPa. Not the specified strength.
        slump_mm: low and high end, mm.
        stone_max_mm: nominal max size, mm.
        fineness_modulus: of the sand, 2.4 to 3.0.
        stone_rodded_density_kg_m3: dry-rodded bulk density of the stone, kg/m3.
        cement_density_kg_m3: particle density of the cement, kg/m3.
        stone_density_kg_m3: oven-dry particle density of the stone, kg/m3.
        sand_density_kg_m3: oven-dry particle density of the sand, kg/m3.
        air_entrained: with air-entraining admixture.
        exposure: ``mild``, ``moderate`` or ``severe``.
        thin_section: thin, or cover under 25 mm. Counts in severe exposure.
        sulfate_or_sea: in contact with either. Counts in severe exposure.
        stone_moisture_fraction: all the water in the stone, by oven-dry weight.
        stone_absorption_fraction: what the stone soaks up, by oven-dry weight.
        sand_moisture_fraction: all the water in the sand, by oven-dry weight.
        sand_absorption_fraction: what the sand soaks up, by oven-dry weight.

    Returns:
        per_m3 (oven-dry kg, free water), air_fraction, w_c and batch_per_m3 (as weighed, water added).

    Raises:
        InputError: a figure lies outside what the standard's tables cover.
    """
    stone = _stone_column(stone_max_mm)
    water_lb = (_ENTRAINED_WATER if air_entrained else _PLAIN_WATER)[_slump_row(slump_mm)][stone]
    if water_lb is None:
        raise InputError(
            "no_table_value", "The standard gives no water for that slump_mm with that stone_max_mm. Lower the slump.",
            ["slump_mm", "stone_max_mm"],
        )  # fmt: skip
    water = water_lb * KG_M3_OF_LB_YD3
    air = _air_fraction(stone, exposure, air_entrained)
    w_c = min(
        _on_table(_ENTRAINED_RATIO if air_entrained else _PLAIN_RATIO, strength_mpa * PSI_OF_MPA, "strength_mpa"),
        _highest_ratio(exposure, air_entrained, thin_section, sulfate_or_sea),
    )  # fmt: skip
    grains = _Grains(
        stone, fineness_modulus, stone_rodded_density_kg_m3, cement_density_kg_m3, stone_density_kg_m3,
        sand_density_kg_m3,
    )  # fmt: skip
    per_m3 = _filled_up(water / w_c, water, air, grains)
    damp_stone, damp_sand = (
        aggregate_moisture(dry_mass_kg=dry, total_moisture_fraction=moisture, absorption_fraction=absorption)
        for dry, moisture, absorption in (
            (per_m3.stone, stone_moisture_fraction, stone_absorption_fraction),
            (per_m3.sand, sand_moisture_fraction, sand_absorption_fraction),
        )
    )
    return ConcreteDesign(
        per_m3=per_m3,
        air_fraction=air,
        w_c=w_c,
        batch_per_m3=PerM3(
            cement=per_m3.cement,
            water=water - damp_stone.free_water_kg - damp_sand.free_water_kg,
            stone=damp_stone.batch_mass_kg,
            sand=damp_sand.batch_mass_kg,
        ),
        warnings=list(_exposed(exposure, air_entrained, w_c, sulfate_or_sea)),
    )


@rule(
    "concrete-by-content",
    formula="w = binder · w/cm;  stone = rodded volume · density;  sand fills 1 − w − binder − stone − air",
    math=(
        r"\text{water} = b \cdot w/cm "
        r"\qquad \text{sand} = \rho_{\text{sand}} "
        r"\left( 1 - V_{\text{water}} - V_{b} - V_{\text{stone}} - \text{air} \right)"
    ),
    sources=[published("ACI 211.1-91, absolute volume method, its tables")],
    example=Example(
        given={
            "binder_kg_m3": 284.8,
            "w_cm": 0.625,
            "stone_max_mm": 37.5,
            "fineness_modulus": 2.8,
            "stone_rodded_density_kg_m3": 1601.846,
            "binder_density_kg_m3": 3150,
            "stone_density_kg_m3": 2680,
            "sand_density_kg_m3": 2640,
            "air_entrained": False,
            "exposure": "mild",
        },
        gives={
            "per_m3": {"cement": 284.8, "water": 178.0, "stone": 1137.3, "sand": 784.7},
            "air_fraction": 0.01,
            "w_c": 0.625,
        },
        origin="ACI 211.1-91, first worked example (memory), unrounded, its cement and ratio given",
        relative_tolerance=2e-4,
    ),
)
def concrete_by_content(
    binder_kg_m3: Dimension,
    w_cm: Dimension,
    stone_max_mm: Dimension,
    fineness_modulus: Dimension,
    stone_rodded_density_kg_m3: Dimension,
    binder_density_kg_m3: Dimension,
    stone_density_kg_m3: Dimension,
    sand_density_kg_m3: Dimension,
    air_entrained: bool,
    exposure: Exposure,
    thin_section: bool = False,
    sulfate_or_sea: bool = False,
) -> ConcreteContent:
    """Weights for a cubic metre of concrete with specified cement and water to cement.

    Args:
        binder_kg_m3: cement, slag, fly ash and silica fume together, kg/m3.
        w_cm: water to all of that, by weight.
        stone_max_mm: nominal max size, mm.
        fineness_modulus: of the sand, 2.4 to 3.0.
        stone_rodded_density_kg_m3: dry-rodded bulk density of the stone, kg/m3.
        binder_density_kg_m3: particle density of the binder as blended, kg/m3.
        stone_density_kg_m3: oven-dry particle density of the stone, kg/m3.
        sand_density_kg_m3: oven-dry particle density of the sand, kg/m3.
        air_entrained: with air-entraining admixture.
        exposure: ``mild``, ``moderate`` or ``severe``.
        thin_section: thin, or cover under 25 mm. Counts in severe exposure.
        sulfate_or_sea: in contact with either. Counts in severe exposure.

    Returns:
        per_m3 (oven-dry kg, free water), air_fraction and w_c.

    Raises:
        InputError: a figure lies outside what the standard's tables cover, or the exposure asks for less water.
    """
    stone = _stone_column(stone_max_mm)
    highest = _highest_ratio(exposure, air_entrained, thin_section, sulfate_or_sea)
    if w_cm > highest + ROUNDING:
        raise InputError(
            "ratio_too_high",
            f"w_cm must be {highest:g} or less for that exposure. Use less water.",
            ["w_cm"],
        )
    air = _air_fraction(stone, exposure, air_entrained)
    grains = _Grains(
        stone, fineness_modulus, stone_rodded_density_kg_m3, binder_density_kg_m3, stone_density_kg_m3,
        sand_density_kg_m3,
    )  # fmt: skip
    return ConcreteContent(
        per_m3=_filled_up(binder_kg_m3, binder_kg_m3 * w_cm, air, grains),
        air_fraction=air,
        w_c=w_cm,
        warnings=list(_exposed(exposure, air_entrained, w_cm, sulfate_or_sea)),
    )


def _air_fraction(stone_column: int, exposure: Exposure, air_entrained: bool) -> float:
    return (_ENTRAINED_AIR[exposure] if air_entrained else _ENTRAPPED_AIR)[stone_column] / 100


class _Grains(NamedTuple):
    """The stone's column of the tables, the sand's fineness, and densities in kg/m3."""

    stone_column: int
    fineness_modulus: float
    stone_rodded_kg_m3: float
    binder_kg_m3: float
    stone_kg_m3: float
    sand_kg_m3: float


def _filled_up(binder_kg: float, water_kg: float, air: float, grains: _Grains) -> PerM3:
    """A cubic metre with that binder, water and air: stone by the table, and sand in what is left."""
    rodded = _on_table(
        tuple(zip(_FINENESS, _RODDED[grains.stone_column], strict=True)),
        grains.fineness_modulus,
        "fineness_modulus",
    )
    stone_kg = rodded * grains.stone_rodded_kg_m3
    filled = water_kg / WATER_KG_M3 + binder_kg / grains.binder_kg_m3 + stone_kg / grains.stone_kg_m3 + air
    if filled >= 1:
        raise InputError(
            "no_room_for_sand",
            "Cement, water and stone leave no room for sand. Check stone_rodded_density_kg_m3 and the densities.",
            ["stone_rodded_density_kg_m3"],
        )
    return PerM3(cement=binder_kg, water=water_kg, stone=stone_kg, sand=(1 - filled) * grains.sand_kg_m3)


# What ACI 318 asks of a slab that frost reaches while it is wet, class F2 (from memory).
_FROST_SLAB_RATIO = 0.45


def _exposed(
    exposure: Exposure, air_entrained: bool, w_c: float, sulfate_or_sea: bool
) -> Iterator[RuleWarning]:
    """What the exposure asks for beyond the tables."""
    if sulfate_or_sea and exposure != "severe":
        yield RuleWarning(
            code="sulfate_not_severe",
            message="Sulfates or sea water are set, but exposure isn't severe, so their limit isn't applied.",
            field="exposure",
            suggestion="Set exposure to severe and entrain air.",
        )
    if exposure == "moderate" and not air_entrained:
        yield RuleWarning(
            code="frost_without_air",
            message="Without entrained air, frost will scale it in time.",
            field="air_entrained",
            suggestion="Entrain air, or set exposure to mild if it never freezes there.",
        )
    if exposure == "severe" and w_c > _FROST_SLAB_RATIO + ROUNDING:
        yield RuleWarning(
            code="frost_slab_ratio",
            message=(
                f"A slab in frost and wet needs water to cement {_FROST_SLAB_RATIO:g} or less. "
                f"This design has {w_c:.2f}."
            ),
            field="strength_mpa",
            suggestion="For a slab, use a higher strength. For a wall or column that drains it's fine.",
        )


def _stone_column(stone_max_mm: float) -> int:
    fitting = [index for index, size in enumerate(STONES_MM) if size <= _STONE_ROUNDING * stone_max_mm]
    if not fitting:
        raise InputError(
            "stone_too_small",
            "stone_max_mm is below 9.5 mm, where the standard's tables start.",
            ["stone_max_mm"],
        )
    return fitting[-1]


def _slump_row(slump_mm: Sequence[float]) -> int:
    low, high = slump_mm
    if low > high:
        raise InputError(
            "slump_reversed", "slump_mm is the wrong way round. Low first, then high.", ["slump_mm"]
        )
    row = next((index for index, upper in enumerate(_SLUMPS_MM) if high <= upper), None)
    if row is None:
        raise InputError(
            "slump_too_high", "slump_mm is above 178 mm, where the standard's tables end.", ["slump_mm"]
        )
    return row


def _on_table(table: Sequence[tuple[float, float]], value: float, field: str) -> float:
    """Linear between the rows of a table, refused outside it."""
    found = between_rows(table, value)
    if found is None:
        raise InputError(
            "outside_table",
            f"{field} is outside the standard's table, so there is no figure.",
            [field],
        )
    return found


def _highest_ratio(exposure: Exposure, air_entrained: bool, thin: bool, sulfate: bool) -> float:
    if exposure != "severe":
        return float("inf")
    if not air_entrained:
        raise InputError(
            "severe_without_air",
            "Severe exposure needs air_entrained. Without air, frost breaks it. Entrain air.",
            ["air_entrained", "exposure"],
        )
    return (_SEVERE_THIN_RATIO if thin else _SEVERE_RATIO) - (_SULFATE_LOWER if sulfate else 0.0)
