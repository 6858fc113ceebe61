"""Look at what was cast."""

from typing import Literal

from keeve.core.loads.actions.action import Moment
from keeve.core.loads.actions.shared import Record, check_mixed
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load
from keeve.core.texts import Name


class Observed(LoadEvent):
    """A check of what was cast was made: whether it holds. The last one of a check counts."""

    kind: Literal["observed"]
    check: Name
    holds: bool


class Observe(Record[Observed]):
    """Look at what was cast."""

    id, event = "observe", Observed

    def check(self, at: Moment, event: Observed) -> None:
        """Refuse a look at no mix."""
        super().check(at, event)
        check_mixed(at)

    def apply(self, load: Load, state: LoadState, event: Observed) -> LoadState:
        """Know whether it holds."""
        return state._replace(observed={**state.observed, event.check: event.holds})
