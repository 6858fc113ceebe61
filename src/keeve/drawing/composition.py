"""The parts of a mix as one bar: its materials by loose volume, hatched, and its water."""

from functools import lru_cache
from math import fsum
from typing import NamedTuple

WIDTH, HEIGHT = 240.0, 34.0
# Thinner than this a hatch cannot be read.
_LEAST = 9.0


class LayerBand(NamedTuple):
    """One material: its hatch, where it begins, how wide it is, its name."""

    hatch: str
    x: float
    width: float
    name: str


@lru_cache(maxsize=512)
def composition(volumes_l: tuple[tuple[str, str, float], ...]) -> tuple[LayerBand, ...]:
    """The bands of a mix, to scale but for the thinnest.

    Args:
        volumes_l: hatch, name and loose volume (L) of each material, in order.
    """
    whole = fsum(volume for _, _, volume in volumes_l)
    widths = [max(volume / whole * WIDTH, _LEAST) for _, _, volume in volumes_l]
    shrink = WIDTH / fsum(widths)
    bands, x = [], 0.0
    for (hatch, name, _), width in zip(volumes_l, widths, strict=True):
        bands.append(LayerBand(hatch, round(x, 1), round(width * shrink, 1), name))
        x += width * shrink
    return tuple(bands)
