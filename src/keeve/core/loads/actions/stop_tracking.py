"""Use the cast, which is dry; or follow it no further."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.actions.shared import (
    in_mould,
    makes_casts,
    not_poured,
)
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load, Plan
from keeve.core.texts import Line

STOP_TRACKING = "stop_tracking"


class TrackingStopped(LoadEvent):
    """The cast is dry and may be used; or it is followed no further, for a reason."""

    kind: Literal["tracking_stopped"]
    reason: Annotated[Line, Field(max_length=200)] = ""


class StopTracking(Action[TrackingStopped]):
    """Use the cast, or follow it no further."""

    id, event = "stop_tracking", TrackingStopped

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Use it once it is dry; stop tracking it at any time, for a reason."""
        if not makes_casts(at):
            return
        is_dry = at.now.drying is not None and at.now.drying.is_dry
        wet = InputError("not_dry", "Not dry: do not use it until it stops losing weight.", ["kind"])
        yield Offer(
            self.id,
            {"kind": "tracking_stopped"},
            still=frozenset({"dry"}),
            refusal=in_mould(at) or (None if is_dry else wet),
        )
        yield Offer(
            self.id,
            {"kind": "tracking_stopped"},
            STOP_TRACKING,
            words=("reason",),
            still=frozenset({"strip", "dry"}),
            refusal=None if at.now.act in ("strip", "dry") else not_poured(),
        )

    def target(self, plan: Plan, event: TrackingStopped) -> str:
        """Whether it is followed no further."""
        return STOP_TRACKING if event.reason else ""

    def apply(self, load: Load, state: LoadState, event: TrackingStopped) -> LoadState:
        """Know why."""
        return state._replace(tracking_stopped=event.reason)
