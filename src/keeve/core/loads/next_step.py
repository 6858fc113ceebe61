"""The next step of a running load, and where the load is in its procedure."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import fsum
from typing import Literal

from keeve.core.loads.contents import Contents, contents, left_of
from keeve.core.loads.corrections import Correction, for_count, for_reading
from keeve.core.loads.drying import Drying, drying_of
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.load_state import LoadState, mixed_l
from keeve.core.loads.set_clock import SetClock, set_clock
from keeve.core.loads.state_parts import Judgement
from keeve.core.loads.working_life import Life, Stage, began_at, life_by_clock, life_of
from keeve.core.mixes.model import driest_right
from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Load, LoadStep, Plan, load_step
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.water import WaterWindow, water_account, water_window
from keeve.core.rules.workings import Working, Workings
from keeve.core.tolerances import DROP_L, ROUNDING, drop_of

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
    "strip",
    "dry",
    "done",
    "taken_back",
]
# Nothing of these is in the mixer any more.
OVER: frozenset[Act] = frozenset({"clean", "stored", "strip", "dry", "done", "taken_back"})


@dataclass(frozen=True)
class Window:
    """The water window of a running load, in litres added, scaled to its contents."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float


@dataclass(frozen=True)
class Situation:
    """The place of a load in its procedure at a moment.

    Args:
        at: the moment.
        act: the next act.
        load: as much of the load as planned as is left in the mixer, with the expected water of its stockpile; the
            whole of it once the mixer is empty.
        held: the contents of that.
        position: number of the current step.
        steps_count: how many steps there are.
        step: the current step with what is left of it.
        open_steps: the other steps that are not done.
        ready_at: the moment before which the act does not count.
        overdue_at: the moment from which it takes too long.
        life: its working life.
        stage: how much of that is left.
        clock: its set clock; None where it has a working life instead.
        drying: how its cast dries; None where it is none, or not yet.
        window: its water window.
        water: where its water is in that window, and the proposed next addition.
        additions_l: every addition of water that is in the mixer, L: what left took its share of each.
        takes_water: whether water may still go in.
        ratio: water over binder now; None before there is water.
        strength: the strength to expect at 28 days, of its target before there is water.
        correction: the correction that is asked for.
        remaining_l: fresh mix in the mixer, L.
        made_l: fresh mix that was made, L: what is in the mixer and what left it.
        workings: how these figures came about.
    """

    at: datetime
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
    clock: SetClock | None
    drying: Drying | None
    window: Window
    water: WaterWindow
    additions_l: list[float]
    takes_water: bool
    ratio: float | None
    strength: StrengthBand | None
    correction: Correction | None
    remaining_l: float
    made_l: float
    workings: list[Working]

    @property
    def is_over(self) -> bool:
        """Whether nothing of it is in the mixer any more."""
        return self.act in OVER

    @property
    def to_do(self) -> list[LoadStep]:
        """Every step that is not done, the one in hand too."""
        return [*self.open_steps, self.step] if self.step else self.open_steps

    @property
    def is_before_reading(self) -> bool:
        """Whether a reading is worth nothing yet: something has still to go in, or to be mixed or rest."""
        if self.act in ("mix", "top_up"):
            return True
        return self.step is not None and self.step.plan.kind_traits.is_before_reading

    @property
    def dead_at(self) -> datetime | None:
        """The end of its working life."""
        return self.life.dead_at


