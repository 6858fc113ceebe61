"""Let it rest."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    steps_of,
    timed_offer,
)
from keeve.core.loads.event import (
    LoadEvent,
    RecordedMinutes,
    StepNumber,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load, Plan


class Rested(LoadEvent):
    """It stood for the time of the step."""

    kind: Literal["rested"]
    step: StepNumber
    minutes: RecordedMinutes = None


class Rest(Action[Rested]):
    """Let it rest for the time of a step."""

    id, event = "rest", Rested

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each step of resting."""
        for planned, _, refusal in steps_of(at, "rest"):
            yield timed_offer(self.id, {"kind": "rested"}, at, planned, refusal)

    def target(self, plan: Plan, event: Rested) -> str:
        """Its step."""
        return str(event.step)

    def apply(self, load: Load, state: LoadState, event: Rested) -> LoadState:
        """Have the step done."""
        before = state.after(event.occurred_at, event.minutes)
        return before._replace(steps_done=state.steps_done | {event.step}, worked_at=event.occurred_at)
