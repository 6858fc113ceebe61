"""Put in a material of the correction that was chosen."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.correct import nothing_shown
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    Kilograms,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState, plus
from keeve.core.planning.plan import Load
from keeve.core.texts import Name
from keeve.core.tolerances import WRITTEN_FRACTION


class Corrected(LoadEvent):
    """Material of a correction went in: kg as charged by name."""

    kind: Literal["corrected"]
    add_kg: Annotated[dict[Name, Kilograms], Field(min_length=1, max_length=10)]


class TopUp(Action[Corrected]):
    """Put in a material of the correction."""

    id, event = "top_up", Corrected

    def offers(self, at: Moment) -> Iterator[Offer]:
        """The material still owed of it, or shown."""
        if not at.plan.mix.regime_traits.is_judged:
            return
        shown = at.now.correction
        asked = at.state.owed.add_kg if at.state.owed else shown.add_kg if shown else {}
        more = ("other_amount", "add_kg is more than the correction needs. Add what is shown.")
        yield Offer(
            self.id,
            {"kind": "corrected"},
            amounts=tuple(
                Amount(f"add_kg.{name}", kg, 0.0, kg, more, slack=kg * WRITTEN_FRACTION, is_needed=False)
                for name, kg in asked.items()
            ),
            refusal=None if asked else nothing_shown(),
        )

    def apply(self, load: Load, state: LoadState, event: Corrected) -> LoadState:
        """Have it in the mixer, not mixed in yet, and owe it no more."""
        of_whole_kg = {name: kg / state.share for name, kg in event.add_kg.items()}
        return state._replace(
            held_kg=plus(state.held_kg, of_whole_kg),
            went_in_kg=plus(state.went_in_kg, event.add_kg),
            owed=state.owed and state.owed.less(event.add_kg),
            is_mixed=False,
            worked_at=event.occurred_at,
        )
