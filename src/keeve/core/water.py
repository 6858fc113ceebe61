"""Water: what the sand brings, what is in the mix, how much more, and when to stop."""

from itertools import pairwise
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.rules import (
    MASS_BALANCE,
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

# Less than this cannot be measured out beside a mixer.
LEAST_STEP_L = 0.1
# Sums of measured additions carry rounding; a hair either side of a bound is the bound.
_HAIR_L = 1e-9

WaterState = Literal["empty", "below", "in_range", "at_ceiling", "over"]


class WaterWindow(Result):
    """Where the water stands, all in litres."""

    total_l: float
    remaining_l: float
    next_step_l: float
    state: WaterState


@rule(
    "water-window",
    formula="next = start; below target (target − in) / 2; above it (ceiling − in) / 2; at least 0.1 L",
    sources=[PRACTICE],
    example=Example(
        given={"start_l": 8, "min_l": 10, "max_l": 14, "additions_l": [8]},
        gives={"total_l": 8.0, "remaining_l": 6.0, "next_step_l": 2.0, "state": "below"},
        origin="by hand: target 12, half of the 4 L still to it",
    ),
)
def water_window(
    *,
    start_l: Amount,
    min_l: Amount,
    max_l: Amount,
    additions_l: list[Amount],
    target_l: Amount | None = None,
) -> WaterWindow:
    """The next step of water, shrinking towards the target and never past the ceiling.

    Near the target a little more turns a stiff mix into one that runs, so each step is half of what
    remains.

    Args:
        start_l: water put in before the first judgement, L.
        min_l: low end of the window, L.
        max_l: the ceiling, L.
        additions_l: what was added so far, L; the start counts once it is added.
        target_l: where the mix is expected to be right, L; the middle of the window unless given.

    Returns:
        total_l in, remaining_l to the ceiling, next_step_l and the state: ``empty``, ``below``,
        ``in_range``, ``at_ceiling`` or ``over``.

    Raises:
        InputError: the window is upside down, or start or target lie outside it.
    """
    if min_l > max_l:
        raise InputError("window_reversed", "min_l is more than max_l: swap them.", ["min_l", "max_l"])
    target = (min_l + max_l) / 2 if target_l is None else target_l
    if not min_l <= target <= max_l:
        raise InputError("target_outside", "target_l must lie between min_l and max_l.", ["target_l"])
    if start_l > max_l:
        raise InputError("start_over", "start_l is more than max_l: begin lower.", ["start_l", "max_l"])
    total = sum(additions_l)
    remaining = max(max_l - total, 0.0)
    return WaterWindow(
        total_l=total,
        remaining_l=remaining,
        next_step_l=_next_step(total, start_l, target, remaining),
        state=_state(total, min_l, max_l),
    )


def _next_step(total: float, start: float, target: float, remaining: float) -> float:
    if total == 0 and start > 0:
        return start
    gap = target - total
    step = gap / 2 if gap > _HAIR_L else remaining / 2
    return min(max(step, LEAST_STEP_L), remaining)


def _state(total: float, low: float, ceiling: float) -> WaterState:
    if total == 0:
        return "empty"
    if total > ceiling + _HAIR_L:
        return "over"
    if total >= ceiling - _HAIR_L:
        return "at_ceiling"
    return "in_range" if total >= low - _HAIR_L else "below"


class WaterAccount(Result):
    """Free water in kg and its ratio to the binder."""

    total_kg: float
    ratio: float


@rule(
    "water-account",
    formula="ratio = (added + free in the heap + in admixtures) / binder",
    sources=[MASS_BALANCE],
    example=Example(
        given={"binder_kg": 20, "added_l": 11, "free_aggregate_water_kg": 3.5, "admixture_water_kg": 0.5},
        gives={"total_kg": 15.0, "ratio": 0.75},
        origin="by hand",
    ),
)
def water_account(
    *,
    binder_kg: Dimension,
    added_l: Amount,
    free_aggregate_water_kg: float = 0.0,
    admixture_water_kg: Amount = 0.0,
) -> WaterAccount:
    """All the free water of a batch and its ratio to the binder.

    Args:
        binder_kg: binder, kg.
        added_l: water from the tap, L.
        free_aggregate_water_kg: water the heap brings, kg; negative where it soaks.
        admixture_water_kg: water inside admixtures, kg.

    Returns:
        total_kg and ratio (water over binder by mass).
    """
    total = added_l + free_aggregate_water_kg + admixture_water_kg
    return WaterAccount(total_kg=total, ratio=total / binder_kg)


class AggregateMoisture(Result):
    """Mass as charged (kg) and the free water in it (kg, negative where it will soak)."""

    batch_mass_kg: float
    free_water_kg: float


@rule(
    "aggregate-moisture",
    formula="batch = m · (1 + w);  free = m · (w − a)",
    sources=[published("ACI 211.1-91, batch weights adjusted for moisture")],
    example=Example(
        given={"dry_mass_kg": 1000, "total_moisture_fraction": 0.06, "absorption_fraction": 0.01},
        gives={"batch_mass_kg": 1060.0, "free_water_kg": 50.0},
        origin="by hand",
    ),
)
def aggregate_moisture(
    *, dry_mass_kg: Amount, total_moisture_fraction: Fraction, absorption_fraction: Fraction = 0.0
) -> AggregateMoisture:
    """What to weigh out of a damp heap for a dry mass, and the water that comes with it.

    Args:
        dry_mass_kg: oven-dry mass wanted, kg.
        total_moisture_fraction: all water over oven-dry mass.
        absorption_fraction: water the pores take up, over oven-dry mass.

    Returns:
        batch_mass_kg as charged, and free_water_kg, negative where the aggregate will soak.
    """
    return AggregateMoisture(
        batch_mass_kg=dry_mass_kg * (1 + total_moisture_fraction),
        free_water_kg=dry_mass_kg * (total_moisture_fraction - absorption_fraction),
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
    sources=[PRACTICE],
    example=Example(
        given={"moisture_fraction": 0.07, "grade": "coarse"},
        gives={"bulking_fraction": 0.147},
        origin="by hand: halfway from 0.22 to 0.20, times 0.7",
    ),
)
def sand_bulking(
    *,
    damp_height_mm: Dimension | None = None,
    flooded_height_mm: Dimension | None = None,
    moisture_fraction: Fraction | None = None,
    grade: Literal["coarse", "medium", "fine"] | None = None,
) -> SandBulking:
    """How much damp sand has swollen, from a jar test or (an estimate) from its moisture.

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
        return SandBulking(bulking_fraction=_on_curve(moisture_fraction) * _GRADE_FACTOR[grade])
    raise InputError(
        "one_way",
        "Give either damp_height_mm and flooded_height_mm, or moisture_fraction and grade.",
        ["damp_height_mm", "flooded_height_mm", "moisture_fraction", "grade"],
    )


_SWELLED_IN_WATER = RuleWarning(
    code="negative_bulking",
    message="The flooded sand stands higher than the damp sand, which cannot be: taken as no bulking.",
    field="flooded_height_mm",
    suggestion="Measure again after the sand has settled.",
)


def _on_curve(moisture: float) -> float:
    for (low, at_low), (high, at_high) in pairwise(BULKING_CURVE):
        if low <= moisture <= high:
            return at_low + (at_high - at_low) * (moisture - low) / (high - low)
    return 0.0
