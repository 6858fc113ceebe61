"""The events of a running load, in the form in which they are sent, stored and exported."""

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Any, Literal, TypeVar
from uuid import UUID

from pydantic import AwareDatetime, ConfigDict, Field, TypeAdapter

from keeve.core.errors import validated
from keeve.core.mixes.model import Reading
from keeve.core.rules import Amount, Dimension, Strict


class AnyEvent(Strict):
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


class Begun(AnyEvent):
    """The load was begun; by name, what is to be looked at before anything goes in (see ``acceptance``)."""

    kind: Literal["begun"]
    checks: list[str]


class ExpectedWater(Strict):
    """What a heap is expected to leave for the tap, L (see ``carry_over``).

    ``heap`` is the material it lies of; ``start_l`` what is offered, ``about_l`` what it will come to, eight times in
    ten between ``low_l`` and ``high_l``; ``weighed`` whether a pan was dried since the heap last changed; ``why`` all
    of it in a few sentences.
    """

    heap: str
    start_l: Amount
    about_l: Amount
    low_l: Amount
    high_l: Amount
    last_total_l: Amount | None
    free_moisture_fraction: float
    sd_fraction: Amount
    weighed: bool
    why: str


class Expected(AnyEvent):
    """The heap of the load was looked ahead of: when it was begun, and again when something happened to it."""

    kind: Literal["expected"]
    water: ExpectedWater


class Accepted(AnyEvent):
    """The materials were looked at; ``faults`` are the checks that did not hold, in spite of which it was begun."""

    kind: Literal["accepted"]
    faults: Annotated[list[str], Field(max_length=20)] = []


class Charged(AnyEvent):
    """A material went in: step of the procedure, kg as charged."""

    kind: Literal["charged"]
    step: Annotated[int, Field(ge=1)]
    material: str
    mass_kg: Amount


class WaterAdded(AnyEvent):
    """Litres went in; the step where it is one of the procedure's."""

    kind: Literal["water_added"]
    step: Annotated[int | None, Field(ge=1)] = None
    water_l: Dimension


class Mixed(AnyEvent):
    """It was mixed or scraped; the step where it is one of the procedure's."""

    kind: Literal["mixed"]
    step: Annotated[int | None, Field(ge=1)] = None


class Admixed(AnyEvent):
    """Admixtures of a step of their own went in."""

    kind: Literal["admixed"]
    step: Annotated[int, Field(ge=1)]


class Rested(AnyEvent):
    """It stood as long as the step asks."""

    kind: Literal["rested"]
    step: Annotated[int, Field(ge=1)]


class Judged(AnyEvent):
    """It was judged; the step where the mix is judged more than once, else its last judgement is meant."""

    kind: Literal["judged"]
    reading: Reading
    step: Annotated[int | None, Field(ge=1)] = None


class Corrected(AnyEvent):
    """Material went in on top to correct it: kg as charged, by name."""

    kind: Literal["corrected"]
    add_kg: Annotated[dict[str, Amount], Field(min_length=1, max_length=10)]


class Placed(AnyEvent):
    """Some or all of it was placed: L of fresh volume."""

    kind: Literal["placed"]
    volume_l: Dimension


class Discarded(AnyEvent):
    """What was left was thrown away, with the reason."""

    kind: Literal["discarded"]
    reason: Annotated[str, Field(min_length=1, max_length=200)]


class Noted(AnyEvent):
    """A remark."""

    kind: Literal["note"]
    text: Annotated[str, Field(min_length=1, max_length=1000)]


class Undone(AnyEvent):
    """Another event is cancelled. An undo is final: the step is done again instead."""

    kind: Literal["undone"]
    cancels: Annotated[UUID, Field(strict=False)]


Event = (
    Begun
    | Expected
    | Accepted
    | Charged
    | WaterAdded
    | Admixed
    | Mixed
    | Rested
    | Judged
    | Corrected
    | Placed
    | Discarded
    | Noted
    | Undone
)
# What the server writes down by itself: nobody sends it, and there is nothing to undo.
OWN_EVENTS = (Begun, Expected)

_ADAPTER: TypeAdapter[Event] = TypeAdapter(Annotated[Event, Field(discriminator="kind")])
E = TypeVar("E", bound=AnyEvent)


def parse_event(raw: Any) -> Event:
    """An event from plain JSON values.

    Raises:
        InputError: a field that is wrong, named.
    """
    return validated(_ADAPTER, raw)


def event_json(event: AnyEvent) -> dict[str, Any]:
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


def standing(events: Iterable[E]) -> list[E]:
    """What still stands, in order: an undo cancels the event it names wherever that is."""
    ordered = in_order(events)
    cancelled = {event.cancels for event in ordered if isinstance(event, Undone)}
    return [event for event in ordered if event.id not in cancelled and not isinstance(event, Undone)]