def situation(plan: Plan, load: Load, state: LoadState, now: datetime) -> Situation:
    """The place of a load in its procedure.

    Args:
        plan: its plan.
        load: the load as planned.
        state: the state of the load.
        now: the moment asked about.
    """
    whole = as_expected(plan, load, state.expected)
    share = 1.0 if state.is_empty else state.share
    held = contents(plan, whole, state, share)
    left = held.planned
    workings = Workings()
    clock = set_clock(plan, whole, state, began_at(plan, whole, state), workings)
    life = life_by_clock(clock) if clock else life_of(plan, whole, state, workings)
    left_l = mixed_l(load, state)
    made_l = state.gone_l + left_l
    counted = for_count(plan, state, held, workings) if state.recounted else None
    window = _window(left, held)
    ceiling_left_l = max(window.ceiling_l - held.added_l, 0.0)
    steps = _steps(plan, whole, state, left, max(window.start_l - held.added_l, 0.0))
    rested = any(step.plan.kind == "rest" and step.plan.step in state.steps_done for step in steps)
    takes_water = not (rested and plan.mix.retempering == "remix_dry")
    act: Act
    step: LoadStep | None = None
    if state.taken_back:
        act = "taken_back"
    elif state.is_empty:
        act = _when_empty(plan, state)
    elif life.stage(now) == "dead":
        act = "dead"
    elif state.to_check:
        act = "accept"
    elif state.owed:
        act = "top_up"
    elif counted:
        act = "correct"
    else:
        act, step = _act(
            plan, steps, state, has_room=ceiling_left_l > drop_of(window.ceiling_l), takes_water=takes_water
        )
    judged = _last_reading(plan, step, state) if step else None
    correction = counted if act == "correct" else None
    if act == "correct" and judged:
        correction = for_reading(plan, state, held, judged.cohesion, judged.wetness, workings)
    ready_at, overdue_at = _times(act, step, state, plan, clock)
    return Situation(
        at=now,
        act=act,
        load=left,
        held=held,
        position=step.plan.step if step else len(steps),
        steps_count=len(steps),
        step=step,
        open_steps=[item for item in steps if item is not step and not _is_behind(item, state)],
        ready_at=ready_at,
        overdue_at=overdue_at,
        life=life,
        stage=life.stage(now),
        clock=clock,
        drying=drying_of(state, life.began_at, made_l, workings)
        if act in ("strip", "dry", "done") and clock
        else None,
        window=window,
        water=_water(window, held, state, share, judged if act == "add_water" else None, workings),
        additions_l=[item.water_l * share for item in state.water],
        takes_water=takes_water and (act != "place" or plan.mix.takes_water_later),
        ratio=_ratio(held, workings) if held.added_l > 0 and held.has_binder else None,
        strength=_strength(plan, left, held, window, workings),
        correction=correction,
        remaining_l=0.0 if state.is_empty else left_l,
        made_l=made_l,
        workings=workings.kept,
    )


def _steps(plan: Plan, whole: Load, state: LoadState, load: Load, to_pour_l: float) -> list[LoadStep]:
    """The steps with what is left of each.

    Those of water share what is still to pour until the start is in, wherever water came from before: a rinse, a hose,
    a step that was poured a little more or less.
    """
    steps = [load_step(step, load, left_of(step, whole, state)) for step in plan.procedure]
    planned_l = fsum(step.water_l or 0.0 for step in steps)
    share = to_pour_l / planned_l if planned_l else 0.0
    return [step if step.water_l is None else replace(step, water_l=step.water_l * share) for step in steps]


def _when_empty(plan: Plan, state: LoadState) -> Act:
    if not state.cleaned:
        return "clean"
    if state.in_store_l > DROP_L:
        return "stored"
    if not plan.mix.regime_traits.makes_casts or state.placed_l <= 0 or state.tracking_stopped is not None:
        return "done"
    return "dry" if state.stripped_at else "strip"


def shares_in(plan: Plan, load: Load, state: LoadState) -> dict[int, float]:
    """The share of each charge and water step that is in, by step number."""
    whole = as_expected(plan, load, state.expected)
    return {step.step: 1 - left_of(step, whole, state) for step in plan.procedure if step.kind_traits.brings}


def _act(
    plan: Plan, steps: list[LoadStep], state: LoadState, *, has_room: bool, takes_water: bool
) -> tuple[Act, LoadStep | None]:
    """The first step that is not done, and its act."""
    for step in steps:
        if step.plan.kind == "judge":
            act = _judging(plan, step, state, has_room=has_room, takes_water=takes_water)
            if act is not None:
                return act, step
        elif not _is_behind(step, state):
            return step.plan.kind_traits.act, step
    raise RuntimeError("a procedure without a step to place it")


