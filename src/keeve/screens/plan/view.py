"""The answer of the plan page: the plan of a job with what is shown of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from keeve.core.planning.amounts import WeighedWater, weighed_water
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Load, Plan
from keeve.core.planning.site_mix import chosen_mix
from keeve.core.planning.vessel_loads import VesselError, counting_error
from keeve.figures.amounts import BoughtLine, MaterialAmount, material_amounts, shopping_list
from keeve.figures.plaster import RatioLine, ratios_beside
from keeve.figures.set_clock import Batches, ClockFigures, Warmth, batches_of, by_warmth, planned_clock


@dataclass(frozen=True)
class PlanAnswer:
    """The plan of a job as the plan page shows it.

    Args:
        plan: the plan.
        load: its first load.
        materials: what goes into that load, as it is measured.
        shopping: what to buy.
        waste_m3: volume of the waste, m3.
        vessel_error: the error of measuring in vessels, where that is asked for.
        litre_more_loss: share of the strength that a litre more in a load costs; None where no law says.
        needs: each item of the job, as plain values for its sketch.
        water: the water of that load as it is weighed, where it is.
        clock: the set clock of that load; None where it has none.
        ratios: the ratios of a plaster mix side by side.
        warmth: how the warmth of its water moves it.
        batches: how batches for building up follow each other; None where nothing is built up.
    """

    plan: Plan
    load: Load
    materials: Sequence[MaterialAmount]
    shopping: Sequence[BoughtLine]
    waste_m3: float
    vessel_error: VesselError | None
    litre_more_loss: float | None
    needs: Sequence[dict[str, object]]
    water: WeighedWater | None
    clock: ClockFigures | None
    ratios: Sequence[RatioLine]
    warmth: Sequence[Warmth]
    batches: Batches | None


def plan_answer(job: Job) -> PlanAnswer:
    """The answer to a job.

    Raises:
        InputError: the job cannot be planned.
    """
    plan = make_plan(job)
    load, strength = plan.loads[0], plan.strength
    left = strength.litre_more_ratio if strength else None
    return PlanAnswer(
        plan=plan,
        load=load,
        materials=material_amounts(plan, load),
        shopping=shopping_list(plan),
        waste_m3=plan.volume.order_m3 - plan.volume.net_m3,
        vessel_error=counting_error(plan, load) if plan.gauge == "volume" else None,
        litre_more_loss=None if left is None else 1 - left,
        # A sketch shows what was given, and no default.
        needs=[need.model_dump(exclude_unset=True) for need in job.need],
        water=weighed_water(plan, load.water.start_l),
        clock=planned_clock(plan, load),
        warmth=by_warmth(plan, load),
        batches=batches_of(plan),
        ratios=ratios_beside(chosen_mix(job), plan),
    )
