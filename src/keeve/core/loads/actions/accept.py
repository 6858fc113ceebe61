"""Make the checks before the first load."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load
from keeve.core.texts import Name


class Accepted(LoadEvent):
    """The checks were made. ``faults``: ids of those that failed and were overridden."""

    kind: Literal["accepted"]
    faults: Annotated[list[Name], Field(max_length=20)] = []


_NOT_ASKED = "faults names a check that isn't on the list. Reload the page."


class Accept(Action[Accepted]):
    """Make the checks before the first load."""

    id, event = "accept", Accepted

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Once, where checks are asked for."""
        refusal = None if at.now.act == "accept" else InputError("not_asked", _NOT_ASKED, ["kind"])
        yield Offer(self.id, {"kind": "accepted"}, still=frozenset({"accept"}), refusal=refusal)

    def check_amounts(self, at: Moment, offer: Offer, event: Accepted) -> None:
        """Refuse faults of what was not asked."""
        super().check_amounts(at, offer, event)
        if not set(event.faults) <= set(at.state.to_check):
            raise InputError("not_asked", _NOT_ASKED, ["faults"])

    def apply(self, load: Load, state: LoadState, event: Accepted) -> LoadState:
        """Let the load begin."""
        return state._replace(faults=tuple(event.faults), worked_at=event.occurred_at)
