"""The state of a load as a fold over its events: what is in it, how it was judged, where it went."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import NamedTuple, TypeVar

from keeve.core.mixes.model import Reading
from keeve.core.running.events import (
    OWN_EVENTS,
    Accepted,
    Admixed,
    Begun,
    Body,
    Charged,
    Cleaned,
    Corrected,
    Correcting,
    Discarded,
    Event,
    Expected,
    ExpectedWater,
    FlowMeasured,
    Given,
    Judged,
    Mixed,
    Placed,
    Recounted,
    Rested,
    Stored,
    TemperatureTaken,
    WaterAdded,
    WaterLost,
    WaterSource,
    standing,
)
from keeve.core.tolerances import DROP_L, UNMEASURABLE


class Addition(NamedTuple):
    """Water that went in, L (negative where it ran out), when, and from where."""

    water_l: float
    at: datetime
    source: WaterSource = "tap"


class Judgement(NamedTuple):
    """A reading: who made it and when, of which step, and whether it counts (only once it is wet and mixed).

    ``wetness``: how wet it looked between the drawings. ``body``: sandy or rich.
    """

    reading: Reading
    by: str
    at: datetime
    counts: bool
    step: int | None
    wetness: float | None = None
    body: Body | None = None


class Owed(NamedTuple):
    """What a chosen correction still adds: kg as charged by material, and water, L."""

    add_kg: dict[str, float]
    water_l: float

    def less(self, added_kg: dict[str, float], added_l: float = 0.0) -> "Owed | None":
        """What is still owed after this went in; None where nothing is."""
        left = {name: kg - added_kg.get(name, 0.0) for name, kg in self.add_kg.items()}
        add_kg = {name: kg for name, kg in left.items() if kg > UNMEASURABLE}
        water_l = max(self.water_l - added_l, 0.0)
        return Owed(add_kg, water_l) if add_kg or water_l > DROP_L else None


@dataclass(frozen=True)
class LoadState:
    """The state of a load.

    Args:
        applied: the events that count, in order.
        steps_done: numbers of the finished steps.
        checks: ids of the checks to make before anything goes in.
        faults: ids of those that failed; None before they were made.
        expected: the expected water of its stockpile.
        charged_kg: kg as charged by material.
        step_kg: kg in, by step.
        step_l: L of water in, by step.
        corrected_kg: kg added by corrections, by material.
        doses: multiples of the planned dose by admixture, where they are not 1.
        recounted: whether it was counted again and nothing was done about it yet.
        owed: what a correction still adds.
        water: every addition of water.
        flow_l_min: measured flow of the hose.
        mix_c: last measured temperature of the mix.
        water_c: last measured temperature of the water.
        judgements: every reading.
        placed_l: placed, L.
        given_l: given to another use, L.
        stored_l: stored, L.
        from_store_l: placed from store, L.
        cleaned: whether the mixer was cleaned.
        discarded: why the rest was thrown away; None where it was not.
        mixed_at: when it was last mixed since anything went in.
        worked_at: when the mix itself was last worked on.
    """

    applied: tuple[Event, ...] = ()
    steps_done: frozenset[int] = frozenset()
    checks: tuple[str, ...] = ()
    faults: tuple[str, ...] | None = None
    expected: ExpectedWater | None = None
    charged_kg: dict[str, float] = field(default_factory=dict)
    step_kg: dict[int, float] = field(default_factory=dict)
    step_l: dict[int, float] = field(default_factory=dict)
    corrected_kg: dict[str, float] = field(default_factory=dict)
    doses: dict[str, float] = field(default_factory=dict)
    recounted: bool = False
    owed: Owed | None = None
    water: tuple[Addition, ...] = ()
    flow_l_min: float | None = None
    mix_c: float | None = None
    water_c: float | None = None
    judgements: tuple[Judgement, ...] = ()
    placed_l: float = 0.0
    given_l: float = 0.0
    stored_l: float = 0.0
    from_store_l: float = 0.0
    cleaned: bool = False
    discarded: str | None = None
    mixed_at: datetime | None = None
    worked_at: datetime | None = None

    @property
    def to_check(self) -> tuple[str, ...]:
        """The checks still to make before anything goes in."""
        return self.checks if self.faults is None else ()

    @property
    def water_l(self) -> float:
        """Water added that stayed in, L."""
        return max(sum(addition.water_l for addition in self.water), 0.0)

    @property
    def dripped_l(self) -> float:
        """Water that ran out and was not put back, L."""
        return -sum(item.water_l for item in self.water if item.water_l < 0 or item.source == "drips")

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
        """When working life began."""
        return next((item.at for item in self.water if item.water_l > 0), None)

    @property
    def is_mixed(self) -> bool:
        """Whether it was mixed since anything last went in."""
        return self.mixed_at is not None

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


def fold(events: Iterable[Event]) -> LoadState:
    """The state after these events, in whatever order they arrive; any prefix of them is a valid state."""
    still = standing(events)
    state = LoadState(applied=tuple(still))
    for event in still:
        state = _apply(state, event)
    return state


def _apply(state: LoadState, event: Event) -> LoadState:
    at = event.occurred_at
    match event:
        case Begun():
            return replace(state, checks=tuple(event.checks), flow_l_min=event.flow_l_min)
        case Expected():
            return replace(state, expected=event.water)
        case Accepted():
            return replace(state, faults=tuple(event.faults), worked_at=at)
        case Charged():
            return replace(
                state,
                steps_done=state.steps_done | _done(event),
                charged_kg=_plus(state.charged_kg, {event.material: event.mass_kg}),
                step_kg=_plus(state.step_kg, {event.step: event.mass_kg}),
                mixed_at=None,
                worked_at=at,
            )
        case WaterAdded():
            step = {event.step: event.water_l} if event.step else {}
            return replace(
                state,
                steps_done=state.steps_done | _done(event),
                step_l=_plus(state.step_l, step),
                water=(*state.water, Addition(event.water_l, at, event.source)),
                owed=state.owed and state.owed.less({}, event.water_l),
                mixed_at=None,
                worked_at=at,
            )
        case WaterLost():
            return replace(state, water=(*state.water, Addition(-event.water_l, at)))
        case FlowMeasured():
            return replace(state, flow_l_min=event.flow_l_min)
        case TemperatureTaken():
            return replace(state, mix_c=event.mix_c, water_c=event.water_c)
        case Recounted():
            return replace(
                state,
                charged_kg={**state.charged_kg, **event.charged_kg},
                corrected_kg={
                    name: kg for name, kg in state.corrected_kg.items() if name not in event.charged_kg
                },
                doses={**state.doses, **event.doses},
                recounted=True,
            )
        case Correcting():
            return replace(state, owed=Owed(event.add_kg, event.water_l).less({}), recounted=False)
        case Corrected():
            return replace(
                state,
                corrected_kg=_plus(state.corrected_kg, event.add_kg),
                owed=state.owed and state.owed.less(event.add_kg),
                mixed_at=None,
                worked_at=at,
            )
        case Mixed():
            return replace(state, steps_done=state.steps_done | _done(event), mixed_at=at, worked_at=at)
        case Admixed():
            more = {name: state.doses.get(name, 1.0) + dose for name, dose in event.doses.items()}
            return replace(
                state,
                steps_done=state.steps_done | _done(event),
                doses={**state.doses, **more},
                mixed_at=None,
                worked_at=at,
            )
        case Rested():
            return replace(state, steps_done=state.steps_done | _done(event), worked_at=at)
        case Judged():
            judgement = Judgement(
                event.reading,
                event.recorded_by,
                at,
                counts=state.is_mixed and bool(state.water),
                step=event.step,
                wetness=event.wetness,
                body=event.body,
            )
            return replace(state, judgements=(*state.judgements, judgement), worked_at=at)
        case Placed():
            from_store_l = event.volume_l if event.from_store else 0.0
            return replace(
                state,
                placed_l=state.placed_l + event.volume_l,
                from_store_l=state.from_store_l + from_store_l,
                worked_at=at,
            )
        case Stored():
            return replace(state, stored_l=state.stored_l + event.volume_l)
        case Given():
            return replace(state, given_l=state.given_l + event.volume_l)
        case Cleaned():
            return replace(state, cleaned=True)
        case Discarded():
            return replace(state, discarded=event.reason, worked_at=at)
        case _:
            return state


def _done(event: Charged | WaterAdded | Mixed | Admixed | Rested) -> set[int]:
    """The step that an event finishes."""
    is_part = isinstance(event, Charged | WaterAdded) and event.part
    return set() if event.step is None or is_part else {event.step}


_Name = TypeVar("_Name")


def _plus(amounts: dict[_Name, float], more: dict[_Name, float]) -> dict[_Name, float]:
    return {name: amounts.get(name, 0.0) + more.get(name, 0.0) for name in {**amounts, **more}}
