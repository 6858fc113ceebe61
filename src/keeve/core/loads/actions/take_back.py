"""Take back a load that was begun by mistake."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


class TakenBack(LoadEvent):
    """The load was begun by mistake, and is as if it had not been."""

    kind: Literal["taken_back"]


class TakeBack(Action[TakenBack]):
    """Take back a load that was begun by mistake."""

    id, event = "take_back", TakenBack

    def offers(self, at: Moment) -> Iterator[Offer]:
        """As long as nothing is in it."""
        begun = at.state.held_kg or at.state.water
        something = InputError("something_in", "Something is in the mixer. Undo that first.", ["kind"])
        refusal = something if begun else None
        yield Offer(self.id, {"kind": "taken_back"}, still=frozenset({"accept"}), refusal=refusal)

    def apply(self, load: Load, state: LoadState, event: TakenBack) -> LoadState:
        """Have it as if it had not been."""
        return state._replace(taken_back=True)
