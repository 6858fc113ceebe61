"""A load in the user's own gauge: level vessels, gross readings of the scale, shovels; and what the gauge costs."""

import math
from typing import NamedTuple

from keeve.core.mixes.model import Gauge
from keeve.core.planning.job import Vessel
from keeve.core.planning.load_contents import vessels_for
from keeve.core.planning.plan import Load, LoadStep, Plan, PlannedCharge, VesselCount
from keeve.core.planning.site_mix import WATER
from keeve.core.planning.vessel_loads import COUNTED, PART_BAG, counted_load, is_near, nearest
from keeve.core.rules.vessels_and_scales import scale_target
from keeve.core.tolerances import LEAST_POUR_L, whole_up

# Beside what is weighed, a count is told up to so many. A judgement made here.
_MOST_COUNTED = 60.0
# A count that is further off than this is told otherwise. A judgement made here.
_OFF = 0.1


class GrossWeight(NamedTuple):
    """The reading of the scale: so many fills of a vessel, each to so many kg with the vessel on it."""

    vessel: str
    fills: int
    gross_kg: float


def gross_weight_of(plan: Plan, charge: PlannedCharge, share: float = 1.0) -> GrossWeight | None:
    """The reading of the scale for a share of a charge; None without a scale, or a vessel to weigh in.

    The vessel is filled level at most, and the largest scale not loaded over its capacity.
    """
    vessel = _first(plan, charge.material, "level")
    return _weighed_in(plan, vessel, charge.mass_kg / charge.volume_l, charge.mass_kg * share)


def _weighed_in(plan: Plan, vessel: Vessel | None, kg_per_l: float, net_kg: float) -> GrossWeight | None:
    capacity_kg = max((scale.capacity_kg for scale in plan.scales), default=0.0)
    if vessel is None or vessel.volume_l is None:
        return None
    most_kg = min(vessel.volume_l * kg_per_l, capacity_kg - vessel.tare_kg)
    if net_kg <= 0 or most_kg <= 0:
        return None
    fills = whole_up(net_kg / most_kg)
    gross_kg = scale_target(net_kg=net_kg, tare_kg=vessel.tare_kg, vessels=fills).gross_kg
    return GrossWeight(vessel.name, fills, gross_kg)


def _spread_of(plan: Plan, charge: PlannedCharge, count: float) -> float:
    """How far so many shovels spread (standard deviation over their sum): errors add up as independent ones do."""
    shovel = _first(plan, charge.material, "shovel")
    return shovel.spread_fraction / math.sqrt(max(count, 1.0)) if shovel else 0.0


class GaugedAmount(NamedTuple):
    """A charge, or a step's share of it, in the plan's gauge; what is told beside it in vessels, or on the scale.

    ``spread_fraction``: of shovels, how far their sum spreads (standard deviation over it). ``within_kg``: how near to
    it dry material is weighed, None where it is not.
    """

    gauge: Gauge
    mass_kg: float
    volume_l: float
    vessels: VesselCount | None
    gross: GrossWeight | None
    spread_fraction: float = 0.0
    within_kg: float | None = None


def gauged(
    plan: Plan,
    charge: PlannedCharge,
    share: float = 1.0,
    gauge: Gauge | None = None,
    before: float | None = None,
) -> GaugedAmount:
    """A share of a charge in the plan's gauge, or in another; by weight where the yard has nothing for that gauge.

    Args:
        plan: the plan, with what the yard has.
        charge: the charge.
        share: how much of it, as a fraction.
        gauge: another gauge than the plan's.
        before: for a step, the share of the charge that the steps before it take.
    """
    wanted = "volume" if plan.mix.basis_traits.is_blended else gauge or plan.gauge
    counted = _counted(plan, charge, share, before, wanted if wanted in COUNTED else "volume")
    gross = gross_weight_of(plan, charge, share)
    found: Gauge = wanted if (gross if wanted == "scale" else counted) else "weight"
    spread = _spread_of(plan, charge, counted.count) if found == "shovels" and counted else 0.0
    mass_kg = charge.mass_kg * share
    is_weighed_dry = found not in COUNTED and not plan.material(charge.material).stockpile
    reading = gross if found == "scale" and gross else GrossWeight("", 1, mass_kg)
    within_kg = _within_kg(plan, mass_kg, reading) if is_weighed_dry else None
    return GaugedAmount(found, mass_kg, charge.volume_l * share, counted, gross, spread, within_kg)


def _within_kg(plan: Plan, mass_kg: float, reading: GrossWeight) -> float | None:
    """How near a mass is weighed by the finest scale that carries it; None without one, or where it is guessed.

    Each fill to a division: common practice, no source. Over several, errors add up as independent ones do.
    """
    fit = [scale.division_g / 1000 for scale in plan.scales if scale.capacity_kg >= reading.gross_kg]
    fine = [division for division in fit if mass_kg / reading.fills >= LEAST_DIVISIONS * division]
    return min(fine) * math.sqrt(reading.fills) if fine else None


def gauges_of(plan: Plan, load: Load) -> list[Gauge]:
    """The gauges that a load can be measured in, with what the plan has; a mix by the bag goes by bags."""
    if plan.mix.basis_traits.is_blended:
        return []
    every: tuple[Gauge, ...] = ("weight", "scale", "volume", "shovels")
    return [gauge for gauge in every if _can_tell(plan, load, gauge)]


