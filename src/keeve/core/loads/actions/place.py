"""Place fresh mix."""

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
from keeve.core.planning.plan import Load, Plan

FROM_STORE, IN_TIME = "from_store", "in_time"


class Placed(LoadEvent):
    """Fresh mix was placed, L, from the mixer or from store.

    ``in_time``: it was placed while it could be, and told after that: hands that pour tap nothing.
    """

    kind: Literal["placed"]
    volume_l: Litres
    from_store: bool = False
    in_time: bool = False


class Place(Action[Placed]):
    """Place fresh mix, from the mixer or from store."""

    id, event = "place", Placed

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Out of the mixer once it was judged right; out of the store; and told late, of plaster."""
        now = at.now
        left = (volume_left(now.remaining_l),)
        yield Offer(self.id, {"kind": "placed"}, amounts=left, refusal=not_judged(at))
        empty = InputError("nothing_stored", "None of it is stored.", ["kind"])
        yield Offer(
            self.id,
            {"kind": "placed", "from_store": True},
            FROM_STORE,
            (volume_left(at.state.in_store_l),),
            still=frozenset({"stored"}),
            refusal=None if at.state.in_store_l > 0 else empty,
        )
        if now.clock is None:
            return
        late = now.act == "dead" and now.clock.stage(now.at, build=True) != "hard"
        gone = InputError("set_hard", "It's already hard, so it can't have been poured since.", ["in_time"])
        yield Offer(
            self.id,
            {"kind": "placed", "in_time": True},
            IN_TIME,
            left,
            still=frozenset({"dead"}),
            refusal=None if late else gone,
        )

    def target(self, plan: Plan, event: Placed) -> str:
        """Out of what, or when."""
        return FROM_STORE if event.from_store else IN_TIME if event.in_time else ""

    def apply(self, load: Load, state: LoadState, event: Placed) -> LoadState:
        """Have it gone, with its share of everything in the mixer."""
        placed_l = state.placed_l + event.volume_l
        if event.from_store:
            from_store_l = state.from_store_l + event.volume_l
            return state._replace(placed_l=placed_l, from_store_l=from_store_l, worked_at=event.occurred_at)
        return without(load, state, event.volume_l)._replace(placed_l=placed_l, worked_at=event.occurred_at)
