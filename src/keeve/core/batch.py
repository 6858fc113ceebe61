"""A batch as a fold over its events: what is in it, how it was judged, where it went."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.events import (
    OWN_EVENTS,
    Accepted,
    Admixed,
    Begun,
    Charged,
    Corrected,
    Discarded,
    Event,
    Expected,
    ExpectedWater,
    Judged,
    Mixed,
    Placed,
    Rested,
    WaterAdded,
    standing,
)
from keeve.core.mixes.model import Reading
from keeve.core.plan import Load


class Addition(NamedTuple):
    """Water that went in: L, and when."""

    water_l: float
    at: datetime


class Judgement(NamedTuple):
    """A reading, who made it, when, whether it counts (only once it is wet and mixed), and of which step."""

    reading: Reading
    by: str
    at: datetime
    counts: bool
    step: int | None


@dataclass(frozen=True)
class Batch:
    """The state of a load.

    ``checks`` is what is to be looked at before anything goes in, ``faults`` which of it did not hold once it was
    (None before); ``expected`` what its heap was expected to leave for the tap; ``charged_kg`` and ``corrected_kg`` are
    kg as charged by material, ``mixed_at`` when it was last mixed since anything went in, ``worked_at`` the last act
    of any kind.
    """

    applied: tuple[Event, ...] = ()
    steps_done: frozenset[int] = frozenset()
    checks: tuple[str, ...] = ()
    faults: tuple[str, ...] | None = None
    expected: ExpectedWater | None = None
    charged_kg: dict[str, float] = field(default_factory=dict)
    corrected_kg: dict[str, float] = field(default_factory=dict)
    water: tuple[Addition, ...] = ()
    judgements: tuple[Judgement, ...] = ()
    placed_l: float = 0.0
    discarded: str | None = None
    mixed_at: datetime | None = None
    worked_at: datetime | None = None

    @property
    def to_check(self) -> tuple[str, ...]:
        """What is still to be looked at before anything goes in."""
        return self.checks if self.faults is None else ()

    @property
    def water_l(self) -> float:
        """All the water that was added, L."""
        return sum(addition.water_l for addition in self.water)

    @property
    def first_water_at(self) -> datetime | None:
        """When working life began."""
        return self.water[0].at if self.water else None

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

    def growth(self, load: Load) -> float:
        """How much larger it became by correction, which adds in the mix's own ratio."""
        return 1 + sum(self.corrected_kg.values()) / sum(charge.mass_kg for charge in load.charges)

    def dead_at(self, life_min: float) -> datetime | None:
        """When its working life ends, from first water."""
        return self.first_water_at and self.first_water_at + timedelta(minutes=life_min)


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
            return replace(batch, checks=tuple(event.checks))
        case Expected():
            return replace(batch, expected=event.water)
        case Accepted():
            return replace(batch, faults=tuple(event.faults), worked_at=at)
        case Charged():
            return replace(
                batch,
                steps_done=batch.steps_done | {event.step},
                charged_kg=_plus(batch.charged_kg, {event.material: event.mass_kg}),
                mixed_at=None,
                worked_at=at,
            )
        case WaterAdded():
            return replace(
                batch,
                steps_done=batch.steps_done | ({event.step} if event.step else set()),
                water=(*batch.water, Addition(event.water_l, at)),
                mixed_at=None,
                worked_at=at,
            )
        case Corrected():
            return replace(
                batch,
                corrected_kg=_plus(batch.corrected_kg, event.add_kg),
                mixed_at=None,
                worked_at=at,
            )
        case Mixed():
            return replace(
                batch,
                steps_done=batch.steps_done | ({event.step} if event.step else set()),
                mixed_at=at,
                worked_at=at,
            )
        case Admixed():
            return replace(batch, steps_done=batch.steps_done | {event.step}, mixed_at=None, worked_at=at)
        case Rested():
            return replace(batch, steps_done=batch.steps_done | {event.step}, worked_at=at)
        case Judged():
            judgement = Judgement(
                event.reading,
                event.recorded_by,
                at,
                counts=batch.is_mixed and bool(batch.water),
                step=event.step,
            )
            return replace(batch, judgements=(*batch.judgements, judgement), worked_at=at)
        case Placed():
            return replace(batch, placed_l=batch.placed_l + event.volume_l, worked_at=at)
        case Discarded():
            return replace(batch, discarded=event.reason, worked_at=at)
        case _:
            return batch


def _plus(amounts: dict[str, float], more: dict[str, float]) -> dict[str, float]:
    return {name: amounts.get(name, 0.0) + more.get(name, 0.0) for name in {**amounts, **more}}
