"""The fields of every event of a load, and of several of them."""

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Any, ClassVar, Literal, TypeVar
from uuid import UUID

from pydantic import BeforeValidator, ConfigDict, Field

from keeve.core.rules.registry import Strict
from keeve.core.texts import MOST_OF_A_KIND, Line
from keeve.core.tolerances import UNMEASURABLE
from keeve.core.zones import Occurred

LONGEST_NAME = 120
# Spans that no site reaches: what is over them is a slip, and would be carried through every figure. What nobody can
# measure is nothing: the size of a batch of 1e-240 kg would be, too.
_Measurable = BeforeValidator(
    lambda amount: 0.0 if isinstance(amount, float) and 0 < amount < UNMEASURABLE else amount
)
Kilograms = Annotated[float, _Measurable, Field(ge=0, le=100_000)]
SomeKilograms = Annotated[float, _Measurable, Field(gt=0, le=100_000)]
Litres = Annotated[float, _Measurable, Field(gt=0, le=100_000)]
Doses = Annotated[float, Field(ge=0, le=100)]
StepNumber = Annotated[int, Field(ge=1, le=MOST_OF_A_KIND)]
# How long it was, as recorded by who did it before the phone was at hand, min; None where the clock counted.
RecordedMinutes = Annotated[float | None, Field(gt=0, le=120)]
# Where water came from: what the rinse left in the drum counts, and so does what dripped out and went back in.
WaterSource = Literal["tap", "hose", "drum", "drips", "ice"]
# Beside wet and dry: short of binder, or with too much of it.
Cohesion = Literal["sandy", "rich"]
Cause = Literal["too-wet", "miscounted", "overdosed", "sandy", "rich"]
# How a load came out, once it is used up.
Result = Literal["good", "usable", "poor"]


class LoadEvent(Strict):
    """The fields of every event.

    The client makes ``id`` (an event sent twice is stored once), names itself in ``device_id`` and counts its events
    in ``device_seq``. The server sets ``recorded_by`` and ``received_at``. ``kind`` names the action that it is of.
    """

    model_config = ConfigDict(populate_by_name=True)

    id: Annotated[UUID, Field(strict=False)]
    device_id: Annotated[Line, Field(min_length=1, max_length=64)]
    device_seq: Annotated[int, Field(ge=0, lt=2**53)]
    occurred_at: Occurred
    schema_version: Annotated[Literal[1], Field(alias="schema")]
    recorded_by: Annotated[Line, Field(max_length=LONGEST_NAME)] = ""
    received_at: Annotated[datetime | None, Field(strict=False)] = None
    kind: str

    # Whether the server records it by itself: nobody sends it, and there is nothing to undo.
    is_own: ClassVar[bool] = False


class Undone(LoadEvent):
    """Another event is cancelled. An undo is final: the step is done again instead. Said later it has a reason."""

    kind: Literal["undone"]
    cancels: Annotated[UUID, Field(strict=False)]
    reason: Annotated[Line, Field(max_length=200)] = ""


E = TypeVar("E", bound=LoadEvent)


def event_json(event: LoadEvent) -> dict[str, Any]:
    """The event as plain JSON values."""
    return event.model_dump(mode="json", by_alias=True)


def in_order(events: Iterable[E]) -> list[E]:
    """Each event once, in the order in which it happened, whatever the order of arrival."""
    unique: dict[UUID, E] = {}
    for event in events:
        unique.setdefault(event.id, event)
    return sorted(
        unique.values(), key=lambda event: (event.occurred_at, event.device_id, event.device_seq, event.id)
    )


def without_undone(ordered: Iterable[E]) -> list[E]:
    """The events that count, of events in order: an undo cancels the event it names, whichever comes first."""
    known = list(ordered)
    cancelled = {event.cancels for event in known if isinstance(event, Undone)}
    return [event for event in known if event.id not in cancelled and not isinstance(event, Undone)]
