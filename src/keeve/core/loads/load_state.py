"""The state of a load as a fold over its events: what is in it, how it was judged, where it went.

What leaves the mixer takes its share of everything that is in it at that moment. So the amounts are kept as for the
whole load, beside the share of it that is still in the mixer: what goes into half a load counts twice.
"""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from types import MappingProxyType
from typing import Any, NamedTuple, TypeVar
from uuid import UUID

from keeve.core.loads.events import (
    OWN_EVENTS,
    Accepted,
    Admixed,
    Begun,
    CameOut,
    Charged,
    Cleaned,
    Corrected,
    Correcting,
    Discarded,
    Event,
    Expected,
    FlowMeasured,
    FreshTested,
    Given,
    Judged,
    Mixed,
    Observed,
    Placed,
    PutRight,
    Recounted,
    Released,
    Rested,
    Result,
    Seen,
    SpecimenLost,
    SpecimensMade,
    SpecimenTested,
    Stored,
    Stripped,
    TakenBack,
    TemperatureTaken,
    Trimmed,
    Undone,
    WaterAdded,
    WaterLost,
    Weighed,
    in_order,
    standing_of,
)
from keeve.core.loads.known_before import ExpectedWater, Setting
from keeve.core.loads.state_parts import Addition, Judgement, Owed, SeenAt, WeighedAt
from keeve.core.planning.plan import Load
from keeve.core.tolerances import ROUNDING, STICKS_FRACTION

_NONE: Mapping[Any, float] = MappingProxyType({})
_NO_RESULTS: Mapping[Any, Any] = MappingProxyType({})
_NO_CHECKS: Mapping[str, bool] = MappingProxyType({})


