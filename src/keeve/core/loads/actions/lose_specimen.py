"""Lose a specimen: nobody will test it."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from keeve.core.loads.actions.action import Moment
from keeve.core.loads.actions.shared import Record, check_specimen
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import SpecimenResult
from keeve.core.planning.plan import Load
from keeve.core.texts import Line


class SpecimenLost(LoadEvent):
    """A specimen is lost, damaged or was not tested, for a reason."""

    kind: Literal["specimen_lost"]
    made: Annotated[UUID, Field(strict=False)]
    number: Annotated[int, Field(ge=1, le=40)]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]


class LoseSpecimen(Record[SpecimenLost]):
    """Say that a specimen will not be tested."""

    id, event = "lose_specimen", SpecimenLost

    def check(self, at: Moment, event: SpecimenLost) -> None:
        """Refuse to lose what there is not."""
        super().check(at, event)
        check_specimen(at, event.made, event.number, event.occurred_at)

    def apply(self, load: Load, state: LoadState, event: SpecimenLost) -> LoadState:
        """Know it."""
        result = SpecimenResult(event.occurred_at, lost=event.reason)
        results = {**state.specimen_results, (event.made, event.number): result}
        return state._replace(specimen_results=results)
