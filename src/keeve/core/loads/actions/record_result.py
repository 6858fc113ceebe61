"""Record how the load came out."""

from collections.abc import Iterator
from typing import Literal, get_args

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
    Result,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load, Plan


class CameOut(LoadEvent):
    """How the load came out. The last one counts."""

    kind: Literal["came_out"]
    result: Result


class RecordResult(Action[CameOut]):
    """Record how the load came out."""

    id, event = "record_result", CameOut

    def offers(self, at: Moment) -> Iterator[Offer]:
        """Once it is used up."""
        too_soon = InputError("not_empty", "Enter the result once it's used up.", ["kind"])
        for result in get_args(Result):
            yield Offer(
                self.id,
                {"kind": "came_out", "result": result},
                result,
                still=frozenset({"clean", "strip", "dry", "done"}),
                refusal=None if at.now.is_over else too_soon,
            )

    def target(self, plan: Plan, event: CameOut) -> str:
        """How it came out."""
        return event.result

    def apply(self, load: Load, state: LoadState, event: CameOut) -> LoadState:
        """Know it."""
        return state._replace(result=event.result)
