"""Use fresh mix elsewhere."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer, volume_left
from keeve.core.loads.actions.shared import (
    without,
)
from keeve.core.loads.event import (
    Litres,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load
from keeve.core.texts import Line


class Given(LoadEvent):
    """Fresh mix went to another use, L."""

    kind: Literal["given"]
    volume_l: Litres
    use: Annotated[Line, Field(min_length=1, max_length=120)]


class Give(Action[Given]):
    """Use fresh mix elsewhere."""

    id, event = "give", Given

    def offers(self, at: Moment) -> Iterator[Offer]:
        """As much as is left, once it is mixed; nobody gives a whole load away by one tap."""
        unmixed = InputError("not_mixed", "Mix it first.", ["kind"])
        yield Offer(
            self.id,
            {"kind": "given"},
            amounts=(replace(volume_left(at.now.remaining_l), default=None),),
            words=("use",),
            refusal=unmixed if at.now.is_before_reading else None,
        )

    def apply(self, load: Load, state: LoadState, event: Given) -> LoadState:
        """Have it gone, with its share of everything in the mixer."""
        return without(load, state, event.volume_l)._replace(given_l=state.given_l + event.volume_l)