class LoadState(NamedTuple):
    """The state of a load.

    Args:
        applied: the events that count, in order.
        steps_done: numbers of the finished steps.
        checks: ids of the checks to make before anything goes in.
        faults: ids of those that failed; None before they were made.
        expected: the expected water of its stockpile.
        share: how much of the load is still in the mixer, of what went in and will: 1 until something leaves.
        held_kg: kg as charged by material, of the whole load.
        step_kg: kg in, by step, of the whole load.
        step_l: L of water in, by step, of the whole load.
        counted_doses: multiples of the planned dose by admixture, where it was counted again.
        extra_doses: multiples of it that were added on purpose, beside the procedure.
        water: every addition of water, of the whole load.
        went_in_kg: kg as charged by material that went in, whatever left since.
        went_in_l: water that went in and did not run out, L, whatever left since.
        dripped_l: water that ran out and was not put back, L.
        recounted: whether it was counted again and nothing was done about it yet.
        owed: what a correction still adds.
        flow_l_min: measured flow of the hose.
        mix_c: last measured temperature of the mix.
        water_c: last measured temperature of the water.
        judgements: every reading.
        placed_l: placed, L.
        given_l: given to another use, L.
        stored_l: stored, L.
        from_store_l: placed from store, L.
        taken_back: whether it was begun by mistake.
        cleaned: whether the mixer was cleaned.
        discarded: why the rest was thrown away; None where it was not.
        is_mixed: whether it was mixed since anything last went in.
        mixings: how many times it was mixed.
        worked_at: when the mix itself was last worked on.
        setting: what past loads of its plaster say.
        seen: every sight of its setting.
        stripped_at: when the cast came out of its mould.
        trimmed_kg: wet plaster that was trimmed off it, kg.
        weighings: every weighing of the drying cast.
        released: why it is followed no further, empty where it was dry; None while it is.
        result: how it came out; None before that was said.
        fresh_tests: every test of the fresh mix.
        specimens: every set of specimens that was made of it.
        specimen_results: what became of them, by the event of their set and their number.
        observed: checks of what was cast by name, and whether they hold.
    """

    applied: tuple[Event, ...] = ()
    steps_done: frozenset[int] = frozenset()
    checks: tuple[str, ...] = ()
    faults: tuple[str, ...] | None = None
    expected: ExpectedWater | None = None
    share: float = 1.0
    held_kg: Mapping[str, float] = _NONE
    step_kg: Mapping[int, float] = _NONE
    step_l: Mapping[int, float] = _NONE
    counted_doses: Mapping[str, float] = _NONE
    extra_doses: Mapping[str, float] = _NONE
    water: tuple[Addition, ...] = ()
    went_in_kg: Mapping[str, float] = _NONE
    went_in_l: float = 0.0
    dripped_l: float = 0.0
    recounted: bool = False
    owed: Owed | None = None
    flow_l_min: float | None = None
    mix_c: float | None = None
    water_c: float | None = None
    judgements: tuple[Judgement, ...] = ()
    placed_l: float = 0.0
    given_l: float = 0.0
    stored_l: float = 0.0
    from_store_l: float = 0.0
    taken_back: bool = False
    cleaned: bool = False
    discarded: str | None = None
    is_mixed: bool = False
    mixings: int = 0
    worked_at: datetime | None = None
    setting: Setting | None = None
    seen: tuple[SeenAt, ...] = ()
    stripped_at: datetime | None = None
    trimmed_kg: float = 0.0
    weighings: tuple[WeighedAt, ...] = ()
    released: str | None = None
    result: Result | None = None
    fresh_tests: tuple[FreshTested, ...] = ()
    specimens: tuple[SpecimensMade, ...] = ()
    specimen_results: Mapping[tuple[UUID, int], SpecimenTested | SpecimenLost] = _NO_RESULTS
    observed: Mapping[str, bool] = _NO_CHECKS

    @property
    def to_check(self) -> tuple[str, ...]:
        """The checks still to make before anything goes in."""
        return self.checks if self.faults is None else ()

    def dose(self, admixture: str) -> float:
        """The multiple of its planned dose that is in."""
        return self.counted_doses.get(admixture, 1.0) + self.extra_doses.get(admixture, 0.0)

    @property
    def is_empty(self) -> bool:
        """Whether only what sticks is left in the mixer."""
        return self.discarded is not None or self.share <= STICKS_FRACTION + ROUNDING

    @property
    def water_l(self) -> float:
        """Water added that stayed in, L of the whole load."""
        return max(sum(addition.water_l for addition in self.water), 0.0)

    @property
    def gone_l(self) -> float:
        """Fresh mix that left the mixer: placed, given away or stored, L."""
        return self.placed_l - self.from_store_l + self.given_l + self.stored_l

    @property
    def kept_l(self) -> float:
        """Fresh mix in store, L."""
        return 0.0 if self.discarded is not None else max(self.stored_l - self.from_store_l, 0.0)

    @property
    def first_water_at(self) -> datetime | None:
        """When water first went in."""
        return next((item.at for item in self.water if item.water_l > 0), None)

    @property
    def last_judgement(self) -> Judgement | None:
        """The last reading that counts."""
        return next((item for item in reversed(self.judgements) if item.counts), None)

    def judgement_of(self, *steps: int | None) -> Judgement | None:
        """The last reading that counts of one of these steps (None: a reading without a step)."""
        return next((item for item in reversed(self.judgements) if item.counts and item.step in steps), None)

    @property
    def undoable(self) -> Event | None:
        """The last event that can be undone."""
        return next((item for item in reversed(self.applied) if not isinstance(item, OWN_EVENTS)), None)


def mixed_l(load: Load, state: LoadState) -> float:
    """Fresh volume of what is in the mixer, L: by its mass, at the density of the load as planned.

    What only sticks to it is nothing.
    """
    if state.share <= STICKS_FRACTION + ROUNDING:
        return 0.0
    planned_kg = sum(charge.mass_kg for charge in load.charges)
    return load.yield_l * sum(state.held_kg.values()) / planned_kg * state.share


def fold(load: Load, events: Iterable[Event]) -> LoadState:
    """The state of a load after these events, in whatever order they arrive; any prefix of them is a valid state.

    Args:
        load: the load as planned: what leaves it is a share of its volume.
        events: its events.
    """
    return fold_ordered(load, in_order(events))


def fold_ordered(load: Load, ordered: Sequence[Event]) -> LoadState:
    """The same of events that are in order already, each once."""
    still = standing_of(ordered)
    state = LoadState(applied=tuple(still))
    for event in still:
        state = _apply(load, state, event)
    return state


