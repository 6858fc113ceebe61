"""Mixes that go by the bag: the label on the user's own bag rules."""

from keeve.core.errors import InputError
from keeve.core.rules.registry import PRACTICE, Amount, Dimension, Example, Result, Strict, rule
from keeve.core.tolerances import whole_up

# A third, as half and a quarter, is weighed out of a bag.
_PARTS = (1.0, 0.5, 1 / 3, 0.25)
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
    part_fraction: Dimension = 1.0,
) -> Bagged:
    """How many bags for a volume, and how much water by the label.

    Args:
        bag_kg: mass of a bag, kg.
        bag_yield_l: fresh mix per bag, L.
        water_start_l: water per bag to start with, L.
        water_min_l: min water per bag, L.
        water_max_l: max water per bag, L.
        target_m3: volume you want, m3.
        part_fraction: 0.5, 1/3 (0.33 will do) or 0.25 where the label allows parts of a bag.

    Returns:
        bags, water_l (start, min, max; totals) and yield_l.

    Raises:
        InputError: the label's water figures are not in order, or no such part of a bag is used.
    """
    part = next((part for part in _PARTS if abs(part - part_fraction) < _WRITTEN), None)
    if part is None:
        raise InputError(
            "part_fraction",
            "part_fraction must be 1, 0.5, 1/3 or 0.25. You halve bags, or weigh out thirds or quarters.",
            ["part_fraction"],
        )
    if not water_start_l <= water_max_l or not water_min_l <= water_max_l:
        raise InputError(
            "label_water",
            "water_start_l and water_min_l can't be more than water_max_l. Check the label again.",
            ["water_start_l", "water_min_l", "water_max_l"],
        )
    bags = whole_up(target_m3 * 1000 / bag_yield_l / part) * part
    return Bagged(
        bags=bags,
        water_l=BagWater(start=bags * water_start_l, min=bags * water_min_l, max=bags * water_max_l),
        yield_l=bags * bag_yield_l,
    )
