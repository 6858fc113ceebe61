"""What the bench shows of a load: the step in hand, every amount that can be tapped, the pictures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from sqlalchemy import Engine

from keeve.core.mixes.model import Caution, Drawing, Reading, Test, reading_at
from keeve.core.planning.amounts import GaugedAmount, WaterPour, fill_of, gauged, gauged_step, water_pours
from keeve.core.planning.plan import Load, LoadStep, Plan
from keeve.core.rules.corrections import WaterStep
from keeve.core.rules.temperature import CoolingPlan
from keeve.core.rules.workings import Working, Workings
from keeve.core.running.allowed_events import most_past_ceiling_l
from keeve.core.running.cleaning import CLEANING, WASH_OUT, Cleaning
from keeve.core.running.corrections import cooler_next_time, has_body, water_steps
from keeve.core.running.expected_water import followed
from keeve.core.running.load_state import LoadState
from keeve.core.running.next_step import BEFORE_A_READING, Situation, shares_in
from keeve.core.running.pre_use_checks import Check, checks_by_id
from keeve.core.tolerances import DROP_L, LEAST_POUR_L, whole_up
from keeve.services import loads
from keeve.services.accounts import Visitor
from keeve.services.load_store import RunningLoad
from keeve.services.views.amounts import Dose, dose_of
from keeve.services.views.sections import SectionFigures, section_figures
from keeve.services.views.water import WaterFigures, water_figures

# A charge of little more than one fill is not counted fill by fill.
_MORE_THAN_ONE = 1.2
# An admixture of so much of its planned dose gets no more.
_MOST_DOSES = 1.5
# A change of the ratio smaller than its last printed place is none.
_SAME_RATIO = 0.005
# So many drawings from too dry to too wet are enough to choose between.
_BETWEEN = 9
# The cautions of the mix that are shown beside an act; all of them are in a fold below.
_CAUTIONS: Mapping[str, frozenset[str]] = {
    "charge": frozenset({"dust", "lifting", "silica", "all-in"}),
    "scrape": frozenset({"machine"}),
    "place": frozenset({"skin", "structure", "height"}),
}
# Nobody holds a hose longer, s.
_LONGEST_HOSE_S = 900
_BY_EVENT = ("charge", "water", "admixture", "mix", "scrape", "rest")


class Filling(NamedTuple):
    """One fill of the vessel a charge is counted in: its mass, and half of it where half fills are counted, kg."""

    vessel: str
    mass_kg: float
    half_kg: float | None


class TopUp(NamedTuple):
    """A material that a correction still adds, and which of how many it is."""

    material: str
    mass_kg: float
    amount: GaugedAmount
    number: int
    of: int


class AddedMaterial(NamedTuple):
    """A material that a correction adds, as it is measured."""

    material: str
    amount: GaugedAmount


class HalfDose(NamedTuple):
    """Half a dose more of an admixture that loosens."""

    name: str
    dose: Dose


class Counted(NamedTuple):
    """A material that can be counted again: as planned, and the mass of one vessel where it is counted in those, kg."""

    material: str
    planned: GaugedAmount
    vessel_kg: float | None


@dataclass(frozen=True)
class BenchView:
    """The bench of a load.

    Args:
        running: the load with its plan and events.
        now: where it is in its procedure.
        moment: the time that is for.
        section: the figures of its section.
        water: the figures of its water line.
        amount: what the step in hand charges, as it is measured.
        doses: the admixtures of that step.
        fill: one fill of that charge, where it is counted fill by fill.
        part_kg: half of that charge, kg: what the field for a part begins with.
        part_l: half of the mix in the mixer or in store, L: what the field for a part begins with.
        top_up: the material that a correction adds next.
        added: what the proposed correction adds.
        ratio_changes: whether that changes the water ratio.
        pours: vessels of water that may still be poured.
        dry_steps: the water steps left to the ceiling.
        loosening: half doses that may be added at the ceiling.
        past_ceiling_l: the proposed and the greatest addition past the ceiling, L.
        wet_out_s: how long water takes to work in, s.
        hose_l: what ran in at each whole second of the open hose, up to what may go in, L.
        counted: what can be counted again.
        doses_counted: the admixtures that can be counted again.
        open_steps: steps that can be done out of turn.
        stockpile_id: the stockpile whose water can still be shown; empty for none.
        checks: the checks before the first load.
        test: the test that is asked for.
        judge_steps: how many times the procedure asks for a test.
        looks: what loosening admixtures do to the look of the mix.
        has_body: whether it can be sandy or rich.
        cooler: how to cool the next load, where this one is too warm.
        next_number: the number of the next load of the plan; None for the last.
        cleaning: how its mixer is cleaned, and where the washings go.
        cautions: the cautions beside the act.
        workings: how all figures came about.
    """

    running: RunningLoad
    now: Situation
    moment: datetime
    section: SectionFigures
    water: WaterFigures
    amount: GaugedAmount | None
    doses: Sequence[Dose]
    fill: Filling | None
    part_kg: float
    part_l: float
    top_up: TopUp | None
    added: Sequence[AddedMaterial]
    ratio_changes: bool
    pours: Sequence[WaterPour]
    dry_steps: Sequence[WaterStep]
    loosening: Sequence[HalfDose]
    past_ceiling_l: tuple[float, float]
    wet_out_s: int
    hose_l: Sequence[float]
    counted: Sequence[Counted]
    doses_counted: Sequence[Dose]
    open_steps: Sequence[LoadStep]
    stockpile_id: str
    checks: Sequence[Check]
    test: Test | None
    judge_steps: int
    looks: Sequence[str]
    has_body: bool
    cooler: CoolingPlan | None
    next_number: int | None
    cleaning: Cleaning
    wash_out: str
    cautions: Sequence[Caution]
    workings: Sequence[Working]

    @property
    def can_hose(self) -> bool:
        """Whether water may still run in."""
        return self.now.takes_water and self.now.act != "correct" and self.has_room

    @property
    def has_room(self) -> bool:
        """Whether there is room for water below the ceiling."""
        return self.now.water.remaining_l > DROP_L

    @property
    def has_drips(self) -> bool:
        """Whether water ran out that can be put back."""
        return self.running.state.dripped_l > DROP_L


def bench_page(engine: Engine, visitor: Visitor, load_id: UUID, now: datetime) -> BenchView | None:
    """The bench of a load; None where the crew has no such load."""
    running = loads.running_load(engine, visitor, load_id)
    return None if running is None else bench_view(running, now)


def bench_view(running: RunningLoad, moment: datetime) -> BenchView:
    """The bench of a load at a moment."""
    now = running.situation(moment)
    plan, load, state, step = running.plan, now.load, running.state, now.step
    amount = gauged_step(plan, load, step) if step else None
    workings = Workings()
    proposal, past_l = now.correction, most_past_ceiling_l(now)
    material = followed(plan)
    wanted = _CAUTIONS.get(step.plan.kind if step else now.act, frozenset())
    asks_for_water = now.act == "add_water" and now.held.has_binder
    dry_steps = (
        water_steps(plan, state, now.held, now.window.ceiling_l, workings).steps if asks_for_water else []
    )
    cooler = cooler_next_time(plan, load, state, workings)
    return BenchView(
        running=running,
        now=now,
        moment=moment,
        section=_section(running, now),
        water=_water(running, now),
        amount=amount,
        doses=[dose_of(item) for item in step.admixtures] if step else [],
        fill=_filling(amount) if amount else None,
        part_kg=amount.mass_kg / 2 if amount else 0.0,
        part_l=(state.kept_l if now.act == "stored" else now.remaining_l) / 2,
        top_up=_top_up(plan, load, state),
        added=_added(plan, load, proposal.add_kg) if proposal else [],
        ratio_changes=bool(
            proposal and proposal.ratio and now.ratio and abs(proposal.ratio - now.ratio) >= _SAME_RATIO
        ),
        pours=water_pours(plan, now.water.remaining_l),
        dry_steps=dry_steps,
        loosening=_loosening(load, state),
        past_ceiling_l=(max(past_l / 2, LEAST_POUR_L), past_l),
        wet_out_s=round(plan.mix.wet_out_min * 60),
        hose_l=_hosed(state, now) if state.flow_l_min else [],
        counted=_counted(plan, load),
        doses_counted=[dose_of(item) for item in load.admixtures if item.mass_kg is not None],
        open_steps=[item for item in now.open_steps if item.plan.kind in _BY_EVENT],
        stockpile_id=material.stockpile if material and not state.water else "",
        checks=checks_by_id(state.to_check),
        test=plan.tests[step.plan.test] if step and step.plan.test else None,
        judge_steps=sum(item.kind == "judge" for item in plan.procedure),
        looks=[item.looks for item in load.admixtures if item.loosens],
        has_body=has_body(plan),
        cooler=cooler,
        next_number=load.number + 1 if plan.load(load.number + 1) else None,
        cleaning=CLEANING[plan.mixer.kind],
        wash_out=WASH_OUT,
        cautions=[item for item in plan.cautions if item.code in wanted],
        workings=[*now.workings, *workings.kept],
    )


def _section(running: RunningLoad, now: Situation) -> SectionFigures:
    state = running.state
    judged = now.act not in ("charge", "water") and state.is_mixed and state.judgements
    mixed_l = now.remaining_l if judged or now.is_over else None
    return section_figures(running.plan, now.load, shares_in(running.plan, now.load, state), mixed_l)


def _water(running: RunningLoad, now: Situation) -> WaterFigures:
    """The water line; the strength only once all is in: before, water is not what decides."""
    state = running.state
    decides = now.act != "accept" and now.act not in BEFORE_A_READING and now.held.has_binder
    return water_figures(
        now.window,
        [item.water_l for item in state.water],
        None if state.water else state.expected,
        (running.plan, now.held) if decides else None,
    )


def _filling(amount: GaugedAmount) -> Filling | None:
    fill = fill_of(amount)
    if fill is None or fill.number <= _MORE_THAN_ONE:
        return None
    return Filling(fill.vessel, fill.mass_kg, fill.mass_kg / 2 if amount.gauge == "volume" else None)


def _share(plan: Plan, load: Load, material: str, mass_kg: float) -> GaugedAmount:
    charge = load.charge(material)
    return gauged(plan, charge, mass_kg / charge.mass_kg)


def _top_up(plan: Plan, load: Load, state: LoadState) -> TopUp | None:
    if state.owed is None or not state.owed.add_kg:
        return None
    material, mass_kg = next(iter(state.owed.add_kg.items()))
    chosen = next((event for event in reversed(state.applied) if event.kind == "correcting"), None)
    count = len(chosen.add_kg) if chosen else len(state.owed.add_kg)
    number = count - len(state.owed.add_kg) + 1
    return TopUp(material, mass_kg, _share(plan, load, material, mass_kg), number, count)


def _added(plan: Plan, load: Load, add_kg: Mapping[str, float]) -> list[AddedMaterial]:
    return [AddedMaterial(name, _share(plan, load, name, kg)) for name, kg in add_kg.items()]


def _loosening(load: Load, state: LoadState) -> list[HalfDose]:
    return [
        HalfDose(item.name, dose_of(item, share=0.5))
        for item in load.admixtures
        if item.loosens and state.doses.get(item.name, 1.0) <= _MOST_DOSES
    ]


def _counted(plan: Plan, load: Load) -> list[Counted]:
    found = []
    for charge in load.charges:
        planned = gauged(plan, charge)
        fill = fill_of(planned) if planned.gauge == "volume" else None
        found.append(Counted(charge.material, planned, fill.mass_kg if fill else None))
    return found


def _hosed(state: LoadState, now: Situation) -> list[float]:
    """What ran in at each second of the open hose; past what may go in it stays at that."""
    each_l = (state.flow_l_min or 0.0) / 60
    seconds = whole_up(now.water.remaining_l / each_l)
    return [
        min(each_l * second, now.water.remaining_l) for second in range(min(seconds, _LONGEST_HOSE_S) + 1)
    ]


class Slide(NamedTuple):
    """A look between too dry (0) and too wet (1), and the reading it is."""

    wetness: float
    reading: Reading
    drawing: Drawing


class Between(NamedTuple):
    """The looks to choose between in the test that is asked for now; none where none is."""

    slides: Sequence[Slide]
    position: int

    @property
    def last(self) -> int:
        """The number of the wettest look, from 0."""
        return len(self.slides) - 1

    @property
    def middle(self) -> int:
        """The number of the look it begins with."""
        return len(self.slides) // 2


def between_readings(engine: Engine, visitor: Visitor, load_id: UUID, now: datetime) -> Between | None:
    """The looks between too dry and too wet; None where the crew has no such load."""
    running = loads.running_load(engine, visitor, load_id)
    if running is None:
        return None
    situation = running.situation(now)
    step = situation.step
    if step is None or not step.plan.test:
        return Between([], situation.position)
    drawing = running.plan.tests[step.plan.test].drawing
    stops = (index / (_BETWEEN - 1) for index in range(_BETWEEN))
    return Between([Slide(wetness, reading_at(wetness), drawing) for wetness in stops], situation.position)
