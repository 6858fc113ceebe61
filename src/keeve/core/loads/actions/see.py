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
        """Each sight after those that were seen, from when it can be."""
        clock = at.now.clock
        if clock is None:
            return
        reached = max((SIGHTS[item.sight] for item in at.state.seen), default=0.0)
        unmixed = None
        if not at.state.is_mixed and not at.state.placed_l:
            unmixed = InputError("not_mixed", "Mix it first. There is nothing to see before.", ["sight"])
        past = InputError("seen_already", "You've logged a later stage. Undo that first.", ["sight"])
        for sight, minutes in SIGHTS.items():
            refusal = unmixed or (None if minutes > reached else past) or _too_late(clock, at.now.at, minutes)
            yield Offer(
                self.id,
                {"kind": "seen", "sight": sight},
                sight,
                ready_at=clock.at(_SEEN_BETWEEN[0] * minutes * clock.factor),
                still=frozenset({"dead", "clean", "strip"}),
                refusal=refusal,
            )

    def target(self, plan: Plan, event: Seen) -> str:
        """The sight."""
        return event.sight

    def apply(self, load: Load, state: LoadState, event: Seen) -> LoadState:
        """Know it."""
        return state._replace(seen=(*state.seen, SeenAt(event.sight, event.occurred_at)))


def _too_late(clock: SetClock, at: datetime, minutes: float) -> InputError | None:
    """Why a sight cannot have been seen only now: nothing sets that much later than the clock says."""
    elapsed = clock.elapsed_min(at) or 0.0
    if elapsed <= _SEEN_BETWEEN[1] * minutes * clock.factor:
        return None
    return InputError(
        "not_then",
        f"You can't see that so late: {elapsed:.0f} min since plaster met water. Tap it when you see it.",
        ["sight"],
    )
