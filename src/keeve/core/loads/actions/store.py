"""Store fresh mix."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer, volume_left
from keeve.core.loads.actions.shared import (
    not_judged,
    without,
)
from keeve.core.loads.event import (
    Litres,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


class Stored(LoadEvent):
    """Fresh mix was sealed and stored, L."""

    kind: Literal["stored"]
    volume_l: Litres


class Store(Action[Stored]):
    """Seal and store fresh mix."""

    id, event = "store", Stored

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Of a mix that keeps, once it was judged right."""
        keeps_not = InputError(
            "does_not_keep", f"{at.plan.mix.name} doesn't keep. Place it, or use it elsewhere.", ["kind"]
        )
        yield Offer(
            self.id,
            {"kind": "stored"},
            amounts=(volume_left(at.now.remaining_l),),
            refusal=not_judged(at) or (None if at.plan.mix.keeps else keeps_not),
        )

    def apply(self, load: Load, state: LoadState, event: Stored) -> LoadState:
        """Have it in store, with its share of everything in the mixer."""
        return without(load, state, event.volume_l)._replace(stored_l=state.stored_l + event.volume_l)
