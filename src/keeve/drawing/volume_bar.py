"""The volume bar: the net volume with the waste on top of it, cut into loads, to scale."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

WIDTH, HEIGHT = 500.0, 64.0
_LEFT, _RIGHT = 4.0, 496.0
# Closer than this the cuts would run into one grey mass; then only their number is said.
_LEAST_GAP = 5.0
# Room for the word of the waste.
_LEAST_WASTE = 8.0


@dataclass(frozen=True)
class VolumeBar:
    """The net volume and the cuts between loads, in drawing units."""

    left: float
    right: float
    length: float
    net_x: float
    net_width: float
    waste_width: float
    waste_is_named: bool
    cuts: list[float]


def volume_bar(net_m3: float, order_m3: float, loads_l: Sequence[float]) -> VolumeBar:
    """The bar of a plan.

    Args:
        net_m3: net volume, m3.
        order_m3: volume to make, m3.
        loads_l: volume of each load, L.
    """

    def x(volume_m3: float) -> float:
        return _LEFT + volume_m3 / order_m3 * (_RIGHT - _LEFT)

    cuts = [x(made_l / 1000) for made_l in accumulate(loads_l[:-1])]
    crowded = bool(cuts) and (_RIGHT - _LEFT) / (len(cuts) + 1) < _LEAST_GAP
    net_x = x(net_m3)
    return VolumeBar(
        left=_LEFT,
        right=_RIGHT,
        length=_RIGHT - _LEFT,
        net_x=net_x,
        net_width=net_x - _LEFT,
        waste_width=_RIGHT - net_x,
        waste_is_named=_RIGHT - net_x > _LEAST_WASTE,
        cuts=[] if crowded else cuts,
    )
