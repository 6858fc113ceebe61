"""Make specimens of the load."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from keeve.core.loads.actions.action import Moment
from keeve.core.loads.actions.shared import Record, check_mixed
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import SpecimenSet
from keeve.core.planning.plan import Load
from keeve.core.rules.strength_tests import Shape
from keeve.core.texts import Line

# A specimen is tested within a year as a rule; a record may be told for longer.
_DueDays = Annotated[int, Field(ge=1, le=3650)]


class SpecimensMade(LoadEvent):
    """Specimens were made of the load, each with the day of its age on which it is due.

    ``size_mm``: side of a cube or of the section of a prism, diameter of a cylinder. ``span_mm``: between the
    supports of a prism. ``mark``: what is written on them, before their number.
    """

    kind: Literal["specimens_made"]
    shape: Shape
    size_mm: Annotated[float, Field(ge=10, le=1000)]
    span_mm: Annotated[float | None, Field(ge=10, le=3000)] = None
    due_days: Annotated[list[_DueDays], Field(min_length=1, max_length=40)]
    mark: Annotated[Line, Field(max_length=40)] = ""

    @model_validator(mode="after")
    def _has_its_sizes(self) -> Self:
        if (self.shape == "prism") != (self.span_mm is not None):
            raise ValueError("needs span_mm for prisms, and for nothing else")
        return self


class MakeSpecimens(Record[SpecimensMade]):
    """Make specimens of the load."""

    id, event = "make_specimens", SpecimensMade

    def check(self, at: Moment, event: SpecimensMade) -> None:
        """Refuse specimens of no mix."""
        super().check(at, event)
        check_mixed(at)

    def apply(self, load: Load, state: LoadState, event: SpecimensMade) -> LoadState:
        """Have them."""
        made = SpecimenSet(
            event.id, event.occurred_at, event.shape, event.size_mm, event.span_mm, event.due_days, event.mark
        )
        return state._replace(specimens=(*state.specimens, made))
