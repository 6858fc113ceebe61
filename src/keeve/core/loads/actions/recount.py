"""Count again what is in it."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.actions.shared import (
    MOST_TIMES,
    nothing_in,
)
from keeve.core.loads.event import (
    Doses,
    Kilograms,
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState, plus
from keeve.core.planning.plan import Load
from keeve.core.texts import Name


class Recounted(LoadEvent):
    """The true contents, where they differ from the record.

    ``charged_kg``: kg as charged by material (totals). ``doses``: multiples of the planned dose by admixture.
    """

    kind: Literal["recounted"]
    charged_kg: Annotated[dict[Name, Kilograms], Field(max_length=10)] = {}
    doses: Annotated[dict[Name, Doses], Field(max_length=10)] = {}


class Recount(Action[Recounted]):
    """Say what really is in it."""

    id, event = "recount", Recounted

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Of a load that is judged, while all of it is in the mixer."""
        if not at.plan.mix.regime_traits.is_judged:
            return
        heavy = ("more_than_fits", "That's over four times what the load takes. Check the amount.")
        many = ("overdose", "More than ten doses. Mix a fresh load instead.")
        refusal = None
        if at.state.gone_l:
            refusal = InputError(
                "placed_already", "Some of it is already placed, so amounts can't be corrected.", ["kind"]
            )
        elif not at.state.held_kg:
            refusal = nothing_in(at.state)
        masses = (
            Amount(f"charged_kg.{one.material}", None, 0.0, one.mass_kg * MOST_TIMES, heavy, is_needed=False)
            for one in at.now.load.charges
        )
        doses = (
            Amount(f"doses.{item.name}", None, 0.0, 10.0, many, is_needed=False)
            for item in at.now.load.admixtures
        )
        yield Offer(self.id, {"kind": "recounted"}, amounts=(*masses, *doses), refusal=refusal)

    def check_amounts(self, at: Moment, offer: Offer, event: Recounted) -> None:
        """Refuse a count of nothing."""
        super().check_amounts(at, offer, event)
        if not event.charged_kg and not event.doses:
            raise InputError(
                "no_count", "charged_kg is empty. Enter what is really in the mixer.", ["charged_kg"]
            )

    def apply(self, load: Load, state: LoadState, event: Recounted) -> LoadState:
        """Have that in it, in place of what was written down."""
        extra = state.extra_doses
        counted_doses = {name: max(dose - extra.get(name, 0.0), 0.0) for name, dose in event.doses.items()}
        wrong_by_kg = {
            name: kg - state.held_kg.get(name, 0.0) * state.share for name, kg in event.charged_kg.items()
        }
        of_whole_kg = {name: kg / state.share for name, kg in event.charged_kg.items()}
        return state._replace(
            held_kg={**state.held_kg, **of_whole_kg},
            went_in_kg=plus(state.went_in_kg, wrong_by_kg),
            counted_doses={**state.counted_doses, **counted_doses},
            recounted=True,
        )
