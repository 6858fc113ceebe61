"""The events of a running load, in the form in which they are sent, stored and exported."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import AwareDatetime, ConfigDict, Field, TypeAdapter, ValidationError

from keeve.core.errors import from_validation
from keeve.core.mixes.model import Reading
from keeve.core.rules import Amount, Dimension, Strict


class _Event(Strict):
    """What every event has.

    The client makes ``id`` (sending twice stores once), names itself in ``device_id`` and counts in
    ``device_seq``; ``recorded_by`` and ``received_at`` are the server's.
    """

    model_config = ConfigDict(populate_by_name=True)

    id: Annotated[UUID, Field(strict=False)]
    device_id: Annotated[str, Field(min_length=1, max_length=64)]
    device_seq: Annotated[int, Field(ge=0, lt=2**53)]
    occurred_at: Annotated[AwareDatetime, Field(strict=False)]
    schema_version: Annotated[Literal[1], Field(alias="schema")]
    recorded_by: Annotated[str, Field(max_length=120)] = ""
    received_at: Annotated[datetime | None, Field(strict=False)] = None


class Charged(_Event):
    """A material went in: step of the procedure, kg as charged."""

    kind: Literal["charged"]
    step: Annotated[int, Field(ge=1)]
    material: str
    mass_kg: Amount


class WaterAdded(_Event):
    """Litres went in; the step where it is one of the procedure's."""

    kind: Literal["water_added"]
    step: Annotated[int | None, Field(ge=1)] = None
    water_l: Dimension


class Mixed(_Event):
    """It was mixed or scraped; the step where it is one of the procedure's."""

    kind: Literal["mixed"]
    step: Annotated[int | None, Field(ge=1)] = None


class Admixed(_Event):
    """Admixtures of a step of their own went in."""

    kind: Literal["admixed"]
    step: Annotated[int, Field(ge=1)]


class Rested(_Event):
    """It stood as long as the step asks."""

    kind: Literal["rested"]
    step: Annotated[int, Field(ge=1)]


class Judged(_Event):
    """It was judged; the step where the mix is judged more than once, else its last judgement is meant."""

    kind: Literal["judged"]
    reading: Reading
    step: Annotated[int | None, Field(ge=1)] = None


class Corrected(_Event):
    """Material went in on top to correct it: kg as charged, by name."""

    kind: Literal["corrected"]
    add_kg: Annotated[dict[str, Amount], Field(min_length=1, max_length=10)]


class Placed(_Event):
    """Some or all of it was placed: L of fresh volume."""

    kind: Literal["placed"]
    volume_l: Dimension


class Discarded(_Event):
    """What was left was thrown away, with the reason."""

    kind: Literal["discarded"]
    reason: Annotated[str, Field(min_length=1, max_length=200)]


class Noted(_Event):
    """A remark."""

    kind: Literal["note"]
    text: Annotated[str, Field(min_length=1, max_length=1000)]


class Undone(_Event):
    """Another event is cancelled. An undo is final: the step is done again instead."""

    kind: Literal["undone"]
    cancels: Annotated[UUID, Field(strict=False)]


Event = (
    Charged | WaterAdded | Admixed | Mixed | Rested | Judged | Corrected | Placed | Discarded | Noted | Undone
)

_ADAPTER: TypeAdapter[Event] = TypeAdapter(Annotated[Event, Field(discriminator="kind")])


def parse_event(raw: Any) -> Event:
    """An event from plain JSON values.

    Raises:
        InputError: a field that is wrong, named.
    """
    try:
        return _ADAPTER.validate_python(raw)
    except ValidationError as fault:
        raise from_validation(fault, raw) from None


def event_json(event: Event) -> dict[str, Any]:
    """The event as plain JSON values."""
    return event.model_dump(mode="json", by_alias=True)
