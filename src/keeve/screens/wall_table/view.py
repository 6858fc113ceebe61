"""A table for the wall: from one to ten of one's own measure, everything else that goes with it."""

from collections.abc import Mapping, Sequence
from math import fsum
from typing import Literal, NamedTuple

from keeve.core.planning.load_contents import first_volume
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.gypsum import LITRES_PER_US_QUART
from keeve.core.units import System
from keeve.figures.amounts import Dose, dose_of

Measure = Literal["bags", "buckets", "water"]
_ROWS = range(1, 11)


class TableRow(NamedTuple):
    """So many of the measure, and the load they make; ``counts``: buckets of each material, by its name."""

    amount: int
    load: Load
    counts: Mapping[str, float]
    doses: Sequence[Dose]


class WallTable(NamedTuple):
    """A table.

    Args:
        plan: the plan it is of.
        by: its measure, and ``measures`` those it could be in.
        one: the words of one of the measure.
        of: the material that is measured; empty for water.
        rows: its rows.
        bucket_l: what a bucket holds, L; None where nothing is counted in them.
        mixing_min: how long it is mixed, least and most, min.
    """

    plan: Plan
    by: Measure
    measures: Sequence[Measure]
    one: str
    of: str
    rows: Sequence[TableRow]
    bucket_l: float | None
    mixing_min: tuple[float, float]


def wall_table(plan: Plan, by: str, units: System) -> WallTable | None:
    """The table of a plan's mix, as made on its site; None where nothing of it comes in a measure.

    All of a load grows with it, so that each row is a part of the plan's first load.

    Args:
        plan: the plan.
        by: the measure that is asked for; the first of those there are where it is none of them.
        units: the reader's; water is counted in litres or in US quarts.
    """
    load = plan.loads[0]
    shares: dict[Measure, tuple[float, str, str]] = {}
    bagged = next((one for one in plan.materials if one.bag_kg and load.charge(one.name).dry_kg), None)
    if bagged and bagged.bag_kg:
        shares["bags"] = (bagged.bag_kg / load.charge(bagged.name).dry_kg, bagged.unit, bagged.name)
    first = load.charges[0]
    bucket = first_volume(first.material, plan.vessels)
    if bucket and first.volume_l:
        shares["buckets"] = (bucket[1] / first.volume_l, bucket[0], first.material)
    if plan.mix.regime_traits.placed_in:
        litres, word = (LITRES_PER_US_QUART, "quart") if units == "us" else (1.0, "litre")
        shares = {"water": (litres / load.water.target_l, word, ""), **shares}
    if not shares:
        return None
    chosen = next((one for one in shares if one == by), next(iter(shares)))
    share, word, of = shares[chosen]
    bucket_l = bucket[1] if bucket and chosen == "buckets" else None
    mixing = [step.minutes for step in plan.procedure if step.kind == "mix"]
    return WallTable(
        plan=plan,
        by=chosen,
        measures=list(shares),
        one=word,
        of=of,
        rows=[_row(number, load.times(number * share), bucket_l) for number in _ROWS],
        bucket_l=bucket_l,
        mixing_min=(fsum(least for least, _ in mixing), fsum(most for _, most in mixing)),
    )


def _row(number: int, load: Load, bucket_l: float | None) -> TableRow:
    counts = {one.material: one.volume_l / bucket_l for one in load.charges} if bucket_l else {}
    doses = [dose_of(one) for one in load.admixtures if one.mass_kg is not None or one.packs]
    return TableRow(number, load, counts, doses)
