"""Time the hose."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


class FlowMeasured(LoadEvent):
    """The hose filled a vessel of this volume (L) in this time (s)."""

    kind: Literal["flow_measured"]
    vessel_l: Annotated[float, Field(gt=0, le=1000)]
    seconds: Annotated[float, Field(ge=0.5, le=3600)]

    @property
    def flow_l_min(self) -> float:
        """The flow of the hose, L/min."""
        return self.vessel_l / self.seconds * 60


class MeasureFlow(Action[FlowMeasured]):
    """Time the hose into a vessel."""

    id, event = "measure_flow", FlowMeasured

    def offers(self, at: Moment) -> Iterator[Offer]:
        """At any time before the load is over."""
        yield Offer(
            self.id,
            {"kind": "flow_measured"},
            amounts=(
                Amount("vessel_l", 10.0, 0.0, 1000.0, ("too_large", "No bucket holds over 1000 L.")),
                Amount(
                    "seconds", None, 0.5, 3600.0, ("too_long", "Time the hose for half a second to an hour.")
                ),
            ),
            still=frozenset({"accept"}),
        )

    def apply(self, load: Load, state: LoadState, event: FlowMeasured) -> LoadState:
        """Know how fast it runs."""
        return state._replace(flow_l_min=event.flow_l_min)
