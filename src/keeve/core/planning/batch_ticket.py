"""The ticket of a load by the yard: the weights, the water taken off and held back, how long its slump lasts."""

from collections.abc import Sequence
from typing import NamedTuple

from keeve.core.planning.mix_temperature import estimated_mix_c
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.temperature import slump_retention
from keeve.core.rules.workings import Workings

# A load of a yard or more is ticketed: 0.75 m3 hold a cubic yard counted short.
_TICKETED_L = 750.0
# Minutes after mixing that are told; after 90 a truck is emptied (ASTM C94, from memory).
_TOLD_MIN = (0.0, 30.0, 60.0, 90.0)
_USUAL_C = 20.0


class TicketLine(NamedTuple):
    """A material oven-dry (kg), the free water it brings (kg; negative: it soaks), and as it is weighed, damp (kg)."""

    material: str
    dry_kg: float
    free_water_kg: float
    batch_kg: float


class SlumpAt(NamedTuple):
    """The slump so many minutes after mixing, mm."""

    minutes: float
    slump_mm: float


class BatchTicket(NamedTuple):
    """The ticket of a load.

    Args:
        yield_m3: mixed volume, m3.
        lines: its materials.
        design_water_l: water of the design, without any correction, L.
        trim_l: what of that comes with the aggregate and the admixtures, and is taken off, L; negative: put on.
        in_aggregate_l: the part of it in the aggregate, L.
        in_admixture_l: the part of it in admixtures, L.
        at_plant_l: water to put in now, L.
        held_back_l: water to hold back for the site, L.
        slump: how its slump goes; nothing where it was designed to none.
        mix_c: the temperature that is counted by, °C.
        is_assumed: whether nobody gave that temperature.
        dosed_again_min: when the plasticiser may be dosed again, min after mixing; None where there is none.
    """

    yield_m3: float
    lines: Sequence[TicketLine]
    design_water_l: float
    trim_l: float
    in_aggregate_l: float
    in_admixture_l: float
    at_plant_l: float
    held_back_l: float
    slump: Sequence[SlumpAt]
    mix_c: float
    is_assumed: bool
    dosed_again_min: float | None


def batch_ticket(plan: Plan, load: Load) -> BatchTicket | None:
    """The ticket of a load of a yard or more of a mix by parts or by design; None of any other."""
    if load.yield_l < _TICKETED_L or plan.mix.basis_traits.is_blended or plan.mix.regime_traits.placed_in:
        return None
    water = load.water
    free = {item.name: item.free_fraction for item in plan.materials}
    mix_c = estimated_mix_c(plan.conditions, plan.binders, load, Workings())
    counted_c = _USUAL_C if mix_c is None else mix_c
    has_reducer = any(item.loosens for item in load.admixtures)
    slump, half_lost_min = _slump(plan, counted_c, with_reducer=has_reducer)
    return BatchTicket(
        yield_m3=load.yield_l / 1000,
        lines=[
            TicketLine(one.material, one.dry_kg, one.dry_kg * free[one.material], one.mass_kg)
            for one in load.charges
        ],
        design_water_l=water.free_l(water.target_l),
        trim_l=water.in_aggregate_l + water.in_admixture_l,
        in_aggregate_l=water.in_aggregate_l,
        in_admixture_l=water.in_admixture_l,
        at_plant_l=water.start_l,
        held_back_l=water.target_l - water.start_l,
        slump=slump,
        mix_c=counted_c,
        is_assumed=mix_c is None,
        dosed_again_min=half_lost_min if has_reducer else None,
    )


def _slump(plan: Plan, mix_c: float, *, with_reducer: bool) -> tuple[list[SlumpAt], float | None]:
    """The slump from mixing on, and when half of it is lost, min; nothing where none was designed."""
    if plan.slump_mm is None:
        return [], None
    stretch = plan.mix.life_min / (plan.mix.usual_life_min or plan.mix.life_min)
    found = [
        slump_retention(
            slump_mm=plan.slump_mm, minutes=at, mix_c=mix_c, with_reducer=with_reducer, stretch=stretch
        )
        for at in _TOLD_MIN
    ]
    told = [SlumpAt(at, one.slump_mm) for at, one in zip(_TOLD_MIN, found, strict=True)]
    return told, found[0].half_lost_min
