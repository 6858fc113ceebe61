"""A batch as a fold over its events: what is in it, how it was judged, where it went."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import NamedTuple, TypeVar

from keeve.core.events import (
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
from keeve.core.mixes.model import Reading


class Addition(NamedTuple):
    """Water that went in, or less than nothing where it ran out again: L, when, and from where."""

    water_l: float
    at: datetime
    source: WaterSource = "tap"


class Judgement(NamedTuple):
    """A reading, who made it, when, whether it counts (only once it is wet and mixed), and of which step.

    ``wetness`` is where between the drawings it was, ``body`` whether it was sandy or rich.
    """

    reading: Reading
    by: str
    at: datetime
    counts: bool
    step: int | None
    wetness: float | None = None
    body: Body | None = None


class Owed(NamedTuple):
    """What is still to go in of a correction that was taken up: kg as charged by material, and L of water."""

    add_kg: dict[str, float]
    water_l: float

    def less(self, added_kg: dict[str, float], added_l: float = 0.0) -> "Owed | None":
        """What is still owed once that went in; None where nothing is."""
        left = {name: kg - added_kg.get(name, 0.0) for name, kg in self.add_kg.items()}
        add_kg = {name: kg for name, kg in left.items() if kg > _ROUNDING_KG}
        water_l = max(self.water_l - added_l, 0.0)
        return Owed(add_kg, water_l) if add_kg or water_l > DROP_L else None


# What is left of a subtraction is nothing.
_ROUNDING_KG = 1e-6
# Measured by eye off a jug, and sums of such: a drop short is none, a drop over the ceiling is the ceiling.
DROP_L = 0.05


@dataclass(frozen=True)
class Batch:
    """The state of a load.

    ``checks`` is what is to be looked at before anything goes in, ``faults`` which of it did not hold once it was
    (None before); ``expected`` what its heap was expected to leave for the tap; ``charged_kg`` and ``corrected_kg`` are
    kg as charged by material; ``step_kg`` and ``step_l`` what went in by step; ``doses`` planned doses by admixture
    where they are not one, ``recounted`` whether it was counted again and nothing was done about it yet; ``owed``
    what a correction still asks for; ``flow_l_min`` the hose as it was measured, ``mix_c`` and ``water_c`` the last
    temperatures taken; ``placed_l``, ``given_l``, ``stored_l`` and ``from_store_l`` where it went; ``mixed_at`` when it
    was last mixed since anything went in, ``worked_at`` the last act on the mix itself.
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
        """What is still to be looked at before anything goes in."""
        return self.checks if self.faults is None else ()

    @property
    def water_l(self) -> float:
        """All the water that was added and stayed in, L."""
        return max(sum(addition.water_l for addition in self.water), 0.0)

    @property
    def dripped_l(self) -> float:
        """What ran out and was not given back, L."""
        return -sum(item.water_l for item in self.water if item.water_l < 0 or item.source == "drips")

    @property
    def gone_l(self) -> float:
        """What left the mixer: placed, given away or stored, L."""
        return self.placed_l - self.from_store_l + self.given_l + self.stored_l

    @property
    def kept_l(self) -> float:
        """What is in store of it, L."""
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
        """The last reading that counts and was made at one of these steps; None stands for no step named."""
        return next((item for item in reversed(self.judgements) if item.counts and item.step in steps), None)

    @property
    def undoable(self) -> Event | None:
        """The last event that still stands."""
        return next((item for item in reversed(self.applied) if not isinstance(item, OWN_EVENTS)), None)


def fold(events: Iterable[Event]) -> Batch:
    """The state that these events leave, in whatever order they arrive; any prefix of them is a valid state."""
    still = standing(events)
    batch = Batch(applied=tuple(still))
    for event in still:
        batch = _apply(batch, event)
    return batch


