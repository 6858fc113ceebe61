"""Load cards: what goes into each load of a plan, in which order and in which vessels."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.expected_water import as_expected, in_words
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.mixes.model import Gauge
from keeve.core.planning.amounts import gauges_of
from keeve.core.planning.batch_ticket import BatchTicket, batch_ticket
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import Load, Plan
from keeve.core.planning.vessel_loads import COUNTED, VesselError, counted_load, counting_error
from keeve.figures.amounts import BoughtLine, StepView, shopping_list, steps_of
from keeve.figures.sections import SectionFigures, section_figures
from keeve.figures.set_clock import ClockFigures, planned_clock
from keeve.figures.water import WaterFigures, planned_water


@dataclass(frozen=True)
class LoadCard:
    """The card of one load: its steps, its section and its water line.

    Args:
        load: the load with its water as it is expected.
        steps: its steps.
        section: its section.
        water: its water line.
        expected: why its water is another than planned; None where it is as planned.
        clock: its set clock; None where it has none.
        ticket: its batch ticket, where it is a load by the yard.
    """

    load: Load
    steps: Sequence[StepView]
    section: SectionFigures
    water: WaterFigures
    expected: ExpectedWater | None = None
    clock: ClockFigures | None = None
    ticket: BatchTicket | None = None

    @property
    def expected_words(self) -> str:
        """Why its water is another than planned."""
        return in_words(self.expected.because) if self.expected else ""


def load_card(
    plan: Plan,
    planned: Load,
    expected: ExpectedWater | None = None,
    setting: SettingHistory | None = None,
) -> LoadCard:
    """The card of a load, in the gauge of its plan, with its water as expected, its clock as own loads show."""
    load = as_expected(plan, planned, expected)
    steps = steps_of(plan, load)
    section = section_figures(plan, load, labels=steps)
    return LoadCard(
        load,
        steps,
        section,
        planned_water(plan, load),
        expected,
        planned_clock(plan, planned, setting),
        batch_ticket(plan, load),
    )


def _cards(
    plan: Plan,
    wanted: Sequence[Load],
    expected: Mapping[int, ExpectedWater],
    setting: SettingHistory | None,
) -> list[LoadCard]:
    """Cards of loads, with the water that is expected of them by their numbers."""
    # Loads alike but for their number have one card.
    known: list[tuple[Load, ExpectedWater | None, LoadCard]] = []
    cards = []
    for load in wanted:
        own, water = load.numbered(1), expected.get(load.number)
        card = next((card for like, its_water, card in known if (like, its_water) == (own, water)), None)
        if card is None:
            card = load_card(plan, load, water, setting)
            known.append((own, water, card))
        cards.append(replace(card, load=card.load.numbered(load.number)))
    return cards


class InGauge(NamedTuple):
    """A plan and a load of it in a gauge, the gauges it can be shown in, and the error of measuring in vessels."""

    plan: Plan
    load: Load
    gauges: Sequence[Gauge]
    vessel_error: VesselError | None


class BegunLoad(NamedTuple):
    """A load that was begun: its id, and whether nothing of it is in the mixer any more."""

    id: UUID
    is_over: bool


@dataclass(frozen=True)
class CardPage:
    """The page of one card.

    Args:
        plan_id: the plan's id; None where it is not kept.
        job_id: the id of its job; None where it is not kept.
        plan: the plan, in the gauge asked for.
        card: the card.
        begun: the loads of the plan that were begun, by number.
        gauges: the gauges that the load can be shown in.
        vessel_error: the error of measuring in vessels, where the card does.
    """

    plan_id: UUID | None
    job_id: UUID | None
    plan: Plan
    card: LoadCard
    begun: Mapping[int, BegunLoad]
    gauges: Sequence[Gauge]
    vessel_error: VesselError | None


def card_page(
    plan_id: UUID,
    job_id: UUID,
    shown: InGauge,
    expected: Mapping[int, ExpectedWater],
    begun: Mapping[int, BegunLoad],
    setting: SettingHistory | None,
) -> CardPage:
    """The card of a load.

    Args:
        plan_id: its plan's id.
        job_id: its job's id.
        shown: its plan and the load in a gauge.
        expected: the water that loads are expected to need, by number.
        begun: the loads of the plan that were begun, by number.
        setting: what past loads of its plaster say; None where it has none.
    """
    card = _cards(shown.plan, [shown.load], expected, setting)[0]
    return CardPage(plan_id, job_id, shown.plan, card, begun, shown.gauges, shown.vessel_error)


def quick_card(job: Job, number: int, gauge: Gauge | None) -> CardPage | None:
    """The card of a load of a job that is not kept; None where it has no such load.

    Raises:
        InputError: the job cannot be planned.
    """
    return card_of(make_plan(job), number, gauge)


def card_of(planned: Plan, number: int, gauge: Gauge | None) -> CardPage | None:
    """The card of a load as its plan has it, apart from any crew's work; None where it has no such load."""
    shown = in_gauge(planned, number, gauge)
    if shown is None:
        return None
    card = load_card(shown.plan, shown.load)
    return CardPage(None, None, shown.plan, card, {}, shown.gauges, shown.vessel_error)


def in_gauge(plan: Plan, number: int, gauge: Gauge | None) -> InGauge | None:
    """A load in its plan's gauge or in another that it can be shown in; None where the plan has no such load."""
    load = plan.load(number)
    if load is None:
        return None
    gauges = gauges_of(plan, load)
    if gauge in gauges:
        # What is measured otherwise is counted out where it is to be shown so.
        load = (counted_load(plan, load, gauge) if gauge in COUNTED and plan.gauge != gauge else None) or load
        plan = plan.model_copy(update={"gauge": gauge})
    return InGauge(plan, load, gauges, counting_error(plan, load) if plan.gauge in COUNTED else None)


@dataclass(frozen=True)
class PlanOnPaper:
    """A plan on paper: what to buy, then a card a load; ``moment``: when it was made."""

    moment: datetime
    plan_id: UUID
    plan: Plan
    shopping: Sequence[BoughtLine]
    cards: Sequence[LoadCard]

    @property
    def pages(self) -> int:
        """How many pages it takes."""
        return 1 + len(self.cards)

    def sheets(self, a_page: int) -> tuple[list[list[LoadCard]], list[tuple[int, list[Load]]]]:
        """The pages to be laid out, each once, and of every page which of them it is.

        Cards of one size say the same but for the number of their load.

        Args:
            a_page: how many cards share a page.

        Returns:
            The cards of each sheet; then of each page the number of its sheet, from 1, and its loads.
        """
        sheets: list[list[LoadCard]] = []
        unnumbered: list[list[LoadCard]] = []
        pages = []
        for first in range(0, len(self.cards), a_page):
            cards = list(self.cards[first : first + a_page])
            says = [_without_number(card) for card in cards]
            if says not in unnumbered:
                unnumbered.append(says)
                sheets.append(cards)
            pages.append((unnumbered.index(says) + 1, [card.load for card in cards]))
        return sheets, pages


def _without_number(card: LoadCard) -> LoadCard:
    return replace(card, load=card.load.numbered(1))


def plan_on_paper(
    plan_id: UUID,
    plan: Plan,
    expected: Mapping[int, ExpectedWater],
    now: datetime,
    setting: SettingHistory | None = None,
) -> PlanOnPaper:
    """A plan on paper, each load with the water it is expected to need, by number."""
    return PlanOnPaper(now, plan_id, plan, shopping_list(plan), _cards(plan, plan.loads, expected, setting))
