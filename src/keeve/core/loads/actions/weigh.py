"""Weigh the drying cast."""

from collections.abc import Iterator
from typing import Literal

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
from keeve.core.loads.state_parts import (
    WeighedAt,
)
from keeve.core.planning.plan import Load

# What a scale on site can show of a cast beside what it weighed when it was poured.
_MOST_WEIGHT = 1.2


class Weighed(LoadEvent):
    """The drying cast was weighed, kg."""

    kind: Literal["weighed"]
    mass_kg: SomeKilograms


class Weigh(Action[Weighed]):
    """Weigh the drying cast."""

    id, event = "weigh", Weighed

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Once it is out of its mould."""
        if makes_casts(at):
            yield Offer(
                self.id,
                {"kind": "weighed"},
                amounts=(on_scale(at, _MOST_WEIGHT),),
                still=frozenset({"dry"}),
                refusal=in_mould(at),
            )

    def apply(self, load: Load, state: LoadState, event: Weighed) -> LoadState:
        """Know it."""
        return state._replace(weighings=(*state.weighings, WeighedAt(event.mass_kg, event.occurred_at)))
