"""Put a material in."""

from collections.abc import Iterator
from typing import Literal

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.actions.shared import (
    MOST_TIMES,
    steps_of,
)
from keeve.core.loads.event import (
    Kilograms,
    LoadEvent,
    StepNumber,
)
from keeve.core.loads.load_state import LoadState, plus
from keeve.core.planning.plan import Load, Plan
from keeve.core.texts import Name


class Charged(LoadEvent):
    """A material went in: kg as charged. ``part``: the step is not finished by it."""

    kind: Literal["charged"]
    step: StepNumber
    material: Name
    mass_kg: Kilograms
    part: bool = False


class Charge(Action[Charged]):
    """Put the material of a step in."""

    id, event = "charge", Charged

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each step of a material, in any order but where they go in order."""
        for planned, step, refusal in steps_of(at, "charge"):
            material = planned.material or ""
            most_kg = at.now.load.charge(material).mass_kg * MOST_TIMES
            over = ("more_than_fits", f"That's over four times the {material} of the load. Check the amount.")
            yield Offer(
                self.id,
                {"kind": "charged", "step": planned.step, "material": planned.material},
                str(planned.step),
                (Amount("mass_kg", step.mass_kg if step else None, 0.0, most_kg, over),),
                part=True,
                refusal=refusal,
            )

    def target(self, plan: Plan, event: Charged) -> str:
        """Its step."""
        return str(event.step)

    def apply(self, load: Load, state: LoadState, event: Charged) -> LoadState:
        """Have it in the mixer, not mixed in yet."""
        of_whole_kg = event.mass_kg / state.share
        return state._replace(
            held_kg=plus(state.held_kg, {event.material: of_whole_kg}),
            went_in_kg=plus(state.went_in_kg, {event.material: event.mass_kg}),
            charged_at={event.material: event.occurred_at, **state.charged_at},
            step_kg=plus(state.step_kg, {event.step: of_whole_kg}),
            steps_done=state.steps_done if event.part else state.steps_done | {event.step},
            is_mixed=False,
            worked_at=event.occurred_at,
        )
