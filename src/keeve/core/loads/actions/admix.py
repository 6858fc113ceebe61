"""Put admixtures in: those of a step, or an extra dose."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.actions.shared import (
    steps_of,
)
from keeve.core.loads.event import (
    Doses,
    LoadEvent,
    StepNumber,
)
from keeve.core.loads.load_state import LoadState, plus
from keeve.core.planning.plan import Load, Plan
from keeve.core.texts import Name
from keeve.core.tolerances import WRITTEN_FRACTION

# Over that many planned doses a load is overdosed, whatever it looks like.
_MOST_DOSES = 2.0


class Admixed(LoadEvent):
    """Admixtures went in: those of a step, or else an extra dose, as multiples of the planned dose by name."""

    kind: Literal["admixed"]
    step: StepNumber | None = None
    doses: Annotated[dict[Name, Annotated[Doses, Field(gt=0)]], Field(max_length=10)] = {}


class Admix(Action[Admixed]):
    """Put admixtures in."""

    id, event = "admix", Admixed

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each step of admixtures; and an extra dose of each, where a reading may ask for it."""
        for planned, _, refusal in steps_of(at, "admixture"):
            yield Offer(
                self.id, {"kind": "admixed", "step": planned.step}, str(planned.step), refusal=refusal
            )
        if not at.plan.mix.regime_traits.is_judged:
            return
        for item in at.now.load.admixtures:
            if item.mass_kg is None:
                continue
            most = max(_MOST_DOSES - at.state.dose(item.name), 0.0)
            over = ("overdose", f"More than twice the dose of {item.name}. Mix a fresh load instead.")
            amount = Amount(f"doses.{item.name}", min(0.5, most), 0.0, most, over, slack=WRITTEN_FRACTION)
            refusal = None if most > 0 else InputError(*over, [amount.name])
            yield Offer(self.id, {"kind": "admixed"}, item.name, (amount,), refusal=refusal)

    def target(self, plan: Plan, event: Admixed) -> str:
        """Its step, or else the admixture."""
        return next(iter(event.doses), "") if event.step is None else str(event.step)

    def not_offered(self, at: Moment, event: Admixed) -> InputError:
        """Say what is missing."""
        return InputError(
            "no_dose", "doses is empty. Enter how much of which admixture you added.", ["doses"]
        )

    def apply(self, load: Load, state: LoadState, event: Admixed) -> LoadState:
        """Have it in the mixer, not mixed in yet."""
        return state._replace(
            extra_doses=plus(state.extra_doses, event.doses),
            steps_done=state.steps_done if event.step is None else state.steps_done | {event.step},
            is_mixed=False,
            worked_at=event.occurred_at,
        )
