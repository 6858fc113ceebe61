"""Loads as large as their measures: whole tubs of everything, or whole litres or quarts of water for plaster."""

from collections.abc import Sequence
from math import fsum
from typing import Any

from keeve.core.errors import InputError
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job, SizeTo
from keeve.core.planning.plan import Alternative, Load, Way
from keeve.core.planning.vessel_loads import measures_of
from keeve.core.rules.gypsum import LITRES_PER_US_QUART
from keeve.core.rules.load_sizes import LoadSize
from keeve.core.tolerances import NEAR_ENOUGH_FRACTION, ROUNDING, whole_down, whole_up

# The litres of the unit that water of plaster is poured by.
WATER_UNITS_L: dict[SizeTo, float] = {"litres": 1.0, "quarts": LITRES_PER_US_QUART}
# Less than the first is poured to the quarter of its unit, less than the second to the half. A judgement made here.
_FROM_HALVES, _FROM_WHOLE = 1.0, 4.0


def check_size_to(mix: Mix, job: Job) -> None:
    """Refuse a way to size loads that the mix has not.

    Raises:
        InputError: whole water for what is no plaster, or whole vessels for what goes by the bag.
    """
    suits = mix.basis == "gypsum" if job.size_to in WATER_UNITS_L else not mix.basis_traits.is_blended
    if job.size_to != "order" and not suits:
        raise InputError(
            "size_unsuited", f"{mix.name} can't be sized to {job.size_to}. Leave size_to out.", ["size_to"]
        )


def sized_to_water(
    sizes: Sequence[LoadSize], water_l_m3: float, most_l: float, unit: SizeTo
) -> list[LoadSize]:
    """Equal loads of whole units of water that make as much, the last of what is then left.

    Args:
        sizes: the loads as they are needed, of one kind.
        water_l_m3: water in a cubic metre, L.
        most_l: the most that is mixed at a time, L.
        unit: what their water is measured in.
    """
    unit_l = WATER_UNITS_L[unit]
    order_m3 = fsum(size.volume_m3 for size in sizes)
    each_m3 = _whole_m3(sizes[0].volume_m3, water_l_m3, most_l, unit_l)
    before = whole_up(order_m3 * (1 - NEAR_ENOUGH_FRACTION) / each_m3) - 1
    last_m3 = _whole_m3(order_m3 * (1 - NEAR_ENOUGH_FRACTION) - before * each_m3, water_l_m3, most_l, unit_l)
    return [
        LoadSize(number=number, volume_m3=volume_m3)
        for number, volume_m3 in enumerate([*[each_m3] * before, last_m3], start=1)
    ]


def _whole_m3(volume_m3: float, water_l_m3: float, most_l: float, unit_l: float) -> float:
    """The volume next above, whose water is whole units of it, or the next below where that is too much."""
    units = volume_m3 * water_l_m3 / unit_l
    step = 1.0 if units >= _FROM_WHOLE else 0.5 if units >= _FROM_HALVES else 0.25
    most = most_l / 1000 * water_l_m3 / unit_l
    wanted = whole_up(units / step) * step
    if wanted > most * (1 + ROUNDING):
        wanted = whole_down(most / step) * step
    # Of a mixer that holds less than a step what is needed is made.
    return wanted * unit_l / water_l_m3 if wanted else volume_m3


def ways_to_measure(mix: Mix, job: Job, loads: Sequence[Load]) -> list[Way]:
    """The other sizes of a job whose loads are as large as is needed."""
    if job.size_to != "order" or job.trial_l or job.is_on_hand or any(load.pours for load in loads):
        return []
    if mix.basis == "gypsum":
        return ["litres", "quarts"]
    measured = measures_of(loads[0].charges, job.vessels, "volume")
    return ["vessels"] if len(measured) == len(loads[0].charges) else []


def sized_so(what: Way) -> dict[str, Any]:
    """The fields of a job that is sized so."""
    return {"size_to": what, **({"gauge": "volume"} if what == "vessels" else {})}


def offered(what: Way, loads: Sequence[Load], planned: Sequence[Load]) -> list[Alternative]:
    """The loads of a plan sized to measures, as another way than planned; nothing where it is the same.

    Args:
        what: what they are sized to.
        loads: the loads sized so.
        planned: the loads as planned.
    """
    if [load.yield_l for load in loads] == [load.yield_l for load in planned]:
        return []
    first, last = loads[0], loads[-1]
    rest_l = last.yield_l if last.yield_l < first.yield_l * (1 - ROUNDING) else None
    return [
        Alternative(
            what=what,
            loads=len(loads),
            yield_l=first.yield_l,
            rest_l=rest_l,
            measured=first,
            meant=sized_so(what),
        )
    ]
