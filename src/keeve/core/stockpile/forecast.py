"""The forecast of a stockpile: from what the loads before took to the start of the next one, by the rule
``next-water``.

One stockpile of a plan is followed, its sand or else its stone: that drains, dries and is rained on. The water of the
other materials is taken as planned.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from functools import lru_cache
from typing import Literal, NamedTuple

from keeve.core.loads.contents import contents
from keeve.core.loads.expected_water import followed, free_water_kg, in_words, most_to_start_l, shifted_water
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import ExpectedWater, ForecastReason
from keeve.core.mixes import materials
from keeve.core.mixes.model import Reading
from keeve.core.planning.plan import Load, Plan, PlanMaterial
from keeve.core.rules.next_water import BAND_SD, PAN_SD, Judged, NextWater, PastLoad, Reset, next_water
from keeve.core.stockpile.events import (
    FEEL_SD,
    PROBE_SD,
    Delivered,
    Dug,
    Felt,
    MoistureMeasured,
    PanDried,
    Part,
    Rained,
    StockpileEvent,
    is_covered,
)
from keeve.core.stockpile.weathering import Weathered
from keeve.core.tolerances import LEAST_POUR_L

# So long unseen, and a stockpile may have drained, dried or been rained on: a judgement made here.
_NIGHT = timedelta(hours=8)
# A change of free moisture that is worth a word.
_WORTH_SAYING = 0.003
_JUDGED: dict[Reading, Judged] = {"too-dry": "dry", "right": "right", "too-wet": "wet"}


class Told(NamedTuple):
    """The moisture of its followed stockpile that a person typed for a job, and when: it stands until loads of this job
    say otherwise.
    """

    at: datetime
    moisture_fraction: float


# How sure a typed moisture is, standard deviation. A judgement made here, between a probe and the feel of a handful.
_TOLD_SD = 0.01


def told_moisture(plan: Plan) -> float | None:
    """The moisture that was typed for the followed stockpile; None where it is its default, which nobody need type."""
    material = followed(plan)
    if material is None or material.moisture_fraction == materials()[material.stockpile].moisture_fraction:
        return None
    return material.moisture_fraction


class Observation(NamedTuple):
    """An observation of the stockpile, by a load or between loads, and when."""

    at: datetime
    past: PastLoad


def observed_in(plan: Plan, load: Load, state: LoadState, at: datetime) -> Observation | None:
    """A load's observation of its stockpile: its water when first judged right, or, if thrown away, when last judged.

    Water added after that answers stiffening and evaporation, not the stockpile. None where the plan follows no
    stockpile, there is no such reading yet, or the stockpile alone brought more water than wanted.
    """
    material = followed(plan)
    counting = [
        item for item in state.judgements if item.counts and item.reading in _JUDGED and not item.cohesion
    ]
    right = next((item for item in counting if item.reading == "right"), None)
    decided = right or (counting[-1] if counting and state.discarded else None)
    if material is None or decided is None or load.water.target_l == 0:
        return None
    held = contents(plan, load, state)
    return Observation(
        at,
        PastLoad(
            added_l=decided.water_l,
            dry_aggregate_kg=held.dry_kg[material.name],
            judged=_JUDGED[decided.reading],
            target_water_kg=_wanted_kg(load, material) * held.growth,
        ),
    )


def _wanted_kg(load: Load, material: PlanMaterial) -> float:
    """Free water that tap and followed stockpile are to give together."""
    return load.water.target_l + free_water_kg(load, material)


def history_up_to(
    loads: Sequence[Observation],
    events: Sequence[StockpileEvent],
    now: datetime,
    weathered: Weathered | None = None,
    told: Told | None = None,
) -> list[Observation]:
    """Loads and what happened to the stockpile, as one history in order of time up to now.

    ``weathered``: what the weather should have done to it over a night in the open; None where nobody knows it.
    ``told``: what was typed for the job whose loads these are: its history begins with that.
    """
    between = [Observation(event.occurred_at, past) for event in events if (past := _between_loads(event))]
    history: list[Observation] = []
    begin = datetime.min.replace(tzinfo=now.tzinfo)
    if told:
        word = {
            "reset": "delivery",
            "pan_moisture_fraction": told.moisture_fraction,
            "pan_sd_fraction": _TOLD_SD,
        }
        begin = told.at
        between = [item for item in between if item.at >= begin]
        # What was measured since is the newer word.
        if not any(_is_measured_within(_TOLD_SD, item.past) for item in between):
            history.append(Observation(told.at, _SEEN_NOTHING.model_copy(update=word)))
    dug = [event for event in events if isinstance(event, Dug) and event.occurred_at >= begin]
    for at, past in _where_it_is_dug([*loads, *between], dug):
        overnight = (
            history and at - history[-1].at > _NIGHT and past.reset is None and not _was_covered(events, at)
        )
        if overnight:
            past = past.model_copy(update=_night(history[-1].at, at, weathered))
        history.append(Observation(at, past))
    if history and now - history[-1].at > _NIGHT and not _was_covered(events, now):
        update = _night(history[-1].at, now, weathered)
        history.append(Observation(now, _SEEN_NOTHING.model_copy(update=update)))
    return history


# How much wetter the next lower part of a stockpile is: a heap drains to its foot. Common practice, no source; an
# estimate, as unsure as a fresh delivery.
_WETTER_BELOW = 0.015
_DEPTHS: dict[Part, int] = {"top": -1, "mixed": 0, "bottom": 1}


def _where_it_is_dug(observed: Sequence[Observation], dug: Sequence[Dug]) -> list[Observation]:
    """The history of the part that is dug now: its own since it was first dug, before that of the part dug then.

    Rain and deliveries change every part. A part that was seen before is taken up where it was left.
    """
    part: Part = "mixed"
    parts: dict[Part, list[Observation]] = {part: []}
    moments: list[Observation | Dug] = [*observed, *dug]
    for item in sorted(moments, key=_moment):
        if isinstance(item, Observation):
            for history in parts.values() if item.past.reset else [parts[part]]:
                history.append(item)
            continue
        if item.part not in parts:
            shift = _WETTER_BELOW * (_DEPTHS[item.part] - _DEPTHS[part])
            elsewhere = _SEEN_NOTHING.model_copy(update={"reset": "digging", "shift_fraction": shift})
            parts[item.part] = [*parts[part], Observation(item.occurred_at, elsewhere)]
        part = item.part
    return parts[part]


def _moment(item: Observation | Dug) -> datetime:
    return item.at if isinstance(item, Observation) else item.occurred_at


def _night(begin: datetime, end: datetime, weathered: Weathered | None) -> dict[str, object]:
    """The change that a night in the open adds to what comes after it."""
    return {"reset": "night", "weather_fraction": weathered(begin, end) if weathered else None}


def _was_covered(events: Sequence[StockpileEvent], at: datetime) -> bool:
    """Whether a cover lay on the stockpile then: under one a night neither rains on it nor dries it much."""
    return is_covered(event for event in events if event.occurred_at <= at)


_SEEN_NOTHING = PastLoad(added_l=0.0, dry_aggregate_kg=1.0, judged="unmixed")


def _between_loads(event: StockpileEvent) -> PastLoad | None:
    """An event of the stockpile as the history has it; None for what says nothing of its water."""
    match event:
        case Rained():
            return _SEEN_NOTHING.model_copy(update={"reset": "rain"})
        case Delivered():
            return _SEEN_NOTHING.model_copy(update={"reset": "delivery"})
        case PanDried():
            return _SEEN_NOTHING.model_copy(update={"pan_moisture_fraction": event.moisture_fraction})
        case MoistureMeasured() | Felt():
            sd = FEEL_SD if isinstance(event, Felt) else PROBE_SD
            observed = {"pan_moisture_fraction": event.moisture_fraction, "pan_sd_fraction": sd}
            return _SEEN_NOTHING.model_copy(update=observed)
        case _:
            return None


class Forecast(NamedTuple):
    """The forecast before the next load: the rule's result, what changed the stockpile unseen since, whether a pan
    was dried since it last changed, and the reason.
    """

    water: NextWater
    unseen: Reset | None
    weighed: bool
    because: ForecastReason

    @property
    def why(self) -> str:
        """The reason in a sentence."""
        return in_words(self.because)


def forecast(plan: Plan, load: Load, history: Sequence[Observation]) -> Forecast | None:
    """The forecast of the stockpile before a load; None where the plan follows none or nothing was seen of it."""
    material = followed(plan)
    past = [observed.past for observed in history]
    if material is None or not any(map(_tells, past)) or load.water.target_l == 0:
        return None
    water = _next_water(
        tuple(past),
        _wanted_kg(load, material),
        load.charge(material.name).dry_kg,
        material.absorption_fraction,
    )
    unseen = None if _tells(past[-1]) else past[-1].reset
    because = _unsettled(unseen, water, past[-1]) if unseen else _untold(water) or _trend(history, water)
    return Forecast(water, unseen, _weighed(past), because)


@lru_cache(maxsize=256)
def _next_water(
    history: tuple[PastLoad, ...], target_kg: float, aggregate_kg: float, absorption: float
) -> NextWater:
    """The rule; kept, for one history is asked about by every page that shows its stockpile or its next load."""
    return next_water(
        history=list(history),
        target_water_kg=target_kg,
        dry_aggregate_kg=aggregate_kg,
        absorption_fraction=absorption,
    )


def is_only_told(history: Sequence[Observation]) -> bool:
    """Whether nothing is known but what was typed for the job: its plan says all there is to say."""
    return len(history) == 1 and _is_told(history[0].past)


def _is_told(past: PastLoad) -> bool:
    return past.pan_sd_fraction == _TOLD_SD


def _is_measured_within(sd_fraction: float, past: PastLoad) -> bool:
    return past.pan_moisture_fraction is not None and past.pan_sd_fraction <= sd_fraction


def _tells(past: PastLoad) -> bool:
    return past.judged != "unmixed" or past.pan_moisture_fraction is not None


def expected_water(plan: Plan, load: Load, history: Sequence[Observation]) -> ExpectedWater | None:
    """The water to offer for a load: what the rule says, the low end of it where the stockpile has changed unseen.

    The start is what the loads before came to, as the trade does it; after rain, a delivery or a night nobody knows,
    and water once in does not come out again.
    """
    material, known = followed(plan), forecast(plan, load, history)
    if material is None or known is None:
        return None
    water = known.water
    ceiling_l = shifted_water(load, material, water.free_moisture_fraction, known.weighed).ceiling_l
    start_l = max(water.low_l if known.unseen else water.start_l, LEAST_POUR_L)
    return ExpectedWater(
        stockpile=material.stockpile,
        start_l=min(start_l, most_to_start_l(ceiling_l)),
        about_l=water.start_l,
        low_l=water.low_l,
        high_l=water.high_l,
        last_total_l=water.last_total_l,
        free_moisture_fraction=water.free_moisture_fraction,
        sd_fraction=water.sd_fraction,
        weighed=known.weighed,
        because=known.because.model_copy(update={"is_past_ceiling": water.start_l > ceiling_l}),
    )


def asked_of_the_pile(plan: Plan, load: Load, before: Sequence[Observation]) -> ExpectedWater | None:
    """The water of a load as it is planned, with the question whether its sand is from the same pile as before.

    None where what was typed for the plan is what the loads before it say, but for their bands.

    Args:
        plan: the plan, with a moisture that was typed.
        load: the load.
        before: the history of the stockpile apart from that plan.
    """
    material, known = followed(plan), forecast(plan, load, before)
    if material is None or known is None:
        return None
    typed, learnt = material.free_fraction, known.water.free_moisture_fraction
    if abs(typed - learnt) <= known.water.spread_fraction + BAND_SD * _TOLD_SD:
        return None
    planned = load.water
    return ExpectedWater(
        stockpile=material.stockpile,
        start_l=planned.start_l,
        about_l=planned.target_l,
        low_l=planned.start_l,
        high_l=planned.ceiling_l,
        last_total_l=None,
        free_moisture_fraction=typed,
        sd_fraction=_TOLD_SD,
        weighed=False,
        because=ForecastReason(kind="told", free_moisture_fraction=typed, before_fraction=learnt),
    )


def _weighed(history: Sequence[PastLoad]) -> bool:
    """Whether a pan was dried since the stockpile last changed; feel or a probe does not move a ceiling."""
    for past in reversed(history):
        if _is_measured_within(PAN_SD, past):
            return True
        if past.reset:
            return False
    return False


def _unsettled(unseen: Reset, water: NextWater, last: PastLoad) -> ForecastReason:
    """The range of the stockpile after it changed unseen."""
    return ForecastReason(
        kind=unseen,
        free_moisture_fraction=water.free_moisture_fraction,
        spread_fraction=water.spread_fraction,
        by_weather=last.weather_fraction is not None,
    )


def _untold(water: NextWater) -> ForecastReason | None:
    """That the stockpile changed lately and nobody said so; None where it did not."""
    if water.changed_by_fraction is None:
        return None
    now = water.free_moisture_fraction
    return ForecastReason(
        kind="untold", free_moisture_fraction=now, before_fraction=now - water.changed_by_fraction
    )


def _trend(history: Sequence[Observation], found: NextWater) -> ForecastReason:
    """How the stockpile has gone since it last changed."""
    changed = [
        index
        for index, (observed, step) in enumerate(zip(history, found.path, strict=True))
        if observed.past.reset or step.taken_as == "change"
    ]
    since = max(changed, default=0)
    lately = history[since:]
    steps = [
        step
        for observed, step in zip(lately, found.path[since:], strict=True)
        if _tells(observed.past) and not _is_told(observed.past)
    ]
    now = found.free_moisture_fraction
    if len(steps) < 2:
        return ForecastReason(kind="seen-once", free_moisture_fraction=now)
    # The prediction for the second load is what the first taught: before it there was only the usual stockpile.
    before = steps[1].free_moisture_fraction
    kind: Literal["drying", "wetter", "steady"] = "steady"
    if abs(now - before) > _WORTH_SAYING:
        kind = "drying" if now < before else "wetter"
    loads = sum(observed.past.was_mixed for observed in lately)
    return ForecastReason(kind=kind, free_moisture_fraction=now, before_fraction=before, loads=loads)
