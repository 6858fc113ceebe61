"""Take the cast out of its mould."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    makes_casts,
    not_poured,
)
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


class Stripped(LoadEvent):
    """The cast came out of its mould, or the mould off its model."""

    kind: Literal["stripped"]


class Strip(Action[Stripped]):
    """Take the cast out of its mould."""

    id, event = "strip", Stripped

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Of what makes casts, once it is poured and the mixer is clean."""
        if makes_casts(at):
            refusal = None if at.now.act == "strip" else not_poured()
            yield Offer(self.id, {"kind": "stripped"}, still=frozenset({"strip"}), refusal=refusal)

    def apply(self, load: Load, state: LoadState, event: Stripped) -> LoadState:
        """Know when."""
        return state._replace(stripped_at=event.occurred_at)
