"""Expect so much water."""

from typing import Literal

from keeve.core.loads.actions.shared import OwnAction
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import ExpectedWater
from keeve.core.planning.plan import Load


class Expected(LoadEvent):
    """The expected water of the load: recorded when it is started, and again when its stockpile changes."""

    kind: Literal["expected"]
    is_own = True
    water: ExpectedWater


class Expect(OwnAction[Expected]):
    """Expect so much water of the load: the server does."""

    id, event = "expect", Expected

    def apply(self, load: Load, state: LoadState, event: Expected) -> LoadState:
        """Offer that water from now on."""
        return state._replace(expected=event.water)
