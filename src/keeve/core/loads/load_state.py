"""The state of a load: what is in it, how it was judged, where it went.

A part that leaves the mixer takes its share of everything in it at that moment. So the amounts are kept as for the
whole load, beside the share of it that is still in the mixer: what goes into half a load counts twice.
"""

from collections.abc import Mapping
from datetime import datetime, timedelta
from math import fsum
from types import MappingProxyType
from typing import Any, NamedTuple, TypeVar
from uuid import UUID

from keeve.core.loads.event import LoadEvent, Result
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.loads.state_parts import (
    Addition,
    Judgement,
    PendingCorrection,
    SeenAt,
    SpecimenResult,
    SpecimenSet,
    WeighedAt,
)
from keeve.core.planning.plan import Load
from keeve.core.tolerances import ROUNDING, STICKS_FRACTION

_NONE: Mapping[Any, float] = MappingProxyType({})
_NEVER: Mapping[Any, Any] = MappingProxyType({})
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
        charged_at: when each material first went in.
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
        tracking_stopped: why it is followed no further, empty where it was dry; None while it is.
        result: how it came out; None before that was said.
        fresh_tests: every test of the fresh mix.
        specimens: every set of specimens that was made of it.
        specimen_results: what became of them, by the event of their set and their number.
        observed: checks of what was cast by name, and whether they hold.
    """

    applied: tuple[LoadEvent, ...] = ()
    steps_done: frozenset[int] = frozenset()
    checks: tuple[str, ...] = ()
    faults: tuple[str, ...] | None = None
    expected: ExpectedWater | None = None
    share: float = 1.0
    held_kg: Mapping[str, float] = _NONE
    charged_at: Mapping[str, datetime] = _NEVER
    step_kg: Mapping[int, float] = _NONE
    step_l: Mapping[int, float] = _NONE
    counted_doses: Mapping[str, float] = _NONE
    extra_doses: Mapping[str, float] = _NONE
    water: tuple[Addition, ...] = ()
    went_in_kg: Mapping[str, float] = _NONE
    went_in_l: float = 0.0
    dripped_l: float = 0.0
    recounted: bool = False
    owed: PendingCorrection | None = None
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
    setting: SettingHistory | None = None
    seen: tuple[SeenAt, ...] = ()
    stripped_at: datetime | None = None
    trimmed_kg: float = 0.0
    weighings: tuple[WeighedAt, ...] = ()
    tracking_stopped: str | None = None
    result: Result | None = None
    fresh_tests: tuple[LoadEvent, ...] = ()
    specimens: tuple[SpecimenSet, ...] = ()
    specimen_results: Mapping[tuple[UUID, int], SpecimenResult] = _NO_RESULTS
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
        return max(fsum(addition.water_l for addition in self.water), 0.0)

    @property
    def gone_l(self) -> float:
        """Fresh mix that left the mixer: placed, given away or stored, L."""
        return self.placed_l - self.from_store_l + self.given_l + self.stored_l

    @property
    def in_store_l(self) -> float:
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
    def undoable(self) -> LoadEvent | None:
        """The event told last of those that can be undone, whenever it happened."""
        told = [item for item in reversed(self.applied) if not item.is_own]
        return max(
            told, key=lambda item: (item.received_at or item.occurred_at, item.device_seq), default=None
        )

    def after(self, at: datetime, minutes: float | None) -> "LoadState":
        """The state before an act that ended then and took so long: all that was in went in before the act began.

        If it was tapped later than that, it went in earlier, and all before it by as much: the clocks follow.
        """
        if minutes is None or self.worked_at is None:
            return self
        late = self.worked_at - (at - timedelta(minutes=minutes))
        if late <= timedelta(0):
            return self
        return self._replace(
            water=tuple(item._replace(at=item.at - late) for item in self.water),
            charged_at={name: moment - late for name, moment in self.charged_at.items()},
        )


def mixed_l(load: Load, state: LoadState) -> float:
    """Fresh volume of what is in the mixer, L: by its mass, at the density of the load as planned.

    A film that only sticks to it is nothing.
    """
    if state.share <= STICKS_FRACTION + ROUNDING:
        return 0.0
    planned_kg = fsum(charge.mass_kg for charge in load.charges)
    return load.yield_l * fsum(state.held_kg.values()) / planned_kg * state.share


_Name = TypeVar("_Name")


def plus(amounts: Mapping[_Name, float], more: Mapping[_Name, float]) -> dict[_Name, float]:
    """Amounts by name, and more of them."""
    return {name: amounts.get(name, 0.0) + more.get(name, 0.0) for name in {**amounts, **more}}
