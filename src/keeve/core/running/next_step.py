"""The next step of a running load, and where the load is in its procedure."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Load, LoadStep, Plan, load_step
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.water import WaterWindow, water_account, water_window
from keeve.core.rules.workings import Working, Workings
from keeve.core.running.contents import Contents, contents, left_of
from keeve.core.running.corrections import Correction, for_count, for_reading
from keeve.core.running.expected_water import as_expected
from keeve.core.running.load_state import Judgement, LoadState
from keeve.core.running.working_life import Life, Stage, life_of
from keeve.core.tolerances import DROP_L, LEAST_POUR_L, ROUNDING, STICKS_FRACTION

Act = Literal[
    "accept",
    "charge",
    "water",
    "admix",
    "mix",
    "rest",
    "judge",
    "add_water",
    "ceiling",
    "correct",
    "top_up",
    "place",
    "dead",
    "clean",
    "stored",
    "done",
]
# Nothing of these is in the mixer any more.
OVER: frozenset[Act] = frozenset({"clean", "stored", "done"})
# What comes before a reading is worth anything.
BEFORE_A_READING: frozenset[Act] = frozenset({"charge", "water", "admix", "mix", "rest", "top_up"})


@dataclass(frozen=True)
class Window:
    """The water window of a running load, in litres added, scaled to its contents."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float


@dataclass(frozen=True)
class Situation:
    """Where a load is in its procedure at a moment.

    Args:
        act: the next act.
        load: the load as planned, with the expected water of its stockpile.
        held: its contents.
        position: number of the current step.
        steps_count: how many steps there are.
        step: the current step with what is left of it.
        open_steps: the other steps that are not done.
        ready_at: the moment before which the act does not count.
        overdue_at: the moment from which it takes too long.
        life: its working life.
        stage: how much of that is left.
        window: its water window.
        water: where its water is in that window.
        proposal_l: the proposed next addition of water, L.
        takes_water: whether water may still go in.
        ratio: water over binder now; None before there is water.
        strength: the strength to expect at 28 days, of its target before there is water.
        correction: the correction that is asked for.
        remaining_l: fresh mix left in the mixer, L.
        workings: how these figures came about.
    """

    act: Act
    load: Load
    held: Contents
    position: int
    steps_count: int
    step: LoadStep | None
    open_steps: list[LoadStep]
    ready_at: datetime | None
    overdue_at: datetime | None
    life: Life
    stage: Stage
    window: Window
    water: WaterWindow
    proposal_l: float
    takes_water: bool
    ratio: float | None
    strength: StrengthBand | None
    correction: Correction | None
    remaining_l: float
    workings: list[Working]

    @property
    def is_over(self) -> bool:
        """Whether nothing of it is in the mixer any more."""
        return self.act in OVER

    @property
    def dead_at(self) -> datetime | None:
        """The end of its working life."""
        return self.life.dead_at

    @property
    def yield_l(self) -> float:
        """Fresh volume of the whole load, L."""
        return self.held.yield_l


def situation(plan: Plan, load: Load, state: LoadState, now: datetime) -> Situation:
    """Where a load is in its procedure.

    Args:
        plan: its plan.
        load: the load as planned.
        state: the state of the load.
        now: the moment asked about.
    """
    load = as_expected(plan, load, state.expected)
    held = contents(plan, load, state)
    steps = [load_step(step, load, left_of(step, load, state)) for step in plan.procedure]
    window = _window(load, held)
    workings = Workings()
    water = workings.run(
        water_window,
        start_l=window.start_l,
        min_l=window.min_l,
        max_l=window.ceiling_l,
        target_l=window.target_l,
        additions_l=[state.water_l] if state.water else [],
    )
    life = life_of(plan, load, state, workings)
    remaining_l = max(held.yield_l - state.gone_l, 0.0)
    rested = any(step.plan.kind == "rest" and step.plan.step in state.steps_done for step in steps)
    takes_water = not (rested and plan.mix.retempering == "remix_dry")
    counted = for_count(plan, state, held, workings) if state.recounted else None
    act: Act
    step: LoadStep | None = None
    if state.discarded is not None or remaining_l <= held.yield_l * STICKS_FRACTION:
        act = _when_empty(state)
    elif life.stage(now) == "dead":
        act = "dead"
    elif state.to_check:
        act = "accept"
    elif state.owed:
        act = "top_up"
    elif counted:
        act = "correct"
    else:
        act, step = _act(plan, steps, state, water, takes_water=takes_water)
    ready_at, overdue_at = _times(act, step, state, plan.mix.wet_out_min)
    judged = _last_reading(plan, step, state) if step else None
    wetness = judged.wetness if judged else None
    correction = counted if act == "correct" else None
    if act == "correct" and judged:
        correction = for_reading(plan, state, held, judged.body, wetness, workings)
    return Situation(
        act=act,
        load=load,
        held=held,
        position=step.plan.step if step else len(steps),
        steps_count=len(steps),
        step=step,
        open_steps=[item for item in steps if item is not step and not _is_behind(item, state)],
        ready_at=ready_at,
        overdue_at=overdue_at,
        life=life,
        stage=life.stage(now),
        window=window,
        water=water,
        proposal_l=_proposal(water, wetness if act == "add_water" else None),
        takes_water=takes_water and (act != "place" or plan.mix.takes_water_later),
        ratio=_ratio(state, held, workings) if state.water and held.has_binder else None,
        strength=_strength(plan, load, state, held, window, workings),
        correction=correction,
        remaining_l=remaining_l,
        workings=workings.kept,
    )


