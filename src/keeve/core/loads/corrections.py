"""Corrections of a load that is too wet, miscounted, overdosed, sandy or rich, and what each costs."""

from math import fsum
from typing import NamedTuple

from keeve.core.errors import InputError
from keeve.core.loads.contents import Contents, free_fraction
from keeve.core.loads.event import Cause, Cohesion
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.mix_temperature import heat_masses
from keeve.core.planning.plan import Load, Plan
from keeve.core.planning.vessel_loads import COUNTED, measures_of
from keeve.core.rules.corrections import correct_miscount, correct_wet
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.temperature import SOLID_HEAT, CoolingPlan, cooling_plan
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import COUNT_FRACTION, CRUMB_KG, NEAR_ENOUGH_FRACTION

# Where the eye says too wet and the figures do not, so much of the water is taken as the surplus where it looks
# wettest, less between the drawings: a judgement made here, about one visible step on the trowel.
_LEAST_SURPLUS = 0.05
# A sandy mix is given an eighth less of its aggregate, a rich one an eighth more, inside the mix's own span.
# A judgement made here: one step that shows.
_COHESION_STEP = 0.125
# What one reaches back to on a warm day, °C.
COOL_C = 20.0


class Correction(NamedTuple):
    """A correction of a load.

    Args:
        cause: what is wrong.
        rule: the rule that gives the amounts.
        add_kg: material to add, kg as charged by name; none where the mix is at its limit.
        water_l: water to add with it, L, so that the ratio stays as it is.
        ratio: water over binder afterwards; None before there is water.
        loose_l: loose volume of what is added, L.
        room_l: room left in the mixer up to its working volume, L.
        fits: whether there is room for it in the mixer.
        strength: the strength to expect afterwards at 28 days, where a law gives one.
    """

    cause: Cause
    rule: str
    add_kg: dict[str, float]
    water_l: float
    ratio: float | None
    loose_l: float
    room_l: float
    fits: bool
    strength: StrengthBand | None


class _Case(NamedTuple):
    """A load to correct: the inputs of every correction."""

    plan: Plan
    state: LoadState
    held: Contents
    workings: Workings

    @property
    def room_l(self) -> float:
        """Room left in the mixer, L; it is full within a hundredth."""
        working_l = self.plan.mixer.working_l
        room_l = working_l - self.held.yield_l
        return room_l if room_l > NEAR_ENOUGH_FRACTION * working_l else 0.0

    @property
    def free_fractions(self) -> dict[str, float]:
        """Free water of each material over its oven-dry mass."""
        return {item.name: free_fraction(item.name, self.plan, self.state) for item in self.plan.materials}

    @property
    def densities_kg_m3(self) -> dict[str, float]:
        """Loose density of each material as charged."""
        charges = self.held.planned.charges
        return {item.material: item.mass_kg / item.volume_l * 1000 for item in charges}

    def strength(self, ratio: float | None) -> StrengthBand | None:
        """The strength to expect with that ratio."""
        load = self.held.planned
        if not ratio:
            return None
        return strength_of_load(self.plan, load, load.water.to_add_l(ratio * load.binder_kg), Workings())

    @property
    def ratio(self) -> float | None:
        """Water over binder now; None before there is both."""
        held = self.held
        return held.water_kg / held.binder_kg if held.has_binder and held.added_l > 0 else None

    def counted(self, add_kg: dict[str, float]) -> dict[str, float]:
        """Masses to add, kg; of a load that is counted out in steps of its measures, one of each at least."""
        plan, planned = self.plan, self.held.planned
        if plan.gauge not in COUNTED or plan.mix.basis_traits.is_blended:
            return add_kg
        charges = [
            planned.charge(name).times(kg / planned.charge(name).mass_kg) for name, kg in add_kg.items()
        ]
        measures = measures_of(charges, plan.vessels, plan.gauge)
        in_steps = {}
        for charge in charges:
            if measure := measures.get(charge.material):
                step_l = measure.volume_l * measure.fraction
                in_steps[charge.material] = (
                    max(round(charge.volume_l / step_l), 1) * step_l / charge.volume_l * charge.mass_kg
                )
        return {**add_kg, **in_steps}

    def adding(self, cause: Cause, rule: str, add_kg: dict[str, float], wanted: float | None) -> Correction:
        """The correction that adds these masses, with water up to the wanted ratio."""
        plan, held = self.plan, self.held
        kept = self.counted({name: kg for name, kg in add_kg.items() if kg > CRUMB_KG})
        dry_kg = {
            name: kg * held.planned.charge(name).dry_kg / held.planned.charge(name).mass_kg
            for name, kg in kept.items()
        }
        binder_kg = held.binder_kg + fsum(dry_kg.get(name, 0.0) for name in plan.binders)
        free, densities_kg_m3 = self.free_fractions, self.densities_kg_m3
        brought_l = fsum(kg * free[name] for name, kg in dry_kg.items())
        water_l = max(wanted * binder_kg - held.water_kg - brought_l, 0.0) if wanted else 0.0
        ratio = (held.water_kg + brought_l + water_l) / binder_kg if wanted else None
        loose_l = fsum(kg / densities_kg_m3[name] * 1000 for name, kg in kept.items())
        return Correction(
            cause=cause,
            rule=rule,
            add_kg=kept,
            water_l=water_l,
            ratio=ratio,
            loose_l=loose_l,
            room_l=self.room_l,
            fits=loose_l <= self.room_l + NEAR_ENOUGH_FRACTION * plan.mixer.working_l,
            strength=self.strength(ratio),
        )