def _can_tell(plan: Plan, load: Load, gauge: Gauge) -> bool:
    if gauge in COUNTED and plan.gauge != gauge:
        return counted_load(plan, load, gauge) is not None
    return any(gauged(plan, charge, 1.0, gauge).gauge == gauge for charge in load.charges)


def _counted(
    plan: Plan, charge: PlannedCharge, share: float, before: float | None, gauge: Gauge
) -> VesselCount | None:
    """A share of a charge in the first vessel of a gauge that can tell it, in its steps; None where none can.

    The steps of one charge add up to its count, whatever each is rounded to.
    """
    kinds = {vessel.name: vessel.kind for vessel in plan.vessels}
    for item in charge.vessels:
        if plan.gauge not in COUNTED and item.count * share > _MOST_COUNTED:
            continue
        if plan.mix.basis_traits.is_blended:
            # All of it is so many bags or pails; a share of it is told in quarters of them, or weighed.
            part = item.count * share
            is_told = share == 1 or is_near(part, PART_BAG)
            return VesselCount(name=item.name, count=part) if is_told else None
        # Loads of whole bags are shared out in quarters of them, as level vessels are.
        step = COUNTED[gauge].get(kinds[item.name]) if item.name in kinds else PART_BAG
        if step is None:
            continue
        begins = nearest((before or 0.0) * item.count, step)
        count = nearest(((before or 0.0) + share) * item.count, step) - begins
        is_part = before is not None and is_near(item.count, step)
        if count > 0 and (is_part or abs(count - item.count * share) <= _OFF * item.count * share):
            return VesselCount(name=item.name, count=count)
    return None


class Fill(NamedTuple):
    """One fill of the vessel that a charge is counted in: its name, kg of the material in it, how many there are."""

    vessel: str
    mass_kg: float
    number: float


def fill_of(gauged: GaugedAmount) -> Fill | None:
    """One of the fills that a charge is counted in; None where it goes by weight alone."""
    if gauged.gauge in COUNTED and gauged.vessels and gauged.vessels.count:
        return Fill(gauged.vessels.name, gauged.mass_kg / gauged.vessels.count, gauged.vessels.count)
    if gauged.gauge == "scale" and gauged.gross:
        return Fill(gauged.gross.vessel, gauged.mass_kg / gauged.gross.fills, gauged.gross.fills)
    return None


class WaterPour(NamedTuple):
    """A vessel of water, or a part of one: its name, how much of it, L."""

    vessel: str
    fraction: float
    water_l: float


# Water is dipped and poured by eye in these parts of a vessel.
_POURED = (1.0, 0.5, 0.25)
_MOST_POURS = 3


def water_pours(plan: Plan, most_l: float) -> list[WaterPour]:
    """Vessels of the user's own that may still be poured, the largest first: those kept for water, then the others."""
    level = [item for item in vessels_for(WATER, plan.vessels) if item.kind == "level" and item.volume_l]
    own = [item for item in level if item.material == WATER] or level
    every = [
        WaterPour(item.name, fraction, fraction * (item.volume_l or 0.0))
        for item in own
        for fraction in _POURED
    ]
    fit = [item for item in every if LEAST_POUR_L <= item.water_l <= most_l]
    return sorted(fit, key=lambda item: -item.water_l)[:_MOST_POURS]


class WeighedWater(NamedTuple):
    """Water on the scale: kg, and what the scale shows with its bucket; None without one."""

    mass_kg: float
    gross: GrossWeight | None


def weighed_water(plan: Plan, water_l: float) -> WeighedWater | None:
    """Water as it is weighed: that of plaster, and any where there is a scale. None of what is only poured."""
    if (plan.mix.regime_traits.water_in_steps and not plan.scales) or water_l <= 0:
        return None
    return WeighedWater(water_l, _weighed_in(plan, _first(plan, WATER, "level"), 1.0, water_l))


def gauged_step(plan: Plan, load: Load, step: LoadStep) -> GaugedAmount | None:
    """The charge of a step, in the plan's gauge; None where it charges nothing."""
    if step.mass_kg is None or not step.plan.material:
        return None
    earlier = [
        other.share or 1.0
        for other in plan.procedure
        if other.material == step.plan.material and other.kind == "charge" and other.step < step.plan.step
    ]
    whole = step.left == 1.0
    share = (step.plan.share or 1.0) * step.left
    return gauged(plan, load.charge(step.plan.material), share, before=math.fsum(earlier) if whole else None)


# A dose of fewer graduations of a jar, or divisions of a scale, is guessed, not measured.
LEAST_DIVISIONS = 10
# What liquids are measured in: its name, the most it holds and its graduation, mL. Common practice, no source.
_JARS = (
    ("syringe", 20, 1),
    ("cylinder", 100, 1),
    ("cylinder", 250, 2),
    ("jug", 1000, 20),
    ("jug", 5000, 100),
)


class Jar(NamedTuple):
    """A measure for liquids: its name and the most it holds, mL."""

    name: str
    holds_ml: float


def jar_for(volume_ml: float) -> Jar | None:
    """The smallest usual measure that holds a dose and can measure it; None where it is too little or too much."""
    fit = [Jar(name, most) for name, most, mark in _JARS if LEAST_DIVISIONS * mark <= volume_ml <= most]
    return fit[0] if fit else None


def _first(plan: Plan, material: str, kind: str) -> Vessel | None:
    """The first of the plan's vessels of a kind that a material is measured in."""
    return next((item for item in vessels_for(material, plan.vessels) if item.kind == kind), None)
