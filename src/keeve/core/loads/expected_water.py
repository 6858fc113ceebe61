"""The water of a running load, as it is expected: by the moisture of its stockpile, or by what the last load took.

One stockpile of a plan is followed, its sand or else its stone: that drains, dries and is rained on. The water of the
other materials is taken as planned. If everything comes dry in bags, the last load is the guide.
"""

from keeve.core.loads.contents import contents
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import ExpectedWater, ForecastReason
from keeve.core.planning.plan import Load, LoadWater, Plan, PlanMaterial
from keeve.core.tolerances import LEAST_POUR_L


def followed(plan: Plan) -> PlanMaterial | None:
    """The material of the plan whose stockpile is followed; None where everything comes dry in bags."""
    return next((material for material in plan.materials if material.stockpile), None)


def as_expected(plan: Plan, load: Load, expected: ExpectedWater | None) -> Load:
    """The load with its water as it is expected."""
    if expected is None:
        return load
    material = followed(plan)
    if material is None:
        about_l = min(max(expected.about_l, load.water.min_l), load.water.ceiling_l)
        return load.with_water(start_l=expected.start_l, target_l=max(about_l, expected.start_l))
    water = shifted_water(load, material, expected.free_moisture_fraction, expected.weighed)
    return load.model_copy(update={"water": water}).with_water(start_l=expected.start_l)


def carried_over(plan: Plan, load: Load, last: Load, state: LoadState) -> ExpectedWater | None:
    """The water of a load by what the last one took until it was right.

    None where it was never right, where a stockpile is followed instead, or where no water is judged.

    Args:
        plan: the plan of both.
        load: the load that comes.
        last: the load before, as planned.
        state: its state.
    """
    right = next((item for item in reversed(state.judgements) if item.counts and item.is_right), None)
    if right is None or followed(plan) or not plan.mix.regime_traits.water_in_steps:
        return None
    taken_l = contents(plan, last, state).as_planned_l(right.water_l) * load.binder_kg / last.binder_kg
    # A label may leave nothing to judge.
    most_l = max(most_to_start_l(load.water.ceiling_l), load.water.start_l)
    start_l = min(max(taken_l, LEAST_POUR_L), most_l)
    return ExpectedWater(
        stockpile="",
        start_l=start_l,
        about_l=start_l,
        low_l=start_l,
        high_l=start_l,
        last_total_l=right.water_l,
        free_moisture_fraction=0.0,
        sd_fraction=0.0,
        weighed=False,
        because=ForecastReason(kind="last-load"),
    )


# So much of the max is never poured before the first look. A judgement made here.
_LEFT_TO_JUDGE = 0.05


def most_to_start_l(ceiling_l: float) -> float:
    """The most water to start with, L: what is learnt leaves something to judge with, whatever it says."""
    return ceiling_l * (1 - _LEFT_TO_JUDGE)


def shifted_water(load: Load, material: PlanMaterial, free_fraction: float, weighed: bool) -> LoadWater:
    """The water of a load for a stockpile with this much free water.

    Judging by eye moves the target. It may lower the ceiling but never raise it: an eye that likes it wet would raise
    it load by load. A dried pan raises it.
    """
    planned = load.water
    drier_l = free_water_kg(load, material) - free_fraction * load.charge(material.name).dry_kg
    bounds_l = drier_l if weighed else min(drier_l, 0.0)
    ceiling_l = max(planned.ceiling_l + bounds_l, LEAST_POUR_L)
    low_l = min(max(planned.min_l + bounds_l, 0.0), ceiling_l)
    return LoadWater(
        start_l=planned.start_l,
        min_l=low_l,
        target_l=min(max(planned.target_l + drier_l, low_l), ceiling_l),
        ceiling_l=ceiling_l,
        in_aggregate_l=planned.in_aggregate_l - drier_l,
        in_admixture_l=planned.in_admixture_l,
    )


def free_water_kg(load: Load, material: PlanMaterial) -> float:
    """The free water in the followed stockpile's material as planned, kg."""
    return load.charge(material.name).dry_kg * material.free_fraction


_CHANGED = {"rain": "Rain on the pile", "delivery": "New delivery", "night": "It stood overnight"}
_PAST_CEILING = " That's over the max, which assumes wetter sand. Do a pan test to correct the max."


def in_words(because: ForecastReason) -> str:
    """The reason for the expected water in a few sentences."""
    now, before = f"{because.free_moisture_fraction:.1%}", f"{because.before_fraction * 100:.1f}"
    now = now.replace("%", " %")
    match because.kind:
        case "last-load":
            words = "Same as the last load. Start with that, then judge."
        case "night" if because.by_weather:
            words = (
                f"Overnight weather suggests about {now} free water "
                f"(± {because.spread_fraction * 100:.1f}). Start low, then judge."
            )
        case "rain" | "delivery" | "night":
            words = (
                f"{_CHANGED[because.kind]}: {now} free water before, now uncertain "
                f"(± {because.spread_fraction * 100:.1f}). Start low, then judge."
            )
        case "digging":
            words = (
                f"You dig elsewhere in the pile now: about {now} free water there, uncertain "
                f"(± {because.spread_fraction * 100:.1f}). Start low, then judge."
            )
        case "untold":
            wetter = because.free_moisture_fraction > because.before_fraction
            words = (
                f"The pile is suddenly {'wetter' if wetter else 'drier'}: {before} to {now} free water. "
                + (
                    "Has it rained, or was new sand delivered?"
                    if wetter
                    else "Is it new sand, or from another part of the pile?"
                )
                + " Note it under Our kit."
            )
        case "told":
            words = (
                f"Same pile as before? You typed {now} free water, the loads before say {before} %. "
                "This job goes by what you typed until you say so."
            )
        case "seen-once":
            words = f"The pile holds {now} free water at the last load."
        case "drying":
            words = f"The pile is drying: {before} to {now} free water over {because.loads} loads."
        case "wetter":
            words = f"The pile is getting wetter: {before} to {now} free water over {because.loads} loads."
        case "steady":
            words = f"The pile stays near {now} free water over {because.loads} loads."
    return words + (_PAST_CEILING if because.is_past_ceiling else "")