def _is_behind(step: LoadStep, state: LoadState) -> bool:
    """Whether a step is done, or has nothing left to do in this load."""
    return (
        step.plan.step in state.steps_done
        or (step.water_l is not None and step.water_l <= ROUNDING)
        or (step.mass_kg is not None and step.left <= ROUNDING)
    )


def _judging(
    plan: Plan, step: LoadStep, state: LoadState, *, has_room: bool, takes_water: bool
) -> Act | None:
    """The act of a judge step; None once it was judged right.

    In a mix judged in phases an earlier judge step stays done once it was right; the last one is asked again after
    anything that was done since.
    """
    last = _last_reading(plan, step, state)
    is_last_step = step.plan.step == last_judge(plan)
    if last is not None and last.reading == "right" and not last.cohesion and not is_last_step:
        return None
    if not state.is_mixed:
        return "mix"
    if last is None or last.mixing < state.mixings:
        return "judge"
    if last.reading == "not-mixed-yet":
        return "mix"
    if last.cohesion or last.reading == "too-wet":
        return "correct"
    if last.reading == "right":
        return None
    if not takes_water:
        return "mix"
    return "add_water" if has_room else "ceiling"


def _last_reading(plan: Plan, step: LoadStep, state: LoadState) -> Judgement | None:
    """The last reading of a judge step."""
    number = step.plan.step
    return state.judgement_of(number, None) if number == last_judge(plan) else state.judgement_of(number)


def last_judge(plan: Plan) -> int:
    """The judge step that a reading without a step belongs to; 0 where it is not judged."""
    return max((step.step for step in plan.procedure if step.kind == "judge"), default=0)


def _times(
    act: Act, step: LoadStep | None, state: LoadState, plan: Plan, clock: SetClock | None
) -> tuple[datetime | None, datetime | None]:
    """The moments from which an act counts, and from which it takes too long; None where none is counted."""
    if act == "strip" and clock:
        return clock.starts_at("strip"), None
    if step is None:
        return None, None
    if act == "place" and clock:
        return clock.at(clock.window_min[0]), None
    if act not in ("mix", "rest") or state.worked_at is None:
        return None, None
    if step.plan.kind == "judge":
        return state.worked_at + timedelta(minutes=plan.mix.absorption_min), None
    if not step.plan.kind_traits.is_counted:
        return None, None
    least, greatest = step.plan.minutes
    return state.worked_at + timedelta(minutes=least), state.worked_at + timedelta(minutes=greatest)


def _window(load: Load, held: Contents) -> Window:
    water = load.water
    ceiling_l = held.to_add_l(water.ceiling_l)
    return Window(
        min(held.to_add_l(water.start_l), ceiling_l),
        held.to_add_l(water.min_l),
        held.to_add_l(water.target_l),
        ceiling_l,
    )


def _water(
    window: Window, held: Contents, state: LoadState, share: float, dry: Judgement | None, workings: Workings
) -> WaterWindow:
    """The place of its water in the window; once judged too dry, the next step is by how dry it looked."""
    by_eye = {}
    if dry:
        first = next(item for item in state.judgements if item.counts)
        dryness = 1.0 if dry.wetness is None else max(1 - dry.wetness / driest_right(), 0.0)
        by_eye = {"first_l": min(first.water_l * share, held.added_l), "dryness_fraction": dryness}
    return workings.run(
        water_window,
        start_l=window.start_l,
        min_l=window.min_l,
        max_l=window.ceiling_l,
        target_l=window.target_l,
        additions_l=[held.added_l] if state.water else [],
        **by_eye,
    )


def _ratio(held: Contents, workings: Workings) -> float:
    return workings.run(
        water_account,
        binder_kg=held.binder_kg,
        added_l=held.added_l,
        free_aggregate_water_kg=held.aggregate_water_l,
        admixture_water_kg=max(held.admixture_l, 0.0),
    ).ratio


def _strength(
    plan: Plan, load: Load, held: Contents, window: Window, workings: Workings
) -> StrengthBand | None:
    if not held.has_binder:
        return None
    added_l = held.added_l or window.target_l
    return strength_of_load(plan, load, held.as_planned_l(added_l), workings)