def fold_on(load: Load, state: LoadState, events: Sequence[Event]) -> LoadState:
    """The state after the last of these events, from the state after all the others.

    Args:
        load: the load as planned.
        state: the state before the last event.
        events: every event, in order.
    """
    last = events[-1]
    changes = {
        item.cancels if isinstance(item, Undone) else item.amends
        for item in events
        if isinstance(item, Undone | PutRight)
    }
    if isinstance(last, Undone | PutRight) or last.id in changes:
        return fold_ordered(load, events)
    return _apply(load, state._replace(applied=(*state.applied, last)), last)


def _apply(load: Load, state: LoadState, event: Event) -> LoadState:
    """The state after one more event."""
    match event:
        case Charged() | Corrected() | Admixed():
            return _with_material(state, event)
        case WaterAdded() | WaterLost():
            return _with_water(state, event)
        case Recounted():
            return _recounted(state, event)
        case Placed() | Stored() | Given():
            return _with_less(load, state, event)
        case Judged():
            return _judged(load, state, event)
        case _:
            return _told(state, event)


def _with_material(state: LoadState, event: Charged | Corrected | Admixed) -> LoadState:
    """Material went in: it is not mixed any more."""
    if isinstance(event, Admixed):
        extra_doses = _plus(state.extra_doses, event.doses)
        state = state._replace(extra_doses=extra_doses, steps_done=state.steps_done | _done(event))
    else:
        added_kg = {event.material: event.mass_kg} if isinstance(event, Charged) else event.add_kg
        of_whole_kg = {name: kg / state.share for name, kg in added_kg.items()}
        state = state._replace(
            held_kg=_plus(state.held_kg, of_whole_kg),
            went_in_kg=_plus(state.went_in_kg, added_kg),
        )
        if isinstance(event, Charged):
            step_kg = _plus(state.step_kg, {event.step: of_whole_kg[event.material]})
            state = state._replace(step_kg=step_kg, steps_done=state.steps_done | _done(event))
        else:
            state = state._replace(owed=state.owed and state.owed.less(event.add_kg))
    return state._replace(is_mixed=False, worked_at=event.occurred_at)


def _with_water(state: LoadState, event: WaterAdded | WaterLost) -> LoadState:
    """Water went in, or ran out."""
    if isinstance(event, WaterLost):
        # No more can run out than is in.
        lost_l = min(event.water_l, state.water_l * state.share)
        return state._replace(
            water=(*state.water, Addition(-lost_l / state.share, event.occurred_at)),
            went_in_l=state.went_in_l - lost_l,
            dripped_l=state.dripped_l + lost_l,
        )
    added = Addition(event.water_l / state.share, event.occurred_at, event.source)
    return state._replace(
        water=(*state.water, added),
        step_l=_plus(state.step_l, {event.step: added.water_l}) if event.step else state.step_l,
        steps_done=state.steps_done | _done(event),
        went_in_l=state.went_in_l + event.water_l,
        dripped_l=max(state.dripped_l - (event.water_l if event.source == "drips" else 0.0), 0.0),
        owed=state.owed and state.owed.less({}, event.water_l),
        is_mixed=False,
        worked_at=event.occurred_at,
    )


def _recounted(state: LoadState, event: Recounted) -> LoadState:
    """What really is in it, in place of what was written down."""
    extra_doses = state.extra_doses
    counted_doses = {name: max(dose - extra_doses.get(name, 0.0), 0.0) for name, dose in event.doses.items()}
    wrong_by_kg = {
        name: kg - state.held_kg.get(name, 0.0) * state.share for name, kg in event.charged_kg.items()
    }
    return state._replace(
        held_kg={**state.held_kg, **{name: kg / state.share for name, kg in event.charged_kg.items()}},
        went_in_kg=_plus(state.went_in_kg, wrong_by_kg),
        counted_doses={**state.counted_doses, **counted_doses},
        recounted=True,
    )


