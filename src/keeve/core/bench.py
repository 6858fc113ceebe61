"""What to do this minute: the one act that a batch is waiting for, and what is refused before its time."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from keeve.core.batch import Batch
from keeve.core.carry_over import as_expected
from keeve.core.correction import CorrectWet, correct_wet
from keeve.core.errors import InputError
from keeve.core.events import (
    OWN_EVENTS,
    Accepted,
    Admixed,
    Charged,
    Corrected,
    Discarded,
    Event,
    Judged,
    Mixed,
    Noted,
    Placed,
    Rested,
    Undone,
    WaterAdded,
)
from keeve.core.load_strength import strength_of
from keeve.core.plan import Load, LoadStep, Plan, load_steps
from keeve.core.strength import StrengthBand
from keeve.core.water import WaterWindow, water_account, water_window
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
    "place",
    "dead",
    "done",
]

# Measured by eye off a jug, and sums of such: a drop over the ceiling is the ceiling.
_DROP_L = 0.05
# Less than this left in the mixer is what sticks to it.
_REST_FRACTION = 0.005


@dataclass(frozen=True)
class Window:
    """The water window of a running load in litres added, grown with what was added to correct it."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float


@dataclass(frozen=True)
class Situation:
    """Where a load stands.

    ``load`` is as planned, with its water as the heap is expected to be; ``step`` the procedure's step in hand,
    ``position`` its number of ``steps_count``; ``ready_at`` the moment before which the act does not count,
    ``overdue_at`` the moment from which it takes too long;
    ``dead_at`` the end of working life; ``takes_water`` whether the mix's policy still lets water in;
    ``ratio`` water over binder now, once there is water; ``strength`` what to expect of it at 28 days, or of its target
    before there is water, where that can be said; ``workings`` how these figures came about.
    """

    act: Act
    load: Load
    position: int
    steps_count: int
    step: LoadStep | None
    ready_at: datetime | None
    overdue_at: datetime | None
    dead_at: datetime | None
    window: Window
    water: WaterWindow
    takes_water: bool
    ratio: float | None
    strength: StrengthBand | None
    correction: CorrectWet | None
    yield_l: float
    remaining_l: float
    workings: list[Working]


def situation(plan: Plan, load: Load, batch: Batch, now: datetime) -> Situation:
    """The one act that the load is waiting for.

    Args:
        plan: the plan the load belongs to.
        load: the load as planned.
        batch: the load as it is.
        now: the moment asked about.
    """
    load = as_expected(plan, load, batch.expected)
    steps = load_steps(plan, load)
    growth = batch.growth(load)
    window = _window(load, growth)
    workings = Workings()
    water = workings.run(
        water_window,
        start_l=window.start_l,
        min_l=window.min_l,
        max_l=window.ceiling_l,
        target_l=window.target_l,
        additions_l=[addition.water_l for addition in batch.water],
    )
    yield_l = load.yield_l * growth
    remaining_l = max(yield_l - batch.placed_l, 0.0)
    dead_at = batch.dead_at(plan.mix.life_min)
    rested = any(step.plan.kind == "rest" and step.plan.step in batch.steps_done for step in steps)
    remix_dry = rested and plan.mix.retempering == "remix_dry"
    emptied = remaining_l <= yield_l * _REST_FRACTION
    act: Act
    step: LoadStep | None
    if batch.discarded is not None or emptied:
        act, step = "done", None
    elif dead_at is not None and now >= dead_at:
        act, step = "dead", None
    elif batch.to_check:
        act, step = "accept", None
    else:
        act, step = _act(steps, batch, water, last_judge=_last_judge(plan), takes_water=not remix_dry)
    ready_at, overdue_at = _times(act, step, batch, plan.mix.wet_out_min)
    return Situation(
        act=act,
        load=load,
        position=step.plan.step if step else len(steps),
        steps_count=len(steps),
        step=step,
        ready_at=ready_at,
        overdue_at=overdue_at,
        dead_at=dead_at,
        window=window,
        water=water,
        takes_water=not remix_dry and (act != "place" or plan.mix.takes_water_later),
        ratio=_ratio(load, batch, growth, workings) if batch.water else None,
        strength=strength_of(
            plan, load, batch.water_l / growth if batch.water else window.target_l / growth, workings
        ),
        correction=_correction(plan, load, batch, growth, workings) if act == "correct" else None,
        yield_l=yield_l,
        remaining_l=remaining_l,
        workings=workings.kept,
    )