def _apply(batch: Batch, event: Event) -> Batch:
    at = event.occurred_at
    match event:
        case Begun():
            return replace(batch, checks=tuple(event.checks), flow_l_min=event.flow_l_min)
        case Expected():
            return replace(batch, expected=event.water)
        case Accepted():
            return replace(batch, faults=tuple(event.faults), worked_at=at)
        case Charged():
            return replace(
                batch,
                steps_done=batch.steps_done | _done(event),
                charged_kg=_plus(batch.charged_kg, {event.material: event.mass_kg}),
                step_kg=_plus(batch.step_kg, {event.step: event.mass_kg}),
                mixed_at=None,
                worked_at=at,
            )
        case WaterAdded():
            step = {event.step: event.water_l} if event.step else {}
            return replace(
                batch,
                steps_done=batch.steps_done | _done(event),
                step_l=_plus(batch.step_l, step),
                water=(*batch.water, Addition(event.water_l, at, event.source)),
                owed=batch.owed and batch.owed.less({}, event.water_l),
                mixed_at=None,
                worked_at=at,
            )
        case WaterLost():
            return replace(batch, water=(*batch.water, Addition(-event.water_l, at)))
        case FlowMeasured():
            return replace(batch, flow_l_min=event.vessel_l / event.seconds * 60)
        case TemperatureTaken():
            return replace(batch, mix_c=event.mix_c, water_c=event.water_c)
        case Recounted():
            return replace(
                batch,
                charged_kg={**batch.charged_kg, **event.charged_kg},
                corrected_kg={
                    name: kg for name, kg in batch.corrected_kg.items() if name not in event.charged_kg
                },
                doses={**batch.doses, **event.doses},
                recounted=True,
            )
        case Correcting():
            return replace(batch, owed=Owed(event.add_kg, event.water_l).less({}), recounted=False)
        case Corrected():
            return replace(
                batch,
                corrected_kg=_plus(batch.corrected_kg, event.add_kg),
                owed=batch.owed and batch.owed.less(event.add_kg),
                mixed_at=None,
                worked_at=at,
            )
        case Mixed():
            return replace(batch, steps_done=batch.steps_done | _done(event), mixed_at=at, worked_at=at)
        case Admixed():
            more = {name: batch.doses.get(name, 1.0) + dose for name, dose in event.doses.items()}
            return replace(
                batch,
                steps_done=batch.steps_done | _done(event),
                doses={**batch.doses, **more},
                mixed_at=None,
                worked_at=at,
            )
        case Rested():
            return replace(batch, steps_done=batch.steps_done | _done(event), worked_at=at)
        case Judged():
            judgement = Judgement(
                event.reading,
                event.recorded_by,
                at,
                counts=batch.is_mixed and bool(batch.water),
                step=event.step,
                wetness=event.wetness,
                body=event.body,
            )
            return replace(batch, judgements=(*batch.judgements, judgement), worked_at=at)
        case Placed():
            from_store_l = event.volume_l if event.from_store else 0.0
            return replace(
                batch,
                placed_l=batch.placed_l + event.volume_l,
                from_store_l=batch.from_store_l + from_store_l,
                worked_at=at,
            )
        case Stored():
            return replace(batch, stored_l=batch.stored_l + event.volume_l)
        case Given():
            return replace(batch, given_l=batch.given_l + event.volume_l)
        case Cleaned():
            return replace(batch, cleaned=True)
        case Discarded():
            return replace(batch, discarded=event.reason, worked_at=at)
        case _:
            return batch


def _done(event: Charged | WaterAdded | Mixed | Admixed | Rested) -> set[int]:
    """The step that an event leaves behind."""
    is_part = isinstance(event, Charged | WaterAdded) and event.part
    return set() if event.step is None or is_part else {event.step}


_Name = TypeVar("_Name")


def _plus(amounts: dict[_Name, float], more: dict[_Name, float]) -> dict[_Name, float]:
    return {name: amounts.get(name, 0.0) + more.get(name, 0.0) for name in {**amounts, **more}}