def for_reading(
    plan: Plan,
    state: LoadState,
    held: Contents,
    cohesion: Cohesion | None,
    wetness: float | None,
    workings: Workings,
) -> Correction:
    """The correction of a load that was judged sandy or rich, or else too wet.

    Args:
        plan: the plan.
        state: the state of the load.
        held: its contents.
        cohesion: whether it was sandy or rich; that is corrected before water.
        wetness: how wet it looked, 0.5 right to 1 too wet; None for too wet as drawn.
        workings: keeps the rules that are run.
    """
    case = _Case(plan, state, held, workings)
    return _sandy_or_rich(case, cohesion) if cohesion else _too_wet(case, 1.0 if wetness is None else wetness)


def _too_wet(case: _Case, wetness: float) -> Correction:
    """The correction of a load too wet.

    It may look too wet while its figures are in range (the sand was wetter than thought): then the ratio comes down
    from what it is by one small step of water. If that cannot be had, for its sand brings more water than it
    binds, nothing is added.
    """
    plan, held = case.plan, case.held
    water = held.planned.water
    target_ratio = water.free_l(water.target_l) / held.planned.binder_kg
    least_surplus = _LEAST_SURPLUS * max(2 * wetness - 1, 0.0)
    ratio = held.water_kg / held.binder_kg if held.has_binder else target_ratio
    try:
        found = case.workings.run(
            correct_wet,
            charged_kg=held.dry_kg,
            water_kg=max(held.water_kg, 0.0),
            binder=plan.binders,
            target_ratio=min(target_ratio, ratio * (1 - least_surplus)),
            mixer_free_l=case.room_l,
            moisture_fraction={item.name: item.moisture_fraction for item in plan.materials},
            free_moisture_fraction=case.free_fractions,
            bulk_densities_kg_m3=case.densities_kg_m3,
        )
    except InputError:
        return Correction(
            "too-wet", "correct-wet", {}, 0.0, ratio, 0.0, case.room_l, fits=True, strength=None
        )
    return case.adding("too-wet", "correct-wet", found.add_kg, found.new_ratio)


def for_count(plan: Plan, state: LoadState, held: Contents, workings: Workings) -> Correction | None:
    """The correction of a load that was miscounted or overdosed; None where its count is right.

    Nothing can be taken out, so the largest share sets the size: a double dose asks for a load of twice the size. A
    dose that was added on purpose is none too many.
    """
    parts = {item.material: item.mass_kg for item in held.planned.charges}
    times = {name: held.batch_kg[name] / mass_kg for name, mass_kg in parts.items()}
    doses = {name: dose for name, dose in state.counted_doses.items() if dose > 0}
    every = [*times.values(), *doses.values()]
    if max(every) - min(times.values()) <= COUNT_FRACTION * max(every):
        return None
    found = workings.run(
        correct_miscount,
        charged_vessels={**times, **doses},
        parts_vessels=dict.fromkeys({**times, **doses}, 1.0),
    )
    cause: Cause = "overdosed" if doses and max(doses.values()) > max(times.values()) else "miscounted"
    add_kg = {name: found.add[name] * mass_kg for name, mass_kg in parts.items()}
    case = _Case(plan, state, held, workings)
    return case.adding(cause, "correct-miscount", add_kg, case.ratio)


def _sandy_or_rich(case: _Case, cohesion: Cohesion) -> Correction:
    """The correction of a sandy load (more binder) or a rich one (more aggregate); the water follows the binder.

    The mix's own span bounds it; where the user's ratio is past that span already, nothing is added.
    """
    times = 1 - _COHESION_STEP if cohesion == "sandy" else 1 + _COHESION_STEP
    parts = {}
    for material in case.plan.materials:
        wanted = material.parts if material.is_binder else material.parts * times
        if not material.is_binder and material.least is not None and material.greatest is not None:
            if cohesion == "sandy":
                wanted = min(max(wanted, material.least), material.parts)
            else:
                wanted = max(min(wanted, material.greatest), material.parts)
        # By dry mass, as the load was planned: so many times what the plan has of it.
        parts[material.name] = case.held.planned.charge(material.name).mass_kg * wanted / material.parts
    found = case.workings.run(correct_miscount, charged_vessels=case.held.batch_kg, parts_vessels=parts)
    return case.adding(cohesion, "correct-miscount", found.add, case.ratio)


def judges_cohesion(plan: Plan) -> bool:
    """Whether a mix can be judged sandy or rich: a mortar by parts can, an all-in bag cannot."""
    aggregates = {material.sort for material in plan.materials if not material.is_binder}
    return not plan.mix.basis_traits.is_blended and aggregates == {"sand"}


def cooler_next_time(plan: Plan, load: Load, state: LoadState, workings: Workings) -> CoolingPlan | None:
    """Cooler water and ice that bring the next load to 20 °C; None without the temperatures of mix and water.

    The temperature of the dry materials is computed back from that of the mix.
    """
    water_c = plan.conditions.water_c if state.water_c is None else state.water_c
    if state.mix_c is None or water_c is None or state.mix_c <= COOL_C or not load.water.target_l:
        return None
    masses = heat_masses(plan.binders, load)
    solids = SOLID_HEAT * (masses["aggregate_kg"] + masses["cement_kg"]) + masses["aggregate_water_kg"]
    dry_c = state.mix_c + (state.mix_c - water_c) * masses["water_kg"] / solids
    try:
        return workings.run(
            cooling_plan,
            **masses,
            aggregate_c=dry_c,
            cement_c=dry_c,
            water_c=water_c,
            target_c=COOL_C,
        )
    except InputError:
        # Temperatures that cannot be together: nothing is advised on them.
        return None
