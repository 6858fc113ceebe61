"""One finished load, one row: everything it is found, listed, charted, reported, learnt from and exported by.

A row is written with each event of its load. Everything stands in it: nobody reads the events again for a figure.
"""

from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from math import fsum
from statistics import fmean
from typing import Literal, NamedTuple
from uuid import UUID

from pydantic import BaseModel, ConfigDict

from keeve.core.loads.actions.add_water import WaterAdded
from keeve.core.loads.actions.begin import Begun
from keeve.core.loads.actions.correct import Correcting
from keeve.core.loads.actions.discard import Discarded
from keeve.core.loads.actions.give import Given
from keeve.core.loads.actions.note import Noted
from keeve.core.loads.actions.place import Placed
from keeve.core.loads.actions.stop_tracking import TrackingStopped
from keeve.core.loads.event import LoadEvent, Result
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Act
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.specimens import SpecimenRow, specimens_of
from keeve.core.mixes.model import Reading
from keeve.core.planning.plan import Load, Plan

State = Literal["mixing", "stored", "in-mould", "drying", "done", "thrown-away"]
# How the log calls where a load is, by what is to be done with it; else it is being mixed.
STATES: Mapping[Act, State] = {
    "stored": "stored",
    "strip": "in-mould",
    "dry": "drying",
    "clean": "done",
    "done": "done",
    "taken_back": "done",
}
_DAY = timedelta(days=1)
# So much of what was written of a load can be found again, in characters.
MOST_WORDS = 10_000


class RatioWindow(NamedTuple):
    """The water ratios a load may have: least, the one to aim at, most."""

    low: float
    target: float
    high: float


def ratio_window(load: Load) -> RatioWindow | None:
    """The water ratios of a load as planned; None of one without binder."""
    if not load.binder_kg:
        return None
    water = load.water
    low, target, high = (
        water.free_l(litres) / load.binder_kg for litres in (water.min_l, water.target_l, water.ceiling_l)
    )
    return RatioWindow(low, target, high)


class _Stored(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)