def _with_less(load: Load, state: LoadState, event: Placed | Stored | Given) -> LoadState:
    """Fresh mix left the mixer, with its share of everything in it; or the store."""
    if isinstance(event, Placed) and event.from_store:
        return state._replace(
            placed_l=state.placed_l + event.volume_l,
            from_store_l=state.from_store_l + event.volume_l,
            worked_at=event.occurred_at,
        )
    in_mixer_l = mixed_l(load, state)
    if in_mixer_l > 0:
        left = max(1 - event.volume_l / in_mixer_l, 0.0)
        state = state._replace(share=max(state.share * left, STICKS_FRACTION))
    match event:
        case Stored():
            return state._replace(stored_l=state.stored_l + event.volume_l)
        case Given():
            return state._replace(given_l=state.given_l + event.volume_l)
        case Placed():
            return state._replace(placed_l=state.placed_l + event.volume_l, worked_at=event.occurred_at)


def _judged(load: Load, state: LoadState, event: Judged) -> LoadState:
    """A reading; it counts once there is water in it, whoever brought that, and it is mixed."""
    judgement = Judgement(
        event.reading,
        event.recorded_by,
        event.occurred_at,
        counts=state.is_mixed and (bool(state.water) or load.water.needs_none),
        step=event.step,
        water_l=state.water_l,
        mixing=state.mixings,
        wetness=event.wetness,
        body=event.body,
    )
    return state._replace(judgements=(*state.judgements, judgement), worked_at=event.occurred_at)


def _told(state: LoadState, event: Event) -> LoadState:
    """What neither brings nor takes anything."""
    at = event.occurred_at
    match event:
        case Begun():
            return state._replace(
                checks=tuple(event.checks), flow_l_min=event.flow_l_min, setting=event.setting
            )
        case Expected():
            return state._replace(expected=event.water)
        case Accepted():
            return state._replace(faults=tuple(event.faults), worked_at=at)
        case FlowMeasured():
            return state._replace(flow_l_min=event.flow_l_min)
        case Seen():
            return state._replace(seen=(*state.seen, SeenAt(event.sight, at)))
        case Stripped():
            return state._replace(stripped_at=at)
        case Trimmed():
            return state._replace(trimmed_kg=state.trimmed_kg + event.mass_kg)
        case Weighed():
            return state._replace(weighings=(*state.weighings, WeighedAt(event.mass_kg, at)))
        case Released():
            return state._replace(released=event.reason)
        case TemperatureTaken():
            return state._replace(mix_c=event.mix_c, water_c=event.water_c)
        case Correcting():
            return state._replace(owed=Owed(event.add_kg, event.water_l).less({}), recounted=False)
        case Mixed():
            return state._replace(
                steps_done=state.steps_done | _done(event),
                is_mixed=True,
                mixings=state.mixings + 1,
                worked_at=at,
            )
        case Rested():
            return state._replace(steps_done=state.steps_done | _done(event), worked_at=at)
        case CameOut():
            return state._replace(result=event.result)
        case FreshTested():
            return state._replace(fresh_tests=(*state.fresh_tests, event))
        case SpecimensMade():
            return state._replace(specimens=(*state.specimens, event))
        case SpecimenTested() | SpecimenLost():
            results = {**state.specimen_results, (event.made, event.number): event}
            return state._replace(specimen_results=results)
        case Observed():
            return state._replace(observed={**state.observed, event.check: event.holds})
        case TakenBack():
            return state._replace(taken_back=True)
        case Cleaned():
            return state._replace(cleaned=True)
        case Discarded():
            return state._replace(discarded=event.reason, worked_at=at)
        case _:
            return state


def _done(event: Charged | WaterAdded | Mixed | Admixed | Rested) -> set[int]:
    """The step that an event finishes."""
    is_part = isinstance(event, Charged | WaterAdded) and event.part
    return set() if event.step is None or is_part else {event.step}


_Name = TypeVar("_Name")


def _plus(amounts: Mapping[_Name, float], more: Mapping[_Name, float]) -> dict[_Name, float]:
    return {name: amounts.get(name, 0.0) + more.get(name, 0.0) for name in {**amounts, **more}}
