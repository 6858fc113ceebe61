"""Carry over: what the loads from a heap took gives the start of the next one, by the rule ``next-water``.

A plan draws on one heap that is followed, its sand or else its stone: that is what drains, dries and is rained on.
The water of its other materials is taken as the plan has it.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.batch import Batch
from keeve.core.contents import contents
from keeve.core.events import ExpectedWater
from keeve.core.heap_log import (
    FEEL_SD,
    PROBE_SD,
    Delivered,
    Felt,
    HeapEvent,
    MoistureTold,
    PanDried,
    Rained,
    is_covered,
)
from keeve.core.mixes.model import Reading
from keeve.core.plan import Load, LoadWater, Plan, PlanMaterial
from keeve.core.tracker import PAN_SD, Judged, NextWater, PastLoad, Reset, next_water
from keeve.core.water import LEAST_STEP_L

# So long unseen, and a heap may have drained, dried or been rained on: a judgement made here.
_NIGHT = timedelta(hours=8)
# A change of free moisture that is worth a word.
_WORTH_SAYING = 0.003
_JUDGED: dict[Reading, Judged] = {"too-dry": "dry", "right": "right", "too-wet": "wet"}


class Told(NamedTuple):
    """What a load told of the heap, or what happened to it between loads, and when."""

    at: datetime
    past: PastLoad


def followed(plan: Plan) -> PlanMaterial | None:
    """The material of the plan whose heap is followed; None where all of it comes dry in bags."""
    return next((material for material in plan.materials if material.heap), None)


def told_by(plan: Plan, load: Load, batch: Batch, at: datetime) -> Told | None:
    """What a load tells of its heap: its water when first judged right, or, thrown away, when it was last judged.

    What goes in after it was right answers stiffening and evaporation, not the heap. None where there is no heap, no
    such reading yet, or the heap alone brought more water than was wanted.
    """
    material = followed(plan)
    counting = [
        item for item in batch.judgements if item.counts and item.reading in _JUDGED and not item.body
    ]
    right = next((item for item in counting if item.reading == "right"), None)
    decided = right or (counting[-1] if counting and batch.discarded else None)
    if material is None or decided is None or load.water.target_l == 0:
        return None
    held = contents(plan, load, batch)
    return Told(
        at,
        PastLoad(
            added_l=sum(addition.water_l for addition in batch.water if addition.at <= decided.at),
            dry_aggregate_kg=held.dry_kg[material.name],
            judged=_JUDGED[decided.reading],
            target_water_kg=_wanted_kg(load, material) * held.growth,
        ),
    )


def _free_kg(load: Load, material: PlanMaterial) -> float:
    """The free water that the plan reckons the followed heap brings."""
    return load.charge(material.name).dry_kg * material.free_fraction


def _wanted_kg(load: Load, material: PlanMaterial) -> float:
    """Free water that tap and followed heap are to give together."""
    return load.water.target_l + _free_kg(load, material)


def history_of(loads: Sequence[Told], events: Sequence[HeapEvent], now: datetime) -> list[Told]:
    """Loads and what happened to the heap, as one history in order of time up to now."""
    between = [Told(event.occurred_at, past) for event in events if (past := _between_loads(event))]
    history: list[Told] = []
    for at, past in sorted([*loads, *between], key=lambda told: told.at):
        overnight = (
            history and at - history[-1].at > _NIGHT and past.reset is None and not _was_covered(events, at)
        )
        history.append(Told(at, past.model_copy(update={"reset": "night"}) if overnight else past))
    if history and now - history[-1].at > _NIGHT and not _was_covered(events, now):
        history.append(Told(now, _SEEN_NOTHING.model_copy(update={"reset": "night"})))
    return history


def _was_covered(events: Sequence[HeapEvent], at: datetime) -> bool:
    """Whether a cover lay on the heap then: under one a night neither rains on it nor dries it much."""
    return is_covered(event for event in events if event.occurred_at <= at)


_SEEN_NOTHING = PastLoad(added_l=0.0, dry_aggregate_kg=1.0, judged="unmixed")


def _between_loads(event: HeapEvent) -> PastLoad | None:
    """An event of the heap as the history tells it; None for what says nothing of its water."""
    match event:
        case Rained():
            return _SEEN_NOTHING.model_copy(update={"reset": "rain"})
        case Delivered():
            return _SEEN_NOTHING.model_copy(update={"reset": "delivery"})
        case PanDried():
            return _SEEN_NOTHING.model_copy(update={"pan_moisture_fraction": event.moisture_fraction})
        case MoistureTold() | Felt():
            sd = FEEL_SD if isinstance(event, Felt) else PROBE_SD
            told = {"pan_moisture_fraction": event.moisture_fraction, "pan_sd_fraction": sd}
            return _SEEN_NOTHING.model_copy(update=told)
        case _:
            return None


class Outlook(NamedTuple):
    """What is known of a heap before its next load: what the rule says of it, what changed it unseen since, whether
    a pan was dried since it last changed, and all that in a sentence.
    """

    water: NextWater
    unseen: Reset | None
    weighed: bool
    why: str


def outlook(plan: Plan, load: Load, history: Sequence[Told]) -> Outlook | None:
    """What is known of the heap before a load; None where it has no heap or nothing was seen of it."""
    material = followed(plan)
    past = [told.past for told in history]
    if material is None or not any(map(_tells, past)) or load.water.target_l == 0:
        return None
    water = next_water(
        history=past,
        target_water_kg=_wanted_kg(load, material),
        dry_aggregate_kg=load.charge(material.name).dry_kg,
        absorption_fraction=material.absorption_fraction,
    )
    unseen = None if _tells(past[-1]) else past[-1].reset
    why = _unsettled(unseen, water) if unseen else _trend(history, water)
    return Outlook(water, unseen, _weighed(past), why)


def _tells(past: PastLoad) -> bool:
    return past.judged != "unmixed" or past.pan_moisture_fraction is not None


def expected_water(plan: Plan, load: Load, history: Sequence[Told]) -> ExpectedWater | None:
    """The water to offer for a load: what the rule says, the low end of it where the heap has changed unseen.

    The start is what the loads before came to, as the trade does it; after rain, a delivery or a night nobody knows,
    and water once in does not come out again.
    """
    material, known = followed(plan), outlook(plan, load, history)
    if material is None or known is None:
        return None
    water, why = known.water, known.why
    ceiling_l = _shifted(load, material, water.free_moisture_fraction, known.weighed).ceiling_l
    if water.start_l > ceiling_l:
        why = f"{why} {_PAST_CEILING}"
    return ExpectedWater(
        heap=material.heap,
        start_l=min(max(water.low_l if known.unseen else water.start_l, LEAST_STEP_L), ceiling_l),
        about_l=water.start_l,
        low_l=water.low_l,
        high_l=water.high_l,
        last_total_l=water.last_total_l,
        free_moisture_fraction=water.free_moisture_fraction,
        sd_fraction=water.sd_fraction,
        weighed=known.weighed,
        why=why,
    )


_PAST_CEILING = (
    "That is past the ceiling, reckoned with wetter sand: dry a pan of it in the yard to move it too."
)


def _weighed(history: Sequence[PastLoad]) -> bool:
    """Whether a pan was dried since the heap last changed; what is felt or told by a probe does not move a ceiling."""
    for past in reversed(history):
        if past.pan_moisture_fraction is not None and past.pan_sd_fraction <= PAN_SD:
            return True
        if past.reset:
            return False
    return False


_CHANGED: dict[Reset, str] = {
    "rain": "It rained on the heap",
    "delivery": "A fresh load was tipped",
    "night": "Hours went by over the heap",
}


def _unsettled(unseen: Reset, water: NextWater) -> str:
    """What the heap may be after it changed unseen."""
    percent, spread = water.free_moisture_fraction * 100, water.spread_fraction * 100
    return (
        f"{_CHANGED[unseen]} since: {percent:.1f} % of free water before, now anything near that (± {spread:.1f}). "
        "Begin at the low end, and judge."
    )


def _trend(history: Sequence[Told], found: NextWater) -> str:
    """How the heap has gone since it last changed."""
    since = max((index for index, told in enumerate(history) if told.past.reset), default=0)
    lately = history[since:]
    steps = [step for told, step in zip(lately, found.path[since:], strict=True) if _tells(told.past)]
    percent = found.free_moisture_fraction * 100
    if len(steps) < 2:
        return f"By what was seen last, the heap holds {percent:.1f} % of free water."
    # Foretold for the second is what the first taught: before it there was only the usual heap.
    before = steps[1].free_moisture_fraction
    loads = f"over {sum(told.past.was_mixed for told in lately)} loads"
    if before - found.free_moisture_fraction > _WORTH_SAYING:
        return f"The heap dries: from {before * 100:.1f} to {percent:.1f} % of free water {loads}."
    if found.free_moisture_fraction - before > _WORTH_SAYING:
        return f"The heap gets wetter: from {before * 100:.1f} to {percent:.1f} % of free water {loads}."
    return f"The heap keeps near {percent:.1f} % of free water {loads}."


def as_expected(plan: Plan, load: Load, expected: ExpectedWater | None) -> Load:
    """The load with its water as its heap is expected to be."""
    material = followed(plan)
    if material is None or expected is None:
        return load
    water = _shifted(load, material, expected.free_moisture_fraction, expected.weighed)
    return load.model_copy(update={"water": water.model_copy(update={"start_l": expected.start_l})})


def _shifted(load: Load, material: PlanMaterial, free_fraction: float, weighed: bool) -> LoadWater:
    """The window of a load for a heap with that much free water.

    What the eye taught moves the target; the ceiling it may lower but never lift, since an eye that likes it wet
    would lift it load by load. A dried pan lifts it.
    """
    planned = load.water
    drier_l = _free_kg(load, material) - free_fraction * load.charge(material.name).dry_kg
    bounds_l = drier_l if weighed else min(drier_l, 0.0)
    ceiling_l = max(planned.ceiling_l + bounds_l, LEAST_STEP_L)
    low_l = min(max(planned.min_l + bounds_l, 0.0), ceiling_l)
    return LoadWater(
        start_l=planned.start_l,
        min_l=low_l,
        target_l=min(max(planned.target_l + drier_l, low_l), ceiling_l),
        ceiling_l=ceiling_l,
        in_heap_l=planned.in_heap_l - drier_l,
        in_admixture_l=planned.in_admixture_l,
    )
