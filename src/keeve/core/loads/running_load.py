"""A load that was started, with what happened to it, where it is and what it comes to."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.drying import Drying
from keeve.core.loads.event import LoadEvent, in_order
from keeve.core.loads.fold import fold_on, fold_ordered
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Act, Situation, situation
from keeve.core.loads.working_life import began_at
from keeve.core.planning.plan import Load, Plan


@dataclass(frozen=True)
class RunningLoad:
    """A load that was begun: its plan, what was planned for it, its events in order and the state they come to.

    ``set_aside``: how many of its events cannot be read, and are left out of it.
    """

    id: UUID
    plan_id: UUID
    plan: Plan
    load: Load
    begun_at: datetime
    events: list[LoadEvent]
    state: LoadState
    set_aside: int = 0

    def with_event(self, event: LoadEvent) -> "RunningLoad":
        """The load with one more event; what happened last is only added to what it was."""
        events = in_order([*self.events, event])
        is_last = events[-1].id == event.id
        state = fold_on(self.load, self.state, events) if is_last else fold_ordered(self.load, events)
        return replace(self, events=events, state=state)

    @property
    def met_at(self) -> datetime | None:
        """When its clock started; None before."""
        return began_at(self.plan, self.load, self.state)

    @property
    def may_be_mixed_again(self) -> bool:
        """Whether its number is free again: it was taken back, or all of it was thrown away."""
        state = self.state
        return state.taken_back or (state.discarded is not None and not state.placed_l)

    @property
    def is_out(self) -> bool:
        """Whether it is out of its mixer: no more water comes to it."""
        return bool(self.state.placed_l) or self.state.discarded is not None

    def drying(self, now: Situation) -> Drying | None:
        """How its cast dries; None before it is out of its mould."""
        return now.drying if self.state.stripped_at else None

    def situation(self, now: datetime) -> Situation:
        """Its place in its procedure at that moment."""
        return situation(self.plan, self.load, self.state, now)


# A load that was begun before that and never finished is history, not work.
IN_WORK_FOR = timedelta(days=2)
# A cast waits in its mould or dries: it is on Today by itself.
OF_A_CAST: tuple[Act, ...] = ("strip", "dry")
_IS_NO_WORK = frozenset({*OF_A_CAST, "done", "taken_back"})


class InWork(NamedTuple):
    """A load in work, and where it is in its procedure."""

    running: RunningLoad
    situation: Situation


class OpenLoads(NamedTuple):
    """Loads begun lately and not done, the least working time left first; casts in their moulds or drying, in the
    order they were begun.
    """

    in_work: list[InWork]
    casts: list[InWork]


def opened(loads: Iterable[RunningLoad], now: datetime) -> OpenLoads:
    """Those of these loads with which something is still to be done."""
    found = sorted(
        (InWork(load, load.situation(now)) for load in loads), key=lambda item: item.running.begun_at
    )
    late = now + IN_WORK_FOR

    def runs_out(item: InWork) -> datetime:
        dead_at = item.situation.dead_at
        return late if dead_at is None or item.situation.is_over else dead_at

    in_work = [
        item
        for item in found
        if item.running.begun_at > now - IN_WORK_FOR and item.situation.act not in _IS_NO_WORK
    ]
    casts = [item for item in found if item.situation.act in OF_A_CAST]
    return OpenLoads(sorted(in_work, key=runs_out), casts)
