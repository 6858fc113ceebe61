"""Throw the rest away."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Act
from keeve.core.planning.plan import Load
from keeve.core.texts import Line


class Discarded(LoadEvent):
    """The rest was thrown away, with the reason."""

    kind: Literal["discarded"]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]


class Discard(Action[Discarded]):
    """Throw the rest away."""

    id, event = "discard", Discarded

    def offers(self, at: Moment) -> Iterator[Offer]:
        """As long as there is any, for a reason."""
        still: frozenset[Act] = frozenset({"accept", "dead", "stored"})
        yield Offer(self.id, {"kind": "discarded"}, words=("reason",), still=still)

    def apply(self, load: Load, state: LoadState, event: Discarded) -> LoadState:
        """Have none left."""
        return state._replace(discarded=event.reason, worked_at=event.occurred_at)
