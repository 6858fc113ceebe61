"""Take a temperature."""

from collections.abc import Iterator
from typing import Literal, Self

from pydantic import model_validator

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load
from keeve.core.rules.temperature import Celsius, LiquidCelsius


class TemperatureTaken(LoadEvent):
    """The temperature of the mix was measured, that of its water, or both, °C."""

    kind: Literal["temperature"]
    mix_c: Celsius | None = None
    water_c: LiquidCelsius | None = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if self.mix_c is None and self.water_c is None:
            raise ValueError("needs mix_c or water_c: what you measured")
        return self


_UNHEARD_OF = ("too_hot", "Too hot for a mix. Check the reading.")


class TakeTemperature(Action[TemperatureTaken]):
    """Take the temperature of the mix, or of its water."""

    id, event = "take_temperature", TemperatureTaken

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Of the mix once there is one; of plaster that of its water."""
        by_clock = at.plan.mix.regime_traits.placed_in is not None
        there_is_some = by_clock or at.state.water or at.state.is_mixed
        no_mix = InputError("no_mix_yet", "There is no mix yet. Measure it once it's wet.", ["kind"])
        yield Offer(
            self.id,
            {"kind": "temperature"},
            amounts=(
                *(() if by_clock else (Amount("mix_c", None, 0.0, 100.0, _UNHEARD_OF),)),
                Amount("water_c", None, 0.0, 100.0, _UNHEARD_OF, is_needed=by_clock),
            ),
            refusal=None if there_is_some else no_mix,
        )

    def apply(self, load: Load, state: LoadState, event: TemperatureTaken) -> LoadState:
        """Know it."""
        return state._replace(mix_c=event.mix_c, water_c=event.water_c)