def _when_empty(state: LoadState) -> Act:
    if not state.cleaned:
        return "clean"
    return "stored" if state.kept_l > DROP_L else "done"


def shares_in(plan: Plan, load: Load, state: LoadState) -> dict[int, float]:
    """The share of each charge and water step that is in, by step number."""
    return {
        step.step: 1 - left_of(step, load, state)
        for step in plan.procedure
        if step.kind in ("charge", "water")
    }


def _act(
    plan: Plan, steps: list[LoadStep], state: LoadState, water: WaterWindow, *, takes_water: bool
) -> tuple[Act, LoadStep | None]:
    """The first step that is not done, and its act."""
    for step in steps:
        if step.plan.kind == "judge":
            act = _judging(plan, step, state, water, takes_water=takes_water)
            if act is not None:
                return act, step
        elif not _is_behind(step, state):
            return _STEP_ACTS[step.plan.kind], step
    raise RuntimeError("a procedure without a step to place it")


def _is_behind(step: LoadStep, state: LoadState) -> bool:
    """Whether a step is done, or has nothing left to do in this load."""
    return (
        step.plan.step in state.steps_done
        or (step.plan.kind == "water" and not (step.water_l or 0.0) > ROUNDING)
        or (step.plan.kind == "charge" and step.left <= ROUNDING)
    )


def _judging(
    plan: Plan, step: LoadStep, state: LoadState, water: WaterWindow, *, takes_water: bool
) -> Act | None:
    """The act of a judge step; None once it was judged right.

    In a mix judged in phases an earlier judge step stays done once it was right; the last one is asked again after
    anything that was done since.
    """
    last = _last_reading(plan, step, state)
    is_last_step = step.plan.step == last_judge(plan)
    if last is not None and last.reading == "right" and not last.body and not is_last_step:
        return None
    if not state.is_mixed:
        return "mix"
    if last is None or (state.mixed_at is not None and last.at < state.mixed_at):
        return "judge"
    if last.reading == "not-mixed-yet":
        return "mix"
    if last.body or last.reading == "too-wet":
        return "correct"
    if last.reading == "right":
        return None
    if not takes_water:
        return "mix"
    return "add_water" if water.remaining_l > DROP_L else "ceiling"


def _last_reading(plan: Plan, step: LoadStep, state: LoadState) -> Judgement | None:
    """The last reading of a judge step."""
    number = step.plan.step
    return state.judgement_of(number, None) if number == last_judge(plan) else state.judgement_of(number)


def last_judge(plan: Plan) -> int:
    """The judge step that a reading without a step belongs to."""
    return max(step.step for step in plan.procedure if step.kind == "judge")


_STEP_ACTS: dict[str, Act] = {
    "charge": "charge",
    "water": "water",
    "admixture": "admix",
    "mix": "mix",
    "scrape": "mix",
    "rest": "rest",
    "place": "place",
}


def _times(
    act: Act, step: LoadStep | None, state: LoadState, wet_out_min: float
) -> tuple[datetime | None, datetime | None]:
    """The moments from which mixing or resting counts, and from which it is too long; None for other acts."""
    if act not in ("mix", "rest") or step is None or state.worked_at is None:
        return None, None
    if step.plan.kind == "judge":
        return state.worked_at + timedelta(minutes=wet_out_min), None
    least, greatest = step.plan.minutes
    if step.plan.kind == "scrape":
        return None, None
    return state.worked_at + timedelta(minutes=least), state.worked_at + timedelta(minutes=greatest)


def _window(load: Load, held: Contents) -> Window:
    water = load.water
    ceiling_l = held.to_add_l(water.ceiling_l)
    return Window(
        min(water.start_l, ceiling_l), held.to_add_l(water.min_l), held.to_add_l(water.target_l), ceiling_l
    )


def _proposal(water: WaterWindow, wetness: float | None) -> float:
    """The next addition of water: smaller the nearer it looked to right."""
    # Half way between the drawings of too dry and right, or drier, it is the whole step: a judgement made here.
    near = 1.0 if wetness is None else min(2 * (1 - 2 * wetness), 1.0)
    return max(water.next_step_l * near, min(LEAST_POUR_L, water.next_step_l))


def _ratio(state: LoadState, held: Contents, workings: Workings) -> float:
    return workings.run(
        water_account,
        binder_kg=held.binder_kg,
        added_l=state.water_l,
        free_aggregate_water_kg=held.aggregate_water_l,
        admixture_water_kg=max(held.admixture_l, 0.0),
    ).ratio


def _strength(
    plan: Plan, load: Load, state: LoadState, held: Contents, window: Window, workings: Workings
) -> StrengthBand | None:
    if not held.has_binder:
        return None
    added_l = state.water_l if state.water else window.target_l
    return strength_of_load(plan, load, held.as_planned_l(added_l), workings)
