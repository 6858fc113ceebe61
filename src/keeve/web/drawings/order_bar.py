"""The order bar: the net volume with the waste on top of it, cut into loads, to scale."""

from dataclasses import dataclass

from keeve.core.planning.plan import Plan

WIDTH, HEIGHT = 500.0, 64.0
_LEFT, _RIGHT = 4.0, 496.0
# Closer than this the cuts would run into one grey mass; then only their number is told.
_LEAST_GAP = 5.0


@dataclass(frozen=True)
class OrderBar:
    """Where the net volume ends and where the loads are cut, in drawing units."""

    left: float
    right: float
    net_x: float
    cuts: list[float]


def order_bar(plan: Plan) -> OrderBar:
    """The bar of a plan."""
    order_m3 = plan.volume.order_m3

    def x(volume_m3: float) -> float:
        return _LEFT + volume_m3 / order_m3 * (_RIGHT - _LEFT)

    cuts, made_m3 = [], 0.0
    for load in plan.loads[:-1]:
        made_m3 += load.yield_l / 1000
        cuts.append(x(made_m3))
    crowded = bool(cuts) and (_RIGHT - _LEFT) / (len(cuts) + 1) < _LEAST_GAP
    return OrderBar(left=_LEFT, right=_RIGHT, net_x=x(plan.volume.net_m3), cuts=[] if crowded else cuts)
