"""The bench of a load: the step in hand, everything that may be done now, the pictures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.cleaning import CLEANING, WASH_OUT, Cleaning
from keeve.core.loads.corrections import cooler_next_time
from keeve.core.loads.drying import Drying
from keeve.core.loads.expected_water import as_expected, followed, in_words
from keeve.core.loads.next_step import Act, Situation, shares_in
from keeve.core.loads.offers import open_offers
from keeve.core.loads.pre_use_checks import Check, checks_by_id
from keeve.core.loads.running_load import RunningLoad
from keeve.core.mixes.model import Caution, Drawing, Reading, Test, Trouble, reading_at
from keeve.core.mixes.step_kinds import KINDS
from keeve.core.planning.amounts import (
    GaugedAmount,
    WaterPour,
    WeighedWater,
    gauged_step,
    water_pours,
    weighed_water,
)
from keeve.core.rules.temperature import CoolingPlan
from keeve.core.rules.workings import Working, Workings
from keeve.figures.amounts import Dose, dose_of
from keeve.figures.sections import SectionFigures, section_figures
from keeve.figures.set_clock import (
    BUILD_STAGES,
    BuildStage,
    ClockFigures,
    SightTap,
    clock_figures,
    next_batch_at,
    sights,
)
from keeve.figures.water import WaterFigures, water_figures
from keeve.screens.bench.bench_parts import (
    HANDFULS,
    STEPS,
    STOCKPILE_NEWS,
    AddedMaterial,
    Counted,
    Filling,
    HalfDose,
    JudgeCard,
    OutOfTurn,
    StockpileNews,
    TopUpLine,
    added_materials,
    filling,
    half_doses,
    hosed_l,
    judge_cards,
    other_use,
    out_of_turn,
    top_up,
    what_is_counted,
)

# A change of the ratio smaller than its last printed place is none.
_SAME_RATIO = 0.005
# So many drawings from too dry to too wet are enough to choose between.
_BETWEEN = 9
# The cautions of the mix that are shown beside an act; all of them are in a fold below.
_CAUTIONS: Mapping[str, frozenset[str]] = {
    "charge": frozenset({"dust", "lifting", "silica", "all-in", "plaster-dust"}),
    "scrape": frozenset({"machine"}),
    "place": frozenset({"skin", "structure", "height", "plaster-heat"}),
    "strip": frozenset({"plaster-heat"}),
    "dry": frozenset({"plaster-drying"}),
    "clean": frozenset({"plaster-drain"}),
}
# The picture of each act that is not a step of the procedure.
_PICTURES: Mapping[Act, str] = {
    "accept": "accept",
    "mix": "work",
    "add_water": "too_dry",
    "ceiling": "ceiling",
    "correct": "correct",
    "top_up": "top_up",
    "dead": "dead",
    "clean": "clean",
    "stored": "stored",
    "strip": "strip",
    "dry": "dry",
    "done": "done",
    "taken_back": "taken_back",
}
# What may be done beside the act in hand, in the order in which it is looked for; by act what fits it best.
_BESIDES = (
    "between", "order", "recount", "spills", "hose", "drops", "temperature", "pile", "give", "note",
    "discard", "take_back",
)  # fmt: skip
_FITS: Mapping[str, tuple[str, ...]] = {
    "charge": ("recount", "order"),
    "water": ("hose", "spills", "pile"),
    "work": ("drops", "temperature"),
    "judge": ("between", "temperature"),
    "too_dry": ("hose", "spills"),
    "correct": ("recount", "give"),
    "place": ("give", "temperature"),
}


class StageNow(NamedTuple):
    """A stage of building up, and from when to when the clock has it; None before powder and water met."""

    stage: BuildStage
    from_at: datetime | None
    to_at: datetime | None


# The last stage is told for so long, min.
_HARD_FOR_MIN = 30.0


@dataclass(frozen=True)
class BenchView:
    """The bench of a load.

    Args:
        running: the load with its plan and events.
        now: where it is in its procedure.
        moment: the time that is for.
        picture: the picture of the act.
        can: everything that may be done now.
        section: the figures of its section.
        water: the figures of its water line.
        amount: what the step in hand charges, as it is measured.
        doses: the admixtures of that step.
        fill: one fill of that charge, where it is counted fill by fill.
        top_up: the material that a correction adds next.
        added: what the proposed correction adds.
        ratio_changes: whether that changes the water ratio.
        pours: vessels of water that may still be poured.
        loosening: half doses that may be added at the ceiling.
        absorption_s: how long water takes to work in, s.
        hose_l: what ran in at each whole second of the open hose, up to what may go in, L.
        counted: what can be counted again.
        doses_counted: the admixtures that can be counted again.
        out_of_turn: steps that can be done out of turn.
        stockpile_id: the stockpile whose water can still be shown; empty for none.
        checks: the checks before the first load.
        test: the test that is asked for.
        cards: its readings.
        judge_steps: how many times the procedure asks for a test.
        looks: what loosening admixtures do to the look of the mix.
        use: what else the load may be used for.
        cooler: how to cool the next load, where this one is too warm.
        next_number: the number of the next load of the plan; None for the last.
        cleaning: how its mixer is cleaned, and where the washings go.
        cautions: the cautions beside the act.
        weighed: the water that is asked for as it is weighed, where it is.
        clock: the figures of its set clock; None where it has none.
        sights: what may be told of its setting.
        looks_for: the test whose drawings show when the step in hand is done, where that is shown and not judged.
        stages: the stages of building up with it; none where it is cast.
        next_batch_at: when to start the next batch, so that it is ready as this one is used up.
        drying: how its cast dries.
        again: whether all of it was thrown away, so that it is mixed again.
        workings: how all figures came about.
    """

    running: RunningLoad
    now: Situation
    moment: datetime
    picture: str
    can: Mapping[tuple[str, str], Offer]
    section: SectionFigures
    water: WaterFigures
    amount: GaugedAmount | None
    doses: Sequence[Dose]
    fill: Filling | None
    top_up: TopUpLine | None
    added: Sequence[AddedMaterial]
    ratio_changes: bool
    pours: Sequence[WaterPour]
    loosening: Sequence[HalfDose]
    absorption_s: int
    hose_l: Sequence[float]
    counted: Sequence[Counted]
    doses_counted: Sequence[Dose]
    out_of_turn: Sequence[OutOfTurn]
    stockpile_id: str
    checks: Sequence[Check]
    test: Test | None
    cards: Sequence[JudgeCard]
    judge_steps: int
    looks: Sequence[str]
    use: str
    cooler: CoolingPlan | None
    next_number: int | None
    cleaning: Cleaning
    wash_out: str
    cautions: Sequence[Caution]
    weighed: WeighedWater | None
    clock: ClockFigures | None
    sights: Sequence[SightTap]
    looks_for: Test | None
    stages: Sequence[BuildStage]
    next_batch_at: datetime | None
    drying: Drying | None
    again: bool
    workings: Sequence[Working]

    def offer(self, action: str, target: object = "") -> Offer | None:
        """Something that may be done now; None where it may not."""
        return self.can.get((action, str(target)))

    @property
    def in_hand(self) -> Offer | None:
        """The offer that finishes the step in hand."""
        position = str(self.now.position)
        return next(
            (one for (action, of), one in self.can.items() if action in STEPS and of == position), None
        )

    @property
    def done_words(self) -> str:
        """The words for a step in hand that is done."""
        step = self.now.step
        return step.plan.kind_traits.done if step and self.test is None else KINDS["mix"].done

    @property
    def troubles(self) -> list[Trouble]:
        """Things that go wrong in steps like the one in hand."""
        step = self.now.step
        return [item for item in self.running.plan.mix.troubles if step and step.plan.kind in item.steps]

    @property
    def right_event_id(self) -> UUID | None:
        """The last event, where that called it right: a photo of that is what the next load is held against."""
        applied = self.running.state.applied
        last = next((event for event in reversed(applied) if isinstance(event, Judged)), None)
        return last.id if last and last.reading == "right" and not last.cohesion else None

    @property
    def stages_by_clock(self) -> Sequence[StageNow]:
        """The stages of building up, each from when to when by the clock; none where nothing is built up."""
        clock = self.now.clock
        if clock is None or not self.stages:
            return []
        words = {stage.name: stage for stage in self.stages}
        ends = [one.to_min if one.to_min is not None else one.from_min + _HARD_FOR_MIN for one in clock.build]
        return [
            StageNow(words[one.name], clock.at(one.from_min), clock.at(end))
            for one, end in zip(clock.build, ends, strict=True)
        ]

    @property
    def by_itself_at(self) -> datetime | None:
        """When a step that runs by the clock alone is over: both hands are in the bucket then. None where none does.

        Plaster is soaked and stirred so; whatever is judged waits for a tap.
        """
        now = self.now
        runs = self.running.plan.mix.regime_traits.in_order and now.act in ("mix", "rest")
        return now.ready_at if runs else None

    @property
    def wait_words(self) -> str:
        """The advice until the time of the step is up."""
        if self.now.act == "rest":
            return "Leave it alone."
        if not self.running.plan.mix.regime_traits.is_judged:
            return "Keep stirring."
        return "Too early to judge. Keep mixing." if self.running.state.water else "Keep mixing."

    @property
    def overdue_words(self) -> str:
        """The advice once it has taken too long."""
        harm = self.running.plan.mix.over_mixing if self.now.act == "mix" else ""
        return f"Stop: {harm}." if harm else "Mixed enough. Move on."

    @property
    def expected_words(self) -> str:
        """Why so much water is expected."""
        expected = self.running.state.expected
        return in_words(expected.because) if expected else ""

    @property
    def clock_runs(self) -> bool:
        """Whether its working life counts."""
        return self.now.dead_at is not None and not self.now.is_over and self.now.act != "dead"

    @property
    def is_time(self) -> bool:
        """Whether the time for the act has come."""
        return self.now.ready_at is not None and self.moment >= self.now.ready_at

    @property
    def has_more(self) -> bool:
        """Whether anything may be done beside what is asked."""
        return not self.now.is_over and self.now.act not in ("accept", "dead")

    @property
    def shows_warmth(self) -> bool:
        """Whether its measured temperature is worth a word."""
        return self.has_more and self.now.life.is_measured

    @property
    def besides(self) -> Sequence[str]:
        """The acts beside the one in hand, what fits it first."""
        first = _FITS.get(self.picture, ())
        return [*first, *(name for name in _BESIDES if name not in first)]

    @property
    def has_between(self) -> bool:
        """Whether there are looks between too dry and too wet to pick."""
        return {"too-dry", "right", "too-wet"} <= {card.reading for card in self.cards}

    @property
    def beside_water(self) -> Offer | None:
        """Water that may go in where something else is asked for: a few drops at a remix."""
        return self.offer("add_water", "tap") if self.now.act == "mix" and self.running.state.water else None

    @property
    def of_step(self) -> Mapping[str, object]:
        """The mark of water as part of the step in hand, where that asks for some."""
        return {"step": self.now.position, "part": True} if self.now.act == "water" else {}

    @property
    def other_look(self) -> str:
        """The kind of mix it is for whoever else may use it."""
        return {"correct": "wetter", "add_water": "stiffer", "ceiling": "stiffer"}.get(
            self.now.act, "similar"
        )

    @property
    def stockpile_news(self) -> Sequence[StockpileNews]:
        """The news of the stockpile that may be recorded at the bench."""
        return STOCKPILE_NEWS

    @property
    def handfuls(self) -> Sequence[StockpileNews]:
        """A squeezed handful of the stockpile, as it may feel."""
        return HANDFULS

    @property
    def is_before_first_handful(self) -> bool:
        """Whether the set clock starts with the first handful of the material in hand, and none is in yet."""
        step = self.now.step
        return (
            self.now.clock is not None
            and step is not None
            and step.plan.material not in self.running.state.charged_at
        )

    @property
    def pile_answers(self) -> Sequence[StockpileNews]:
        """The answers to whether the sand is from the same pile as before."""
        told = {"kind": "pile", "plan_id": str(self.running.plan_id)}
        return (
            StockpileNews("Same pile", {**told, "is_same": True}),
            StockpileNews("Another pile", {**told, "is_same": False}),
        )

    @property
    def may_stiffen(self) -> bool:
        """Whether what stands may be worked up again."""
        return self.now.act == "place" and self.running.plan.mix.retempering != "never"


def bench_view(running: RunningLoad, moment: datetime) -> BenchView:
    """The bench of a load at a moment."""
    now = running.situation(moment)
    plan, load, state, step = running.plan, now.load, running.state, now.step
    can = {(item.action, item.target): item for item in open_offers(plan, state, now)}
    amount = gauged_step(plan, load, step) if step else None
    workings = Workings()
    proposal = now.correction
    # No pour is larger than what is asked for.
    asked_l = step.water_l if step and step.water_l is not None else now.water.next_step_l
    material = followed(plan)
    wanted = _CAUTIONS.get(step.plan.kind if step else now.act, frozenset())
    test = plan.tests[step.plan.test] if step and step.plan.test else None
    clock = now.clock
    builds = clock is not None and not plan.mix.regime_traits.makes_casts
    cooler = cooler_next_time(plan, as_expected(plan, running.load, state.expected), state, workings)
    return BenchView(
        running=running,
        now=now,
        moment=moment,
        picture=_PICTURES.get(now.act) or plan.step(now.position).kind_traits.picture,
        can=can,
        section=_section(running, now),
        water=_water(running, now),
        amount=amount,
        doses=[dose_of(item) for item in step.admixtures] if step else [],
        fill=filling(amount) if amount else None,
        top_up=top_up(plan, load, state),
        added=added_materials(plan, load, proposal.add_kg) if proposal else [],
        ratio_changes=bool(
            proposal and proposal.ratio and now.ratio and abs(proposal.ratio - now.ratio) >= _SAME_RATIO
        ),
        pours=water_pours(plan, asked_l),
        loosening=half_doses(load, can),
        absorption_s=round(plan.mix.absorption_min * 60),
        hose_l=hosed_l(state, now) if state.flow_l_min else [],
        counted=what_is_counted(plan, load),
        doses_counted=[dose_of(item) for item in load.admixtures if item.mass_kg is not None],
        out_of_turn=out_of_turn(now.open_steps, can),
        stockpile_id=material.stockpile if material and not state.water else "",
        checks=checks_by_id(state.to_check),
        test=test,
        cards=judge_cards(test, now, can) if test else [],
        judge_steps=sum(item.kind == "judge" for item in plan.procedure),
        looks=[item.looks for item in load.admixtures if item.loosens],
        use=other_use(plan),
        cooler=cooler,
        next_number=load.number + 1 if plan.load(load.number + 1) else None,
        cleaning=CLEANING[plan.mixer.kind],
        wash_out=WASH_OUT,
        cautions=[item for item in plan.cautions if item.code in wanted],
        weighed=weighed_water(plan, asked_l),
        clock=clock_figures(plan, clock, moment) if clock else None,
        sights=sights(can),
        looks_for=plan.tests[step.plan.look] if step and step.plan.look else None,
        stages=BUILD_STAGES if builds else (),
        next_batch_at=next_batch_at(clock) if clock and builds else None,
        drying=running.drying(now),
        again=state.discarded is not None and state.placed_l <= 0,
        workings=[*now.workings, *workings.kept],
    )


def _section(running: RunningLoad, now: Situation) -> SectionFigures:
    """The inside of the mixer: in layers until all is in and mixed, then mixed, whatever a correction adds to it."""
    state = running.state
    to_come = any(step.plan.kind_traits.brings for step in now.to_do)
    is_mixed = state.last_judgement or (state.is_mixed and not to_come)
    mixed_l = now.remaining_l if is_mixed or now.is_over else None
    shares = shares_in(running.plan, running.load, state) if mixed_l is None else None
    return section_figures(running.plan, now.load, shares, mixed_l)


def _water(running: RunningLoad, now: Situation) -> WaterFigures:
    """The water line; the strength only once all is in: before, water is not what decides."""
    state = running.state
    decides = now.act != "accept" and not now.is_before_reading and now.held.has_binder
    return water_figures(
        now.window,
        now.additions_l,
        None if state.water else state.expected,
        (running.plan, now.held) if decides else None,
    )


class Slide(NamedTuple):
    """A look between too dry (0) and too wet (1), and the reading it is."""

    wetness: float
    reading: Reading
    drawing: Drawing
    offer: Offer


class Between(NamedTuple):
    """The looks to choose between in the test that is asked for now; none where none is."""

    slides: Sequence[Slide]

    @property
    def last(self) -> int:
        """The number of the wettest look, from 0."""
        return len(self.slides) - 1

    @property
    def middle(self) -> int:
        """The number of the look it begins with."""
        return len(self.slides) // 2


def between_readings(view: BenchView) -> Between:
    """The looks between too dry and too wet."""
    by_reading = {card.reading: card.offer for card in view.cards}
    if view.test is None or not view.has_between:
        return Between([])
    stops = [index / (_BETWEEN - 1) for index in range(_BETWEEN)]
    return Between([Slide(at, reading_at(at), view.test.drawing, by_reading[reading_at(at)]) for at in stops])
