"""Test the fresh mix."""

from collections.abc import Iterator, Mapping
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import ALWAYS, Action, Moment
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load, Plan

# What each test can show: the cone is 300 mm high, a flow table 700 mm wide.
_BOUNDS: Mapping[str, tuple[float, float, str]] = {
    "slump_mm": (0.0, 300.0, "Slump is 300 mm or less, the height of the cone."),
    "flow_mm": (100.0, 1000.0, "A flow is 100 mm to 1000 mm across."),
    "air_fraction": (0.0, 0.5, "Air is half of the mix or less."),
    "density_kg_m3": (200.0, 4000.0, "Fresh mix weighs 200 kg/m3 to 4000 kg/m3."),
}
FRESH_FIGURES = tuple(_BOUNDS)


class FreshTested(LoadEvent):
    """A test of the fresh mix: slump or flow, mm, air as a fraction of its volume, or density, kg/m3."""

    kind: Literal["fresh_tested"]
    slump_mm: Annotated[float | None, Field(ge=0, le=300)] = None
    flow_mm: Annotated[float | None, Field(ge=100, le=1000)] = None
    air_fraction: Annotated[float | None, Field(ge=0, le=0.5)] = None
    density_kg_m3: Annotated[float | None, Field(ge=200, le=4000)] = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if sum(getattr(self, name) is not None for name in FRESH_FIGURES) != 1:
            raise ValueError(
                "needs one of slump_mm, flow_mm, air_fraction or density_kg_m3: what you measured"
            )
        return self


class TestFresh(Action[FreshTested]):
    """Test the fresh mix."""

    __test__ = False  # pytest looks for classes of this name
    id, event = "test_fresh", FreshTested

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Each test, at any time from the first mixing."""
        no_mix = InputError("no_mix_yet", "There is no mix yet. Measure it once it's wet.", ["kind"])
        for name, (least, most, sentence) in _BOUNDS.items():
            measured = Amount(name, None, least, most, ("too_large", sentence))
            refusal = None if at.state.mixings else no_mix
            yield Offer(self.id, {"kind": "fresh_tested"}, name, (measured,), still=ALWAYS, refusal=refusal)

    def target(self, plan: Plan, event: FreshTested) -> str:
        """Which test."""
        return next(name for name in FRESH_FIGURES if getattr(event, name) is not None)

    def apply(self, load: Load, state: LoadState, event: FreshTested) -> LoadState:
        """Know it."""
        return state._replace(fresh_tests=(*state.fresh_tests, event))
