"""Trim wet plaster off the cast."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    in_mould,
    makes_casts,
    on_scale,
)
from keeve.core.loads.event import (
    LoadEvent,
    SomeKilograms,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


class Trimmed(LoadEvent):
    """Wet plaster was trimmed off the cast, kg."""

    kind: Literal["trimmed"]
    mass_kg: SomeKilograms


class Trim(Action[Trimmed]):
    """Trim wet plaster off the cast, to take it off its weighings."""

    id, event = "trim", Trimmed

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Before it is weighed."""
        if not makes_casts(at):
            return
        weighed = InputError("weighed_already", "Log trimmings before you weigh it.", ["kind"])
        yield Offer(
            self.id,
            {"kind": "trimmed"},
            amounts=(on_scale(at, 0.9),),
            still=frozenset({"dry"}),
            refusal=in_mould(at) or (weighed if at.state.weighings else None),
        )

    def apply(self, load: Load, state: LoadState, event: Trimmed) -> LoadState:
        """Have that much less of it."""
        return state._replace(trimmed_kg=state.trimmed_kg + event.mass_kg)