class WaterInWindow(_Stored):
    """The water of a load in its window, L of what was in the mixer last."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float
    in_l: float


class AsPlanned(_Stored):
    """The plan of a load, as far as its loads are held against it.

    Args:
        parts: the parts of its mix.
        ratio_name: what its mix calls water over binder.
        has_own_ratio: whether its placing asks for another wetness than its mix usually has.
        loads: how many loads it has.
        net_l: what was measured, L.
        order_l: what was ordered, waste with it, L.
        minutes: from the start of a load until it is placed, min.
        binder_kg: binder of this load, kg.
        other_water_l: water that its aggregate, as it was expected, and its admixtures bring, L.
        window: the water ratios it may have; None of a load without binder.
        is_judged: whether its water is its mix's own and judged, so that a crew comes to a usual one.
        start_share: the share of its target that goes in before anything is judged; None where it takes no water.
    """

    parts: str
    ratio_name: str
    has_own_ratio: bool = False
    loads: int
    net_l: float
    order_l: float
    minutes: float
    binder_kg: float = 0.0
    other_water_l: float = 0.0
    window: RatioWindow | None = None
    is_judged: bool = False
    start_share: float | None = None

    @property
    def waste_fraction(self) -> float:
        """The waste that was planned, over what was measured."""
        return self.order_l / self.net_l - 1 if self.net_l else 0.0


class LoadRow(_Stored):
    """A load that was begun, or one from before Keeve, as the log has it.

    Args:
        id: of the load.
        plan_id: its plan; None of a load from before Keeve.
        mix_id: its mix; empty where it is none that the crew has.
        title: the name of its job.
        number: its number in its plan.
        mix_name: the name of its mix.
        begun_at: when it was begun.
        first_water_at: when the first water went in; None before that.
        judged_at: when the last reading that counts was taken.
        placed_at: when the last of it was placed; None where none was.
        dead_at: the end of its working life; None before that is counted.
        begun_by: who began it.
        judged_by: who gave that reading.
        reading: that reading; None of a load that was not judged.
        is_right: whether that reading called it right, and neither sandy nor rich.
        state: where it is.
        is_open: whether something is still to be done with it.
        is_out: whether it is out of its mixer: no more water comes to it.
        result: how it came out, as told.
        by_clock: whether a set clock runs it, and no reading.
        is_corrected: whether something was put into it to correct it.
        as_planned: what it is held against; None of a load from before Keeve.
        water: its water in its window; None of a load by the clock, or where no window is known.
        water_l: water that went in, L.
        ratio: water over binder, the water of its aggregate with it; None before there is water.
        stockpile: the stockpile its sand or stone comes from, where that is followed; empty where it is not.
        moisture_fraction: free water in that as expected when it was begun; None where nothing was.
        balance_l: water from the tap by that moisture, for its target, L.
        binder_kg: binder that went in, kg.
        planned_kg: what of each material was to go in, kg.
        used_kg: what of each material went in, kg.
        planned_l: what its plan makes of it, L.
        made_l: fresh mix that was made, L.
        placed_l: placed, L.
        given_l: used elsewhere, L.
        stored_l: stored, L.
        in_store_l: of that still stored, L.
        discarded: why the rest was thrown away; None where it was not.
        drying_days: from the pour until its cast was dry, days; None of what dries not, or not yet.
        specimens: its specimens, set by set.
        checks: checks of what was cast, and whether each holds.
        day_only: whether only the day is known of when it was begun; of loads from before Keeve.
        note: what was written of it; of loads from before Keeve.
    """

    id: UUID
    plan_id: UUID | None = None
    mix_id: str = ""
    title: str
    number: int
    mix_name: str
    begun_at: datetime
    first_water_at: datetime | None = None
    judged_at: datetime | None = None
    placed_at: datetime | None = None
    dead_at: datetime | None = None
    begun_by: str = ""
    judged_by: str = ""
    reading: Reading | None = None
    is_right: bool = False
    state: State
    is_open: bool = False
    is_out: bool = False
    result: Result | None = None
    by_clock: bool = False
    is_corrected: bool = False
    as_planned: AsPlanned | None = None
    water: WaterInWindow | None = None
    water_l: float = 0.0
    ratio: float | None = None
    stockpile: str = ""
    moisture_fraction: float | None = None
    balance_l: float | None = None
    binder_kg: float = 0.0
    planned_kg: dict[str, float] = {}
    used_kg: dict[str, float] = {}
    planned_l: float | None = None
    made_l: float = 0.0
    placed_l: float = 0.0
    given_l: float = 0.0
    stored_l: float = 0.0
    in_store_l: float = 0.0
    discarded: str | None = None
    drying_days: float | None = None
    specimens: list[SpecimenRow] = []
    checks: dict[str, bool] = {}
    day_only: bool = False
    note: str = ""

    @property
    def name(self) -> str:
        """How one calls it."""
        return f"{self.title}, load {self.number}"

    @property
    def was_mixed(self) -> bool:
        """Whether it was more than dry materials in a mixer."""
        return self.first_water_at is not None or self.placed_l + self.given_l + self.stored_l > 0

    @property
    def due_at(self) -> datetime | None:
        """When its next specimen that was not tested yet is due; None where none is."""
        return min((one.due_at for one in self.specimens if one.is_waiting), default=None)

    def is_past(self, now: datetime) -> bool:
        """Whether it is still in its mixer past its working life."""
        return self.state == "mixing" and self.dead_at is not None and now > self.dead_at


def row_of(running: RunningLoad) -> LoadRow:
    """The row of a load after its last event."""
    plan, load, state = running.plan, running.load, running.state
    now = running.situation(running.events[-1].occurred_at if running.events else running.begun_at)
    judged, window = state.last_judgement, now.window
    expected = state.expected if state.expected and state.expected.stockpile else None
    placed = [event.occurred_at for event in state.applied if isinstance(event, Placed)]
    dry_at = now.drying.weighings[-1].at if now.drying and now.drying.is_dry else None
    return LoadRow(
        id=running.id,
        plan_id=running.plan_id,
        mix_id=plan.mix.id,
        title=plan.title,
        number=load.number,
        mix_name=plan.mix.name,
        begun_at=running.begun_at,
        first_water_at=state.first_water_at,
        judged_at=judged.at if judged else None,
        placed_at=placed[-1] if placed else None,
        dead_at=now.dead_at,
        begun_by=next((event.recorded_by for event in state.applied if isinstance(event, Begun)), ""),
        judged_by=judged.by if judged else "",
        reading=judged.reading if judged else None,
        is_right=judged is not None and judged.is_right,
        state="thrown-away" if state.discarded is not None else STATES.get(now.act, "mixing"),
        is_open=now.act != "done",
        is_out=running.is_out,
        result=state.result,
        by_clock=now.clock is not None,
        is_corrected=any(isinstance(event, Correcting) and event.add_kg for event in state.applied),
        as_planned=as_planned(plan, load, state.expected),
        water=None
        if now.clock
        else WaterInWindow(
            start_l=window.start_l,
            min_l=window.min_l,
            target_l=window.target_l,
            ceiling_l=window.ceiling_l,
            in_l=fsum(now.additions_l),
        ),
        water_l=state.went_in_l,
        ratio=now.ratio,
        stockpile=expected.stockpile if expected else "",
        moisture_fraction=expected.free_moisture_fraction if expected else None,
        balance_l=_balance_l(plan, load, expected) if expected else None,
        binder_kg=fsum(kg for name, kg in state.went_in_kg.items() if name in plan.binders),
        planned_kg={charge.material: charge.mass_kg for charge in load.charges},
        used_kg=dict(state.went_in_kg),
        planned_l=load.yield_l,
        made_l=now.made_l,
        placed_l=state.placed_l,
        given_l=state.given_l,
        stored_l=state.stored_l,
        in_store_l=state.in_store_l,
        discarded=state.discarded,
        drying_days=(dry_at - placed[-1]) / _DAY if dry_at and placed else None,
        specimens=specimens_of(plan, load, state),
        checks=dict(state.observed),
    )


def as_planned(plan: Plan, load: Load, expected: ExpectedWater | None = None) -> AsPlanned:
    """The plan of a load, as far as its loads are held against it.

    Args:
        plan: the plan.
        load: the load as planned.
        expected: the water it is expected to need; None where nothing is known.
    """
    water, window = as_expected(plan, load, expected).water, ratio_window(load)
    # A label and a design give the water themselves.
    is_own = plan.mix.basis_traits.has_water and plan.mix.regime_traits.water_in_steps
    return AsPlanned(
        parts=plan.mix.ratio,
        ratio_name=plan.mix.ratio_name,
        has_own_ratio=plan.mix.usual_ratio is not None,
        loads=len(plan.loads),
        net_l=plan.volume.net_m3 * 1000,
        order_l=plan.volume.order_m3 * 1000,
        minutes=fsum(fmean(step.minutes) for step in plan.procedure if step.kind != "place"),
        binder_kg=load.binder_kg,
        other_water_l=water.in_aggregate_l + water.in_admixture_l,
        window=window,
        is_judged=is_own and window is not None and window.low < window.high,
        start_share=load.water.start_l / load.water.target_l if load.water.target_l else None,
    )


def _balance_l(plan: Plan, load: Load, expected: ExpectedWater) -> float:
    """The water from the tap that the target needs, where the stockpile brings what is expected of it, L."""
    sand_kg = fsum(
        charge.dry_kg
        for charge in load.charges
        if plan.material(charge.material).stockpile == expected.stockpile
    )
    water = load.water
    return water.free_l(water.target_l) - water.in_admixture_l - expected.free_moisture_fraction * sand_kg


def people_of(events: Iterable[LoadEvent]) -> list[str]:
    """Who told something of a load, each once, in that order."""
    return list(dict.fromkeys(event.recorded_by for event in events if event.recorded_by))


def words_of(state: LoadState) -> str:
    """Everything written of a load in words."""
    return "\n".join(_written(state.applied))[:MOST_WORDS]


def _written(events: Iterable[LoadEvent]) -> Iterator[str]:
    for event in events:
        match event:
            case Noted():
                yield event.text
            case Given():
                yield event.use
            case Discarded() | TrackingStopped() if event.reason:
                yield event.reason
            case WaterAdded() if event.past_ceiling:
                yield event.past_ceiling
