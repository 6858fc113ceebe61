"""Lose water: it dripped or ran out."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    Litres,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import (
    Addition,
)
from keeve.core.planning.plan import Load
from keeve.core.tolerances import DROP_L


class WaterLost(LoadEvent):
    """Water dripped or ran out, L."""

    kind: Literal["water_lost"]
    water_l: Litres


class LoseWater(Action[WaterLost]):
    """Say that water dripped or ran out."""

    id, event = "lose_water", WaterLost

    def offers(self, at: Moment) -> Iterator[Offer]:
        """As much as is in."""
        in_l = at.now.held.added_l
        over = ("more_than_in", f"Only {in_l:.3g} L of water is in, so you can't spill more.")
        yield Offer(
            self.id,
            {"kind": "water_lost"},
            amounts=(Amount("water_l", None, 0.0, in_l, over, slack=DROP_L),),
            refusal=None if in_l > DROP_L else InputError(*over, ["water_l"]),
        )

    def apply(self, load: Load, state: LoadState, event: WaterLost) -> LoadState:
        """Have less in it; no more can run out than is in."""
        lost_l = min(event.water_l, state.water_l * state.share)
        return state._replace(
            water=(*state.water, Addition(-lost_l / state.share, event.occurred_at)),
            went_in_l=state.went_in_l - lost_l,
            dripped_l=state.dripped_l + lost_l,
        )
