"""Start a load."""

from typing import Annotated, Literal

from pydantic import Field

from keeve.core.loads.actions.shared import OwnAction
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import SettingHistory
from keeve.core.planning.plan import Load
from keeve.core.texts import Few, Name

_Flow = Annotated[float, Field(gt=0, le=100_000)]


class Begun(LoadEvent):
    """The load was started. ``checks``: ids of the checks to make first (see ``pre_use_checks``).

    ``flow_l_min``: flow of the hose as last measured that day, L/min. ``setting``: what past loads of its plaster say.
    """

    kind: Literal["begun"]
    is_own = True
    checks: Few[Name]
    flow_l_min: _Flow | None = None
    setting: SettingHistory | None = None


class Begin(OwnAction[Begun]):
    """Start the load: the server does."""

    id, event = "begin", Begun

    def apply(self, load: Load, state: LoadState, event: Begun) -> LoadState:
        """Know what is to be checked, and what was known before."""
        return state._replace(checks=tuple(event.checks), flow_l_min=event.flow_l_min, setting=event.setting)
