"""Splitting an order into mixer loads."""

from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import PRACTICE, Dimension, Example, Fraction, Result, Strict, rule
from keeve.core.tolerances import ROUNDING, whole_down, whole_up

_PART_BAGS = (1.0, 0.5, 0.25)
# More than this is not a job for a mixer on site: almost always mm taken for m.
MOST_LOADS = 5000

Limit = Literal["mixer", "life", "crew", "bag"]


class WholeBags(Strict):
    """Whole bags as the measure: bag_kg in a bag, binder_kg_m3 in a fresh m3.

    ``together``: so many are one batch, as a colour pack belongs to its bags.
    """

    bag_kg: Dimension
    binder_kg_m3: Dimension
    together: Annotated[int, Field(ge=1, le=1000)] = 1


class LoadSize(Strict):
    """One load: its number from 1, its fresh volume in m3, its bags where bags are the measure."""

    number: int
    volume_m3: float
    bags: float | None = None


class Loads(Result):
    """The loads, and what limits their size."""

    loads: list[LoadSize]
    limit: Limit


@rule(
    "split-loads",
    formula=(
        "n = ⌈(1 − near enough) · order / cap − 10⁻⁹⌉, cap the smallest of mixer, life and crew; "
        "whole bags: ⌊cap / (bag / binder)⌋"
    ),
    math=(
        r"n = \left\lceil \frac{(1 - n_{0}) \, \text{order}}{\text{cap}} - 10^{-9} \right\rceil "
        r"\qquad \text{whole bags} = "
        r"\left\lfloor \frac{\text{cap}}{\text{bag} / \text{binder in a m}^{3}} \right\rfloor"
    ),
    sources=[PRACTICE],
    example=Example(
        given={"order_m3": 0.275, "mixer_working_l": 90},
        gives={
            "loads": [{"number": n, "volume_m3": 0.06875, "bags": None} for n in (1, 2, 3, 4)],
            "limit": "mixer",
        },
        origin="by hand: 275 L in a 90 L drum is four loads of 68.75 L",
    ),
)
def split_loads(
    order_m3: Dimension,
    mixer_working_l: Dimension,
    whole_bags: WholeBags | None = None,
    life_min: Dimension | None = None,
    placing_m3_h: Dimension | None = None,
    cycle_min: Dimension | None = None,
    keep_pace: bool = False,
    near_enough_fraction: Fraction = 0.0,
) -> Loads:
    """How many loads, and how big.

    Args:
        order_m3: fresh volume to make, m3.
        mixer_working_l: mixed volume, L.
        whole_bags: loads in whole bags. A half or quarter if no whole one fits.
        life_min: from first water, min.
        placing_m3_h: what the crew places per hour, m3.
        cycle_min: from first water to the end of mixing, min.
        keep_pace: never mix more than is placed while the next load mixes.
        near_enough_fraction: no load is made for so little. At 1 %, 90.5 L is one load of a 90 L drum, and
            2.01 bags are one load of two.

    Returns:
        The loads, equal; whole bags are spread evenly over them, what is no whole bag goes to the last.
        And which cap limits them: ``mixer``, ``life``, ``crew`` or ``bag``.

    Raises:
        InputError: the life is over before mixing is, a figure needed is missing, or not even a quarter
            bag fits.
    """
    caps: dict[Limit, float] = {"mixer": mixer_working_l / 1000}
    if life_min is not None and placing_m3_h is not None:
        cycle = cycle_min or 0.0
        if life_min <= cycle:
            raise InputError(
                "no_life_left",
                "life_min is no longer than cycle_min, so the load expires before it's placed. "
                "Shorten the cycle or use a longer working time.",
                ["life_min", "cycle_min"],
            )
        caps["life"] = placing_m3_h * (life_min - cycle) / 60
    if keep_pace:
        missing = [
            name
            for name, value in (("placing_m3_h", placing_m3_h), ("cycle_min", cycle_min))
            if value is None
        ]
        if missing or placing_m3_h is None or cycle_min is None:
            raise InputError("missing", f"keep_pace needs {' and '.join(missing)}. Enter it.", missing)
        caps["crew"] = placing_m3_h * cycle_min / 60
    limit = min(caps, key=lambda name: caps[name])
    near_m3 = near_enough_fraction * order_m3
    if whole_bags is None:
        return Loads(loads=_equal(order_m3, caps[limit], near_m3), limit=limit)
    return Loads(loads=_bagged(order_m3, caps[limit], near_m3, whole_bags), limit="bag")


def _equal(order: float, cap: float, near: float) -> list[LoadSize]:
    number = _count((order - near) / cap)
    return [LoadSize(number=index + 1, volume_m3=order / number) for index in range(number)]


def _bagged(order: float, cap: float, near: float, bags: WholeBags) -> list[LoadSize]:
    bag_m3 = bags.bag_kg / bags.binder_kg_m3
    parts = _PART_BAGS if bags.together == 1 else (bags.together,)
    part = next((part for part in parts if cap / (bag_m3 * part) >= 1 - ROUNDING), None)
    if part is None:
        raise InputError(
            "bag_too_large",
            "mixer_working_l is less than a quarter bag. Use a larger mixer, or loads by weight.",
            ["mixer_working_l", "whole_bags.bag_kg"],
        )
    part_m3 = part * bag_m3
    most = whole_down(cap / part_m3)
    number = _count((order - near) / (most * part_m3))
    whole = whole_down(order / part_m3)
    rest = order / part_m3 - whole
    each, more = divmod(min(whole, number * most), number)
    counts = [(each + (index < more)) * part for index in range(number)]
    if rest * part_m3 > near:
        counts[-1] += rest * part
    return [
        LoadSize(number=index + 1, volume_m3=count * bag_m3, bags=count) for index, count in enumerate(counts)
    ]


def _count(ratio: float) -> int:
    number = whole_up(ratio)
    if number > MOST_LOADS:
        raise InputError(
            "too_many_loads",
            f"That is more than {MOST_LOADS} loads. "
            "Check the sizes (millimetres typed as metres?) or use a larger mixer.",
            ["order_m3", "mixer_working_l"],
        )
    return max(number, 1)