def _act(
    steps: list[LoadStep], batch: Batch, water: WaterWindow, *, last_judge: int, takes_water: bool
) -> tuple[Act, LoadStep | None]:
    """The first step that is not behind, and what it waits for."""
    for step in steps:
        if step.plan.kind == "judge":
            act = _judging(step, batch, water, is_last=step.plan.step == last_judge, takes_water=takes_water)
            if act is not None:
                return act, step
        elif not _is_behind(step, batch):
            return _STEP_ACTS[step.plan.kind], step
    raise RuntimeError("a procedure without a step to place it")


def _is_behind(step: LoadStep, batch: Batch) -> bool:
    """Whether a step is done, or there is nothing of it in this load."""
    return step.plan.step in batch.steps_done or (step.plan.kind == "water" and step.water_l == 0)


def _judging(
    step: LoadStep, batch: Batch, water: WaterWindow, *, is_last: bool, takes_water: bool
) -> Act | None:
    """What a judge step waits for; None once it was read right.

    An earlier step of a mix that is judged in phases stays behind once it was right; the last one is asked
    again after anything that was done since.
    """
    number = step.plan.step
    last = batch.judgement_of(number, None) if is_last else batch.judgement_of(number)
    if last is not None and last.reading == "right" and not is_last:
        return None
    if not batch.is_mixed:
        return "mix"
    if last is None or (batch.mixed_at is not None and last.at < batch.mixed_at):
        return "judge"
    if last.reading == "right":
        return None
    if last.reading == "too-dry" and not takes_water:
        return "mix"
    if last.reading == "too-dry":
        return "add_water" if water.remaining_l > _DROP_L else "ceiling"
    return "correct" if last.reading == "too-wet" else "mix"


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


def _window(load: Load, growth: float) -> Window:
    water = load.water
    return Window(water.start_l, water.min_l * growth, water.target_l * growth, water.ceiling_l * growth)


def _ratio(load: Load, batch: Batch, growth: float, workings: Workings) -> float:
    return workings.run(
        water_account,
        binder_kg=load.binder_kg * growth,
        added_l=batch.water_l,
        free_aggregate_water_kg=load.water.in_heap_l * growth,
        admixture_water_kg=load.water.in_admixture_l,
    ).ratio


def _correction(plan: Plan, load: Load, batch: Batch, growth: float, workings: Workings) -> CorrectWet:
    """What brings a batch that was judged too wet back to the low end of its window.

    A batch may be too wet to the eye while its figures are in range (the heap was wetter than thought), so
    the surplus is taken against the ratio it should have had, and is never less than one small step of water.
    """
    water_kg = _ratio(load, batch, growth, workings) * load.binder_kg * growth
    target_ratio = (load.water.target_l + load.water.in_heap_l + load.water.in_admixture_l) / load.binder_kg
    at_target_kg = target_ratio * load.binder_kg * growth
    least_surplus_kg = _LEAST_SURPLUS * at_target_kg
    return workings.run(
        correct_wet,
        charged_kg={charge.material: charge.dry_kg * growth for charge in load.charges},
        water_kg=max(water_kg, at_target_kg + least_surplus_kg),
        binder=[material.name for material in plan.materials if material.is_binder],
        target_ratio=target_ratio,
        mixer_free_l=max(plan.mixer.working_l - load.yield_l * growth, 0.0),
        moisture_fraction={material.name: material.moisture_fraction for material in plan.materials},
        densities={charge.material: charge.mass_kg / charge.volume_l * 1000 for charge in load.charges},
    )


# Where the eye says too wet and the figures do not, a twentieth of the water is taken as the surplus:
# a judgement made here, about one visible step on the trowel.
_LEAST_SURPLUS = 0.05


