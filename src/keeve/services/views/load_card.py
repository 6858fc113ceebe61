"""Load cards: what goes into each load of a plan, in which order and in which vessels."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.mixes.model import Gauge
from keeve.core.planning.amounts import gauges_of, in_vessels
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.vessels_and_scales import GaugeVessels
from keeve.core.rules.workings import Workings
from keeve.services import loads
from keeve.services.accounts import Visitor
from keeve.services.plans import saved_plan
from keeve.services.views.amounts import BoughtLine, StepView, shopping_list, steps_of
from keeve.services.views.sections import SectionFigures, section_figures
from keeve.services.views.water import WaterFigures, planned_water


@dataclass(frozen=True)
class LoadCard:
    """The card of one load: its steps, its section and its water line."""

    load: Load
    steps: Sequence[StepView]
    section: SectionFigures
    water: WaterFigures


def load_card(plan: Plan, load: Load) -> LoadCard:
    """The card of a load, in the gauge of its plan."""
    steps = steps_of(plan, load)
    return LoadCard(load, steps, section_figures(plan, load, labels=steps), planned_water(plan, load))


class BegunLoad(NamedTuple):
    """A load that was begun: its id, and whether nothing of it is in the mixer any more."""

    id: UUID
    is_over: bool


@dataclass(frozen=True)
class CardPage:
    """The page of one card.

    Args:
        plan_id: the plan's id.
        plan: the plan, in the gauge asked for.
        card: the card.
        begun: the loads of the plan that were begun, by number.
        gauges: the gauges that the load can be shown in.
        vessel_error: the error of measuring in vessels, where the card does.
    """

    plan_id: UUID
    plan: Plan
    card: LoadCard
    begun: Mapping[int, BegunLoad]
    gauges: Sequence[Gauge]
    vessel_error: GaugeVessels | None


def card_page(
    engine: Engine, visitor: Visitor, plan_id: UUID, number: int, gauge: Gauge | None, now: datetime
) -> CardPage | None:
    """The card of a load in the plan's gauge or in another; None where the crew has no such load."""
    saved = saved_plan(engine, visitor, plan_id)
    load = saved.plan.load(number) if saved else None
    if saved is None or load is None:
        return None
    plan = saved.plan.model_copy(update={"gauge": gauge}) if gauge else saved.plan
    begun = loads.loads_of_plan(engine, visitor, plan_id)
    return CardPage(
        plan_id=plan_id,
        plan=plan,
        card=load_card(plan, load),
        begun={
            each: BegunLoad(running.id, running.situation(now).is_over) for each, running in begun.items()
        },
        gauges=gauges_of(plan, load),
        vessel_error=in_vessels(plan, load, Workings()) if plan.gauge == "volume" else None,
    )


@dataclass(frozen=True)
class PlanOnPaper:
    """A plan on paper: what to buy, then a card a load."""

    plan_id: UUID
    plan: Plan
    shopping: Sequence[BoughtLine]
    cards: Sequence[LoadCard]

    @property
    def pages(self) -> int:
        """How many pages it takes."""
        return 1 + len(self.cards)


def plan_on_paper(engine: Engine, visitor: Visitor, plan_id: UUID) -> PlanOnPaper | None:
    """A plan on paper; None where the crew has no such plan."""
    saved = saved_plan(engine, visitor, plan_id)
    if saved is None:
        return None
    plan = saved.plan
    return PlanOnPaper(plan_id, plan, shopping_list(plan), [load_card(plan, load) for load in plan.loads])
