"""A load as the log lists it: everything that it is found, charted and exported by."""

from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict

from keeve.core.loads.events import (
    Begun,
    Correcting,
    Discarded,
    Event,
    Given,
    Noted,
    Placed,
    Released,
    Result,
    WaterAdded,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Act, Situation
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
# So much of what was written of a load can be found again, in characters.
MOST_WORDS = 10_000


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)


class WaterInWindow(_Kept):
    """Where the water of a load was in its window, L of what was in the mixer last."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float
    in_l: float


class LogEntry(_Kept):
    """A load as the log lists it.

    Args:
        number: its number in its plan.
        mix_name: the name of its mix.
        begun_at: when it was begun.
        placed_at: when the last of it was placed; None where none was.
        dead_at: the end of its working life; None before that is counted.
        begun_by: who began it.
        judged_by: who gave the last reading that counts.
        reading: that reading; None of a load that was not judged.
        state: where it is.
        result: how it came out, as told.
        by_clock: whether a set clock runs it, and no reading.
        is_corrected: whether something was put into it to correct it.
        water: its water in its window; None of a load by the clock, or where no window is known.
        water_l: water that went in, L.
        ratio: water over binder, the water of its aggregate with it; None before there is water.
        moisture_fraction: free water in its sand as expected when it was begun; None where nothing was.
        binder_kg: binder that went in, kg.
        planned_l: what its plan makes of it, L.
        made_l: fresh mix that was made, L.
        placed_l: placed, L.
        given_l: used elsewhere, L.
        stored_l: stored, L.
        discarded: why the rest was thrown away; None where it was not.
        day_only: whether only the day is known of when it was begun; of loads from before Keeve.
        note: what was written of it; of loads from before Keeve.
    """

    number: int
    mix_name: str
    begun_at: datetime
    placed_at: datetime | None = None
    dead_at: datetime | None = None
    begun_by: str = ""
    judged_by: str = ""
    reading: Reading | None = None
    state: State
    result: Result | None = None
    by_clock: bool = False
    is_corrected: bool = False
    water: WaterInWindow | None = None
    water_l: float = 0.0
    ratio: float | None = None
    moisture_fraction: float | None = None
    binder_kg: float = 0.0
    planned_l: float | None = None
    made_l: float = 0.0
    placed_l: float = 0.0
    given_l: float = 0.0
    stored_l: float = 0.0
    discarded: str | None = None
    day_only: bool = False
    note: str = ""

    def __hash__(self) -> int:
        """Of what tells loads apart: a hash of everything took longer than what it was for."""
        return hash((self.number, self.mix_name, self.begun_at))

    def is_past(self, now: datetime) -> bool:
        """Whether it is still in its mixer past its working life."""
        return self.state == "mixing" and self.dead_at is not None and now > self.dead_at


def log_entry(plan: Plan, load: Load, state: LoadState, now: Situation, begun_at: datetime) -> LogEntry:
    """A load as the log lists it.

    Args:
        plan: its plan.
        load: the load as planned.
        state: the state its events come to.
        now: where it was in its procedure when its last event happened.
        begun_at: when it was begun.
    """
    judged, window = state.last_judgement, now.window
    binders = {material.name for material in plan.materials if material.is_binder}
    placed = [event.occurred_at for event in state.applied if isinstance(event, Placed)]
    return LogEntry(
        number=load.number,
        mix_name=plan.mix.name,
        begun_at=begun_at,
        placed_at=placed[-1] if placed else None,
        dead_at=now.dead_at,
        begun_by=next((event.recorded_by for event in state.applied if isinstance(event, Begun)), ""),
        judged_by=judged.by if judged else "",
        reading=judged.reading if judged else None,
        state="thrown-away" if state.discarded is not None else STATES.get(now.act, "mixing"),
        result=state.result,
        by_clock=now.clock is not None,
        is_corrected=any(isinstance(event, Correcting) and event.add_kg for event in state.applied),
        water=None
        if now.clock
        else WaterInWindow(
            start_l=window.start_l,
            min_l=window.min_l,
            target_l=window.target_l,
            ceiling_l=window.ceiling_l,
            in_l=sum(now.additions_l),
        ),
        water_l=state.went_in_l,
        ratio=now.ratio,
        moisture_fraction=state.expected.free_moisture_fraction
        if state.expected and state.expected.stockpile
        else None,
        binder_kg=sum(kg for name, kg in state.went_in_kg.items() if name in binders),
        planned_l=load.yield_l,
        made_l=now.made_l,
        placed_l=state.placed_l,
        given_l=state.given_l,
        stored_l=state.stored_l,
        discarded=state.discarded,
    )


def people_of(events: Iterable[Event]) -> list[str]:
    """Who told something of a load, each once, in that order."""
    return list(dict.fromkeys(event.recorded_by for event in events if event.recorded_by))


def words_of(state: LoadState) -> str:
    """What was written of a load in words."""
    return "\n".join(_written(state.applied))[:MOST_WORDS]


def _written(events: Iterable[Event]) -> Iterator[str]:
    for event in events:
        match event:
            case Noted():
                yield event.text
            case Given():
                yield event.use
            case Discarded() | Released() if event.reason:
                yield event.reason
            case WaterAdded() if event.past_ceiling:
                yield event.past_ceiling