def refuse(plan: Plan, load: Load, batch: Batch, event: Event) -> None:
    """Refuse an event that does not count at its moment.

    Raises:
        InputError: with one sentence on what to do instead.
    """
    if isinstance(event, Noted):
        return
    if isinstance(event, OWN_EVENTS):
        raise InputError("own_event", f"kind {event.kind} is written down by Keeve itself.", ["kind"])
    if isinstance(event, Undone):
        if all(event.cancels != done.id for done in batch.applied):
            raise InputError("nothing_to_undo", "That step no longer stands: nothing to undo.", ["cancels"])
        return
    _refuse_unplanned(plan, event)
    now = situation(plan, load, batch, event.occurred_at)
    if now.act == "done":
        raise InputError("load_done", "This load is done: start the next one.", ["kind"])
    if now.act == "dead" and not isinstance(event, Discarded):
        raise InputError(
            "past_life",
            "This load is past its working life: discard it. Water cannot bring it back.",
            ["kind"],
        )
    match event:
        case Accepted() if now.act != "accept" or not set(event.faults) <= set(batch.to_check):
            raise InputError("not_asked", "faults names what was not asked: load the page again.", ["faults"])
        case _ if now.act == "accept" and not isinstance(event, Accepted | Discarded):
            raise InputError(
                "not_accepted", "Look at the materials first: that comes before the first load.", ["kind"]
            )
        case Mixed() | Rested() if now.ready_at and event.occurred_at < now.ready_at:
            seconds = (now.ready_at - event.occurred_at).total_seconds()
            raise InputError("not_yet", f"Not yet: {_span(seconds)} more.", ["occurred_at"])
        case Judged() if now.act in ("charge", "water", "admix", "mix", "rest"):
            raise InputError("not_yet", "Not yet: a reading counts only after mixing.", ["reading"])
        case Judged() if now.act == "place":
            raise InputError(
                "judged_right", "It was judged right: undo that reading to judge it again.", ["reading"]
            )
        case Judged() if (event.step or _last_judge(plan)) != now.position:
            raise InputError(
                "other_step", f"step must be {now.position}: that is what is judged now.", ["step"]
            )
        case WaterAdded() if not now.takes_water:
            raise InputError("retempering", f"No more water. {plan.mix.retempering_why}", ["water_l"])
        case Corrected() if now.act != "correct":
            raise InputError(
                "not_too_wet", "Nothing to correct: judge it too wet first, then add what is shown.", ["kind"]
            )
        case WaterAdded() if event.water_l > now.water.remaining_l + _DROP_L:
            raise InputError(
                "past_ceiling",
                f"That is past the ceiling: {now.water.remaining_l:.1f} L is all this load may still take.",
                ["water_l"],
                meant=_meant("water_l", event.water_l, now.water.remaining_l),
            )
        case Charged() | Admixed() if event.step in batch.steps_done:
            raise InputError("step_done", "That step is done already: undo it first.", ["step"])
        case Placed() if now.act != "place":
            raise InputError("not_judged", "Judge it right before you place it.", ["kind"])
        case Placed() if event.volume_l > now.remaining_l * (1 + _REST_FRACTION):
            raise InputError(
                "more_than_left",
                f"Only {now.remaining_l:.1f} L are left to place: type no more than that.",
                ["volume_l"],
                meant=_meant("volume_l", event.volume_l, now.remaining_l),
            )
        case _:
            return


# As many times over what is left, a figure has its decimal point in the wrong place; under that, all is meant.
_FAR_OVER = 3.0
# Less is not measured on a site.
_LEAST_L = 0.1


def _meant(field: str, typed_l: float, most_l: float) -> dict[str, float] | None:
    likely_l = typed_l / 10 if _FAR_OVER * most_l < typed_l <= 10 * most_l else most_l
    return {field: likely_l} if likely_l >= _LEAST_L else None


def _last_judge(plan: Plan) -> int:
    """The step that a reading without a step is of."""
    return max(step.step for step in plan.procedure if step.kind == "judge")


# The kinds of step that an event may name as the one it did.
_DOES: dict[type[Event], tuple[str, ...]] = {
    Charged: ("charge",),
    WaterAdded: ("water",),
    Mixed: ("mix", "scrape"),
    Admixed: ("admixture",),
    Rested: ("rest",),
    Judged: ("judge",),
}


def _refuse_unplanned(plan: Plan, event: Event) -> None:
    """Refuse a step or a material that the plan does not have."""
    if isinstance(event, Charged | WaterAdded | Admixed | Mixed | Rested | Judged) and event.step is not None:
        step = next((item for item in plan.procedure if item.step == event.step), None)
        if step is None or step.kind not in _DOES[type(event)]:
            raise InputError(
                "unknown_step",
                f"step {event.step} of this plan is no such step: load the page again.",
                ["step"],
            )
        if isinstance(event, Charged) and event.material != step.material:
            raise InputError(
                "wrong_material",
                f"material must be {step.material}: that is what the step charges.",
                ["material"],
            )
    if isinstance(event, Corrected):
        known = {material.name for material in plan.materials}
        if unknown := set(event.add_kg) - known:
            name = min(unknown)
            raise InputError(
                "unknown_material", f"add_kg names {name!r}, which this mix has not.", [f"add_kg.{name}"]
            )


def _span(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"
