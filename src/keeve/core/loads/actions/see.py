"""See plaster set."""

from collections.abc import Iterator
from datetime import datetime
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.set_clock import SetClock
from keeve.core.loads.state_parts import (
    SeenAt,
)
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.gypsum_time import SIGHTS, Sight

# No plaster sets that much sooner, or later, than the clock says, as a share of its time. Judgements made here.
_SEEN_BETWEEN = (0.4, 2.5)


class Seen(LoadEvent):
    """Something was seen of setting plaster: its clock is re-timed by it."""

    kind: Literal["seen"]
    sight: Sight


class See(Action[Seen]):
    """Say what is seen of setting plaster."""

    id, event = "see", Seen

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each sight that can be seen by now, after those that were."""
        clock = at.now.clock
        if clock is None:
            return
        reached = max((SIGHTS[item.sight] for item in at.state.seen), default=0.0)
        unmixed = None
        if not at.state.is_mixed and not at.state.placed_l:
            unmixed = InputError("not_mixed", "Mix it first. There is nothing to see before.", ["sight"])
        past = InputError("seen_already", "You've logged a later stage. Undo that first.", ["sight"])
        for sight, minutes in SIGHTS.items():
            refusal = unmixed or (None if minutes > reached else past) or _not_then(clock, at.now.at, minutes)
            yield Offer(
                self.id,
                {"kind": "seen", "sight": sight},
                sight,
                still=frozenset({"dead", "clean", "strip"}),
                refusal=refusal,
            )

    def target(self, plan: Plan, event: Seen) -> str:
        """The sight."""
        return event.sight

    def apply(self, load: Load, state: LoadState, event: Seen) -> LoadState:
        """Know it."""
        return state._replace(seen=(*state.seen, SeenAt(event.sight, event.occurred_at)))


def _not_then(clock: SetClock, at: datetime, minutes: float) -> InputError | None:
    """Why a sight cannot have been seen by now: nothing sets that much sooner, or later, than the clock says."""
    elapsed = clock.elapsed_min(at) or 0.0
    soonest, latest = (minutes * clock.factor * times for times in _SEEN_BETWEEN)
    if soonest <= elapsed <= latest:
        return None
    when = "so soon" if elapsed < soonest else "so late"
    return InputError(
        "not_then",
        f"You can't see that {when}: {elapsed:.0f} min since plaster met water. Tap it when you see it.",
        ["sight"],
    )
