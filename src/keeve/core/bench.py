"""What to do this minute: the one act that a batch is waiting for."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from keeve.core.batch import DROP_L, Batch, Judgement
from keeve.core.carry_over import as_expected
from keeve.core.contents import Contents, contents, left_of
from keeve.core.correcting import Correction, for_count, for_reading
from keeve.core.life import Life, Stage, life_of
from keeve.core.load_strength import strength_of
from keeve.core.plan import Load, LoadStep, Plan, load_step
from keeve.core.strength import StrengthBand
from keeve.core.water import LEAST_STEP_L, WaterWindow, water_account, water_window
from keeve.core.workings import Working, Workings

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

# Less than this left in the mixer is what sticks to it.
REST_FRACTION = 0.005


@dataclass(frozen=True)
class Window:
    """The water window of a running load in litres added, as its contents ask for it."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float


@dataclass(frozen=True)
class Situation:
    """Where a load stands.

    ``load`` is as planned, with its water as the heap is expected to be, ``held`` what is in it; ``step`` the
    procedure's step in hand with what is left of it, ``position`` its number of ``steps_count``, ``open_steps`` what
    else is not behind; ``ready_at`` the moment before which the act does not count, ``overdue_at`` the moment from
    which it takes too long; ``life`` its working life and ``stage`` how much of it is left; ``takes_water`` whether
    the mix's policy still lets water in, ``proposal_l`` the water that is proposed; ``ratio`` water over binder now,
    once there is water; ``strength`` what to expect of it at 28 days, or of its target before there is water, where
    that can be said; ``correction`` what brings it back, where that is asked; ``remaining_l`` what is in the mixer;
    ``workings`` how these figures came about.
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
    def dead_at(self) -> datetime | None:
        """The end of its working life."""
        return self.life.dead_at

    @property
    def yield_l(self) -> float:
        """What it makes, L of fresh volume."""
        return self.held.yield_l


def situation(plan: Plan, load: Load, batch: Batch, now: datetime) -> Situation:
    """The one act that the load is waiting for.

    Args:
        plan: the plan the load belongs to.
        load: the load as planned.
        batch: the load as it is.
        now: the moment asked about.
    """
    load = as_expected(plan, load, batch.expected)
    held = contents(plan, load, batch)
    steps = [load_step(step, load, left_of(step, load, batch)) for step in plan.procedure]
    window = _window(load, held)
    workings = Workings()
    water = workings.run(
        water_window,
        start_l=window.start_l,
        min_l=window.min_l,
        max_l=window.ceiling_l,
        target_l=window.target_l,
        additions_l=[batch.water_l] if batch.water else [],
    )
    life = life_of(plan, load, batch, workings)
    remaining_l = max(held.yield_l - batch.gone_l, 0.0)
    rested = any(step.plan.kind == "rest" and step.plan.step in batch.steps_done for step in steps)
    takes_water = not (rested and plan.mix.retempering == "remix_dry")
    counted = for_count(plan, batch, held, workings) if batch.recounted else None
    act: Act
    step: LoadStep | None = None
    if batch.discarded is not None or remaining_l <= held.yield_l * REST_FRACTION:
        act = _when_empty(batch)
    elif life.stage(now) == "dead":
        act = "dead"
    elif batch.to_check:
        act = "accept"
    elif batch.owed:
        act = "top_up"
    elif counted:
        act = "correct"
    else:
        act, step = _act(plan, steps, batch, water, takes_water=takes_water)
    ready_at, overdue_at = _times(act, step, batch, plan.mix.wet_out_min)
    judged = _last_reading(plan, step, batch) if step else None
    wetness = judged.wetness if judged else None
    correction = counted if act == "correct" else None
    if act == "correct" and judged:
        correction = for_reading(plan, batch, held, judged.body, wetness, workings)
    return Situation(
        act=act,
        load=load,
        held=held,
        position=step.plan.step if step else len(steps),
        steps_count=len(steps),
        step=step,
        open_steps=[item for item in steps if item is not step and not _is_behind(item, batch)],
        ready_at=ready_at,
        overdue_at=overdue_at,
        life=life,
        stage=life.stage(now),
        window=window,
        water=water,
        proposal_l=_proposal(water, wetness if act == "add_water" else None),
        takes_water=takes_water and (act != "place" or plan.mix.takes_water_later),
        ratio=_ratio(batch, held, workings) if batch.water and held.has_binder else None,
        strength=_strength(plan, load, batch, held, window, workings),
        correction=correction,
        remaining_l=remaining_l,
        workings=workings.kept,
    )


def _when_empty(batch: Batch) -> Act:
    if not batch.cleaned:
        return "clean"
    return "stored" if batch.kept_l > DROP_L else "done"


def shares_in(plan: Plan, load: Load, batch: Batch) -> dict[int, float]:
    """How much of each charge and water step is in, by its number."""
    return {
        step.step: 1 - left_of(step, load, batch)
        for step in plan.procedure
        if step.kind in ("charge", "water")
    }


def _act(
    plan: Plan, steps: list[LoadStep], batch: Batch, water: WaterWindow, *, takes_water: bool
) -> tuple[Act, LoadStep | None]:
    """The first step that is not behind, and what it waits for."""
    for step in steps:
        if step.plan.kind == "judge":
            act = _judging(plan, step, batch, water, takes_water=takes_water)
            if act is not None:
                return act, step
        elif not _is_behind(step, batch):
            return _STEP_ACTS[step.plan.kind], step
    raise RuntimeError("a procedure without a step to place it")


def _is_behind(step: LoadStep, batch: Batch) -> bool:
    """Whether a step is done, or there is nothing of it left to do in this load."""
    return (
        step.plan.step in batch.steps_done
        or (step.plan.kind == "water" and not (step.water_l or 0.0) > _NOTHING)
        or (step.plan.kind == "charge" and step.left <= _NOTHING)
    )


_NOTHING = 1e-9


def _judging(
    plan: Plan, step: LoadStep, batch: Batch, water: WaterWindow, *, takes_water: bool
) -> Act | None:
    """What a judge step waits for; None once it was read right.

    An earlier step of a mix that is judged in phases stays behind once it was right; the last one is asked
    again after anything that was done since.
    """
    last = _last_reading(plan, step, batch)
    is_last_step = step.plan.step == last_judge(plan)
    if last is not None and last.reading == "right" and not last.body and not is_last_step:
        return None
    if not batch.is_mixed:
        return "mix"
    if last is None or (batch.mixed_at is not None and last.at < batch.mixed_at):
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


def _last_reading(plan: Plan, step: LoadStep, batch: Batch) -> Judgement | None:
    """The last reading of a judge step."""
    number = step.plan.step
    return batch.judgement_of(number, None) if number == last_judge(plan) else batch.judgement_of(number)


def last_judge(plan: Plan) -> int:
    """The step that a reading without a step is of."""
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
    act: Act, step: LoadStep | None, batch: Batch, wet_out_min: float
) -> tuple[datetime | None, datetime | None]:
    """From when the mixing or rest in hand counts, and from when it is too long. Other acts wait for nobody."""
    if act not in ("mix", "rest") or step is None or batch.worked_at is None:
        return None, None
    if step.plan.kind == "judge":
        return batch.worked_at + timedelta(minutes=wet_out_min), None
    least, greatest = step.plan.minutes
    if step.plan.kind == "scrape":
        return None, None
    return batch.worked_at + timedelta(minutes=least), batch.worked_at + timedelta(minutes=greatest)


def _window(load: Load, held: Contents) -> Window:
    water = load.water
    ceiling_l = held.to_add_l(water.ceiling_l)
    return Window(
        min(water.start_l, ceiling_l), held.to_add_l(water.min_l), held.to_add_l(water.target_l), ceiling_l
    )


def _proposal(water: WaterWindow, wetness: float | None) -> float:
    """The next step of water: smaller the nearer it looked to right, where that was pointed at."""
    # Half way between the drawings of too dry and right, or drier, it is the whole step: a judgement made here.
    near = 1.0 if wetness is None else min(2 * (1 - 2 * wetness), 1.0)
    return max(water.next_step_l * near, min(LEAST_STEP_L, water.next_step_l))


def _ratio(batch: Batch, held: Contents, workings: Workings) -> float:
    return workings.run(
        water_account,
        binder_kg=held.binder_kg,
        added_l=batch.water_l,
        free_aggregate_water_kg=held.heap_l,
        admixture_water_kg=max(held.admixture_l, 0.0),
    ).ratio


def _strength(
    plan: Plan, load: Load, batch: Batch, held: Contents, window: Window, workings: Workings
) -> StrengthBand | None:
    if not held.has_binder:
        return None
    added_l = batch.water_l if batch.water else window.target_l
    return strength_of(plan, load, held.as_planned_l(added_l), workings)
