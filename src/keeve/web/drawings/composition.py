"""What a mix is made of, as one bar: its materials by loose volume, hatched, and the water it begins with."""

from typing import NamedTuple

from keeve.core.mixes.model import Hatch
from keeve.core.planning.plan import Plan

WIDTH, HEIGHT = 240.0, 34.0
# Thinner than this a hatch cannot be read.
_LEAST = 9.0


class Band(NamedTuple):
    """One material: its hatch, where it begins, how wide it is, its name."""

    hatch: Hatch
    x: float
    width: float
    name: str


def composition(plan: Plan) -> list[Band]:
    """The bands of the plan's first load, in order of its materials, water last; to scale but for the thinnest."""
    load = plan.loads[0]
    parts: list[tuple[Hatch, str, float]] = [
        (plan.material(charge.material).hatch, charge.material, charge.volume_l) for charge in load.charges
    ]
    parts.append(("water", "water", load.water.with_aggregate_l))
    whole = sum(volume for _, _, volume in parts)
    widths = [max(volume / whole * WIDTH, _LEAST) for _, _, volume in parts]
    shrink = WIDTH / sum(widths)
    bands, x = [], 0.0
    for (hatch, name, _), width in zip(parts, widths, strict=True):
        bands.append(Band(hatch, round(x, 1), round(width * shrink, 1), name))
        x += width * shrink
    return bands
