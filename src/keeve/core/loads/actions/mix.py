"""Mix it, or scrape it down: by a step, or once more."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    nothing_in,
    recorded_minutes,
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


class Mixed(LoadEvent):
    """It was mixed or scraped; with the step, where it is a step of the procedure."""

    kind: Literal["mixed"]
    step: StepNumber | None = None
    minutes: RecordedMinutes = None


class Mix(Action[Mixed]):
    """Mix it, or scrape it down."""

    id, event = "mix", Mixed

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each step of mixing; and once more, where steps do not go in order."""
        for planned, _, refusal in steps_of(at, "mix", "scrape"):
            yield timed_offer(self.id, {"kind": "mixed"}, at, planned, refusal)
        if at.plan.mix.regime_traits.in_order:
            return
        yield Offer(
            self.id,
            {"kind": "mixed"},
            amounts=(recorded_minutes(max(at.plan.mix.absorption_min, 0.5)),),
            ready_at=at.now.ready_at if at.now.act == "mix" else None,
            refusal=nothing_in(at.state),
        )

    def target(self, plan: Plan, event: Mixed) -> str:
        """Its step; none of mixing once more."""
        return "" if event.step is None else str(event.step)

    def apply(self, load: Load, state: LoadState, event: Mixed) -> LoadState:
        """Have it mixed."""
        return state.after(event.occurred_at, event.minutes)._replace(
            steps_done=state.steps_done if event.step is None else state.steps_done | {event.step},
            is_mixed=True,
            mixings=state.mixings + 1,
            worked_at=event.occurred_at,
        )
