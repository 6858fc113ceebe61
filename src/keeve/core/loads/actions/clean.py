"""Clean the mixer."""

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


class Cleaned(LoadEvent):
    """The mixer was cleaned."""

    kind: Literal["cleaned"]


class Clean(Action[Cleaned]):
    """Clean the mixer."""

    id, event = "clean", Cleaned

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Once it is empty."""
        full = InputError(
            "not_empty", "The mixer isn't empty yet. Place or throw away what is in it.", ["kind"]
        )
        refusal = None if at.now.act == "clean" else full
        yield Offer(self.id, {"kind": "cleaned"}, still=frozenset({"clean"}), refusal=refusal)

    def apply(self, load: Load, state: LoadState, event: Cleaned) -> LoadState:
        """Have it clean."""
        return state._replace(cleaned=True)
