"""A load that was started, with what happened to it, where it is and what it comes to."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.drying import Drying
from keeve.core.loads.event import LoadEvent, in_order
from keeve.core.loads.fold import fold_on, fold_ordered
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation, situation
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
    def is_out(self) -> bool:
        """Whether it is out of its mixer: no more water comes to it."""
        return bool(self.state.placed_l) or self.state.discarded is not None

    def drying(self, now: Situation) -> Drying | None:
        """How its cast dries; None before it is out of its mould."""
        return now.drying if self.state.stripped_at else None

    def situation(self, now: datetime) -> Situation:
        """Its place in its procedure at that moment."""
        return situation(self.plan, self.load, self.state, now)


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
