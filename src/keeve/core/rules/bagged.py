"""Mixes that go by the bag: the label on the user's own bag rules."""

from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import PRACTICE, Amount, Dimension, Example, Result, Strict, rule
from keeve.core.tolerances import whole_up

# A third is written 0.33.
_WRITTEN = 0.005


class BagWater(Strict):
    """Water in L: to start with, the least, the most."""

    start: float
    min: float
    max: float


class Bagged(Result):
    """Bags, their water in total (L), and what they make (L)."""

    bags: float
    water_l: BagWater
    yield_l: float


@rule(
    "bagged",
    formula="bags = ⌈target / yield / part⌉ · part",
    math=(
        r"\text{bags} = "
        r"\left\lceil \frac{\text{target} / \text{yield of a bag}}{\text{part}} \right\rceil \cdot \text{part}"
    ),
    sources=[PRACTICE],
    example=Example(
        given={
            "bag_kg": 25,
            "bag_yield_l": 12.5,
            "water_start_l": 1.5,
            "water_min_l": 1.75,
            "water_max_l": 2.5,
            "target_m3": 0.09,
        },
        gives={"bags": 8.0, "water_l": {"start": 12.0, "min": 14.0, "max": 20.0}, "yield_l": 100.0},
        origin="by hand: 90 L at 12.5 L a bag is 7.2 bags, so eight",
    ),
)
def bagged(
    bag_kg: Dimension,
    bag_yield_l: Dimension,
    water_start_l: Amount,
    water_min_l: Amount,
    water_max_l: Dimension,
    target_m3: Dimension,
    part_fraction: Annotated[float, Field(ge=0.1, le=1)] | None = 1.0,
) -> Bagged:
    """How many bags for a volume, and how much water by the label.

    Args:
        bag_kg: mass of a bag, kg.
        bag_yield_l: fresh mix per bag, L.
        water_start_l: water per bag to start with, L.
        water_min_l: min water per bag, L.
        water_max_l: max water per bag, L.
        target_m3: volume you want, m3.
        part_fraction: the part of a bag that is weighed out, where the label allows parts: 0.5, 1/3 (0.33
            will do), 0.2. None for any part, where the bags are there.

    Returns:
        bags, water_l (start, min, max; totals) and yield_l.

    Raises:
        InputError: the label's water figures are not in order.
    """
    if not water_start_l <= water_max_l or not water_min_l <= water_max_l:
        raise InputError(
            "label_water",
            "water_start_l and water_min_l can't be more than water_max_l. Check the label again.",
            ["water_start_l", "water_min_l", "water_max_l"],
        )
    bags = target_m3 * 1000 / bag_yield_l
    if part_fraction is not None:
        part = 1 / 3 if abs(part_fraction - 1 / 3) < _WRITTEN else part_fraction
        bags = whole_up(bags / part) * part
    return Bagged(
        bags=bags,
        water_l=BagWater(start=bags * water_start_l, min=bags * water_min_l, max=bags * water_max_l),
        yield_l=bags * bag_yield_l,
    )
