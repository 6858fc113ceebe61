"""Test a specimen."""

from typing import Annotated, Literal, Self
from uuid import UUID

from pydantic import Field, model_validator

from keeve.core.loads.actions.action import Moment
from keeve.core.loads.actions.shared import Record, check_specimen
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import SpecimenResult
from keeve.core.planning.plan import Load


class SpecimenTested(LoadEvent):
    """A specimen was tested: the load at which it broke, kN, or its strength, MPa. The last test of it counts.

    ``made``: the event of the set it belongs to. ``number``: its number in it, from 1.
    """

    kind: Literal["specimen_tested"]
    made: Annotated[UUID, Field(strict=False)]
    number: Annotated[int, Field(ge=1, le=40)]
    load_kn: Annotated[float | None, Field(gt=0, le=100_000)] = None
    mpa: Annotated[float | None, Field(gt=0, le=1000)] = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if (self.load_kn is None) == (self.mpa is None):
            raise ValueError("needs load_kn or mpa, one of them")
        return self


class TestSpecimen(Record[SpecimenTested]):
    """Test a specimen."""

    __test__ = False  # pytest looks for classes of this name
    id, event = "test_specimen", SpecimenTested

    def check(self, at: Moment, event: SpecimenTested) -> None:
        """Refuse a test of no specimen."""
        super().check(at, event)
        check_specimen(at, event.made, event.number, event.occurred_at)

    def apply(self, load: Load, state: LoadState, event: SpecimenTested) -> LoadState:
        """Know it."""
        result = SpecimenResult(event.occurred_at, event.load_kn, event.mpa)
        results = {**state.specimen_results, (event.made, event.number): result}
        return state._replace(specimen_results=results)
