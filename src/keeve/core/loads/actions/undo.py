"""Undo another event."""

from collections.abc import Iterator

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import ALWAYS, Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    Undone,
)

_NOTHING = "Already undone. Nothing to undo."


class Undo(Action[Undone]):
    """Undo another event: the load is what it would be without it."""

    id, event = "undo", Undone

    def offers(self, at: Moment) -> Iterator[Offer]:
        """At any time, where anything was done."""
        nothing = InputError("nothing_to_undo", _NOTHING, ["cancels"])
        refusal = None if at.state.undoable else nothing
        yield Offer(self.id, {"kind": "undone"}, words=("cancels",), still=ALWAYS, refusal=refusal)

    def check_amounts(self, at: Moment, offer: Offer, event: Undone) -> None:
        """Refuse to undo what does not count."""
        super().check_amounts(at, offer, event)
        if all(event.cancels != done.id for done in at.state.applied):
            raise InputError("nothing_to_undo", _NOTHING, ["cancels"])
