"""The answer of the plan page: the plan of a job with what is shown of it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.planning.amounts import WeighedWater, weighed_water
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.pace import mixing_hours
from keeve.core.planning.plan import Load, Plan
from keeve.core.planning.site_mix import chosen_mix
from keeve.core.planning.vessel_loads import COUNTED, VesselError, counting_error
from keeve.figures.amounts import BoughtLine, MaterialAmount, material_amounts, shopping_list
from keeve.figures.plaster import RatioLine, ratios_beside
from keeve.figures.set_clock import Batches, ClockFigures, Warmth, batches_of, by_warmth, planned_clock

# Less of the strength than that is none.
_WORTH_A_WORD = 0.005

Expects = Callable[[Plan], Sequence[ExpectedWater | None]]
Sets = Callable[[Plan], SettingHistory | None]


class LoadsAlike(NamedTuple):
    """Loads of the same amounts: how many, the first of them, its materials as they are measured.

    ``water``: its water as it is weighed, where it is.
    """

    number: int
    load: Load
    materials: Sequence[MaterialAmount]
    water: WeighedWater | None


@dataclass(frozen=True)
class PlanAnswer:
    """The plan of a job as the plan page shows it.

    Args:
        plan: the plan.
        load: its first load.
        alike: its loads, those of the same amounts together.
        shopping: what to buy.
        waste_m3: volume of the waste, m3.
        vessel_error: the error of measuring in vessels, where that is asked for.
        litre_more_loss: share of the strength that a litre more in a load costs; None where no law says.
        needs: each item of the job, as plain values for its sketch.
        clock: the set clock of that load; None where it has none.
        ratios: the ratios of a plaster mix side by side.
        warmth: how the warmth of its water moves it.
        batches: how batches for building up follow each other; None where nothing is built up.
        own_hours: how long one mixer takes for all of it, h.
    """

    plan: Plan
    load: Load
    alike: Sequence[LoadsAlike]
    shopping: Sequence[BoughtLine]
    waste_m3: float
    vessel_error: VesselError | None
    litre_more_loss: float | None
    needs: Sequence[dict[str, object]]
    clock: ClockFigures | None
    ratios: Sequence[RatioLine]
    warmth: Sequence[Warmth]
    batches: Batches | None
    own_hours: float

    @property
    def costs_strength(self) -> bool:
        """Whether a litre more costs strength that is worth a word."""
        return (self.litre_more_loss or 0.0) >= _WORTH_A_WORD


def plan_answer(job: Job, expected_of: Expects | None = None, setting_of: Sets | None = None) -> PlanAnswer:
    """The answer to a job.

    Args:
        job: the job.
        expected_of: the water of each kind of load, where the crew knows more of its stockpile than the plan.
        setting_of: what the crew's past loads of its plaster say.

    Raises:
        InputError: the job cannot be planned.
    """
    plan = make_plan(job)
    strength = plan.strength
    alike = plan.loads_alike
    expected = expected_of(plan) if expected_of else [None for _ in alike]
    firsts = [as_expected(plan, same[0], water) for same, water in zip(alike, expected, strict=True)]
    load = firsts[0]
    left = strength.litre_more_ratio if strength else None
    return PlanAnswer(
        plan=plan,
        load=load,
        alike=[
            LoadsAlike(len(same), one, material_amounts(plan, one), weighed_water(plan, one.water.start_l))
            for same, one in zip(alike, firsts, strict=True)
        ],
        shopping=shopping_list(plan),
        waste_m3=plan.volume.order_m3 - plan.volume.net_m3,
        vessel_error=max((counting_error(plan, one[0]) for one in alike), default=None)
        if plan.gauge in COUNTED
        else None,
        litre_more_loss=None if left is None else 1 - left,
        # A sketch shows what was given, and no default.
        needs=[need.model_dump(exclude_unset=True) for need in job.need],
        clock=planned_clock(plan, load, setting_of(plan) if setting_of else None),
        warmth=by_warmth(plan, load),
        batches=batches_of(plan),
        ratios=ratios_beside(chosen_mix(job), plan),
        own_hours=mixing_hours(plan),
    )
