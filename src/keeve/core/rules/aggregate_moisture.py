"""The stockpile of sand or stone: the water in it, how it bulks, and whether it is clean."""

from typing import Literal

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    published,
    rule,
)
from keeve.core.rules.tables import between_rows


def free_moisture_fraction(moisture_fraction: float, absorption_fraction: float) -> float:
    """Free water over oven-dry mass: total less absorbed moisture; negative where it will soak."""
    return moisture_fraction - absorption_fraction


class AggregateMoisture(Result):
    """Mass as charged (kg) and the free water in it (kg, negative where it will soak)."""

    batch_mass_kg: float
    free_water_kg: float


@rule(
    "aggregate-moisture",
    formula="batch = m · (1 + w);  free = m · (w − a)",
    math=r"\text{batch} = m \, (1 + w) \qquad \text{free water} = m \, (w - a)",
    sources=[published("ACI 211.1-91, batch weights adjusted for moisture")],
    example=Example(
        given={"dry_mass_kg": 1000, "total_moisture_fraction": 0.06, "absorption_fraction": 0.01},
        gives={"batch_mass_kg": 1060.0, "free_water_kg": 50.0},
        origin="by hand",
    ),
)
def aggregate_moisture(
    dry_mass_kg: Amount, total_moisture_fraction: Fraction, absorption_fraction: Fraction = 0.0
) -> AggregateMoisture:
    """How much damp sand to weigh for a dry weight, and how much water comes with it.

    Args:
        dry_mass_kg: oven-dry mass wanted, kg.
        total_moisture_fraction: all the water, by oven-dry weight.
        absorption_fraction: water the grains take up, by oven-dry weight.

    Returns:
        batch_mass_kg as charged, and free_water_kg, negative where the aggregate will soak.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return AggregateMoisture(
        batch_mass_kg=dry_mass_kg * (1 + total_moisture_fraction),
        free_water_kg=dry_mass_kg * free_moisture_fraction(total_moisture_fraction, absorption_fraction),
    )


class SandBulking(Result):
    """Damp loose volume over dry, less one."""

    bulking_fraction: float


# Medium sand, total moisture against bulking: common practice, no source, an estimate. It agrees with
# 80 lb of dry sand in a damp cubic foot (ASTM C270, from memory), which is 0.21.
BULKING_CURVE = (
    (0.0, 0.0), (0.01, 0.08), (0.02, 0.14), (0.03, 0.18), (0.04, 0.20), (0.05, 0.22), (0.06, 0.22),
    (0.08, 0.20), (0.10, 0.16), (0.12, 0.11), (0.15, 0.05), (0.20, 0.0),
)  # fmt: skip
_GRADE_FACTOR = {"coarse": 0.7, "medium": 1.0, "fine": 1.4}


@rule(
    "sand-bulking",
    formula="damp height / flooded height − 1, or the default curve by moisture and grade",
    math=r"\text{bulking} = \frac{h_{\text{damp}}}{h_{\text{flooded}}} - 1",
    sources=[PRACTICE],
    example=Example(
        given={"moisture_fraction": 0.07, "grade": "coarse"},
        gives={"bulking_fraction": 0.147},
        origin="by hand: halfway from 0.22 to 0.20, times 0.7",
    ),
)
def sand_bulking(
    damp_height_mm: Dimension | None = None,
    flooded_height_mm: Dimension | None = None,
    moisture_fraction: Fraction | None = None,
    grade: Literal["coarse", "medium", "fine"] | None = None,
) -> SandBulking:
    """How much damp sand has bulked, from a jar test or (estimate) from its moisture.

    Args:
        damp_height_mm: height of the loose damp sand in the jar, mm.
        flooded_height_mm: its height after flooding, mm.
        moisture_fraction: water over oven-dry mass, where there is no jar test.
        grade: of the sand, with moisture_fraction.

    Returns:
        bulking_fraction, never negative.

    Raises:
        InputError: neither both heights nor both moisture and grade, or all of them.
    """
    by_jar = (damp_height_mm, flooded_height_mm)
    by_curve = (moisture_fraction, grade)
    if damp_height_mm is not None and flooded_height_mm is not None and by_curve == (None, None):
        found = damp_height_mm / flooded_height_mm - 1
        if found >= 0:
            return SandBulking(bulking_fraction=found)
        return SandBulking(bulking_fraction=0.0, warnings=[_SWELLED_IN_WATER])
    if moisture_fraction is not None and grade is not None and by_jar == (None, None):
        bulked = between_rows(BULKING_CURVE, moisture_fraction) or 0.0
        return SandBulking(bulking_fraction=bulked * _GRADE_FACTOR[grade])
    raise InputError(
        "one_way",
        "Enter either damp_height_mm and flooded_height_mm, or moisture_fraction and grade.",
        ["damp_height_mm", "flooded_height_mm", "moisture_fraction", "grade"],
    )


_SWELLED_IN_WATER = RuleWarning(
    code="negative_bulking",
    message="The flooded sand is higher than the damp sand, which can't be right. Counted as no bulking.",
    field="flooded_height_mm",
    suggestion="Measure again after the sand has settled.",
)


class PanDryMoisture(Result):
    """Total moisture over oven-dry mass."""

    moisture_fraction: float


@rule(
    "pan-dry-moisture",
    formula="w = (wet − dry) / (dry − pan)",
    math=r"w = \frac{\text{wet} - \text{dry}}{\text{dry} - \text{pan}}",
    sources=[published("ASTM C566, total evaporable moisture by drying")],
    example=Example(
        given={"wet_kg": 1.36, "dry_kg": 1.3, "pan_kg": 0.1},
        gives={"moisture_fraction": 0.05},
        origin="by hand: 60 g of water in 1.2 kg of dry sand",
    ),
)
def pan_dry_moisture(wet_kg: Dimension, dry_kg: Dimension, pan_kg: Amount = 0.0) -> PanDryMoisture:
    """The moisture of a sample dried in a pan.

    Args:
        wet_kg: sample and pan before drying, kg.
        dry_kg: sample and pan once the weight stops dropping, kg.
        pan_kg: the empty pan, kg.

    Returns:
        moisture_fraction, total moisture over oven-dry mass.

    Raises:
        InputError: the dry sample is heavier than the wet one, or no more than its pan.
    """
    if dry_kg > wet_kg:
        raise InputError(
            "dry_heavier", "dry_kg is more than wet_kg. Swap them, or weigh again.", ["wet_kg", "dry_kg"]
        )
    if dry_kg <= pan_kg:
        raise InputError(
            "pan_only", "dry_kg isn't more than pan_kg. Weigh the sample in its pan.", ["dry_kg", "pan_kg"]
        )
    return PanDryMoisture(moisture_fraction=(wet_kg - dry_kg) / (dry_kg - pan_kg))


WaterLook = Literal["pale", "cloudy", "dark"]
Floating = Literal["little", "much"]
# Silt over sand by height up to which a sand passes: common practice, no source.
MOST_SILT = 0.08


class SiltJar(Result):
    """Silt over sand by height (null where it was only looked at), and what to do with the sand."""

    silt_fraction: float | None
    verdict: Literal["ok", "reject_or_test"]


@rule(
    "silt-jar",
    formula="silt height / sand height, passes to 0.08; or by look: pale water with little afloat passes",
    math=r"\text{silt} = \frac{h_{\text{silt}}}{h_{\text{sand}}} \le 0.08",
    sources=[PRACTICE],
    example=Example(
        given={"sand_mm": 80, "silt_mm": 4},
        gives={"silt_fraction": 0.05, "verdict": "ok"},
        origin="by hand",
    ),
)
def silt_jar(
    sand_mm: Dimension | None = None,
    silt_mm: Amount | None = None,
    water_look: WaterLook | None = None,
    floating: Floating | None = None,
) -> SiltJar:
    """Is the sand clean enough? A shaken jar test. A rough check, not a measurement.

    Args:
        sand_mm: height of the settled sand, mm.
        silt_mm: height of the silt on it, mm.
        water_look: the water after half an hour, where there are no layers to measure.
        floating: how much scum or black specks float then.

    Returns:
        silt_fraction (null by look) and verdict: ``ok``, or ``reject_or_test``: another sand, or the
        laboratory.

    Raises:
        InputError: neither both heights nor both looks, or all of them.
    """
    layers, look = (sand_mm, silt_mm), (water_look, floating)
    if sand_mm is not None and silt_mm is not None and look == (None, None):
        silt = silt_mm / sand_mm
        return SiltJar(silt_fraction=silt, verdict="ok" if silt <= MOST_SILT else "reject_or_test")
    if None not in look and layers == (None, None):
        return SiltJar(silt_fraction=None, verdict="ok" if look == ("pale", "little") else "reject_or_test")
    raise InputError(
        "one_way",
        "Enter either sand_mm and silt_mm, or water_look and floating.",
        ["sand_mm", "silt_mm", "water_look", "floating"],
    )
