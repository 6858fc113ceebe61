"""The events of a running load, in the form in which they are sent, stored and exported."""

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Any, Literal, TypeVar
from uuid import UUID

from pydantic import AwareDatetime, ConfigDict, Field, TypeAdapter

from keeve.core.errors import validated
from keeve.core.mixes.model import Reading
from keeve.core.rules import Amount, Dimension, Strict
from keeve.core.temperature import Celsius, LiquidCelsius


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
    """The load was begun; by name, what is to be looked at before anything goes in (see ``acceptance``).

    ``flow_l_min`` is the hose as it was last measured that day.
    """

    kind: Literal["begun"]
    checks: list[str]
    flow_l_min: Dimension | None = None


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
    """A material went in: step of the procedure, kg as charged; ``part`` where the step is not done with that."""

    kind: Literal["charged"]
    step: Annotated[int, Field(ge=1)]
    material: str
    mass_kg: Amount
    part: bool = False


# Where water came from: what the rinse left in the drum counts, and so does what dripped out and went back in.
WaterSource = Literal["tap", "hose", "drum", "drips", "ice"]


class WaterAdded(AnyEvent):
    """Litres went in; the step where it is one of the procedure's, ``part`` where the step is not done with that.

    Ice is loose and counts by its weight. ``past_ceiling`` is the reason why it may go past the ceiling.
    """

    kind: Literal["water_added"]
    step: Annotated[int | None, Field(ge=1)] = None
    water_l: Dimension
    part: bool = False
    source: WaterSource = "tap"
    past_ceiling: Annotated[str, Field(max_length=200)] = ""


class WaterLost(AnyEvent):
    """Litres dripped or ran out again."""

    kind: Literal["water_lost"]
    water_l: Dimension


class FlowMeasured(AnyEvent):
    """The hose filled a known vessel: L, and in how many seconds."""

    kind: Literal["flow_measured"]
    vessel_l: Dimension
    seconds: Dimension


class TemperatureTaken(AnyEvent):
    """A thermometer stood in the mix: °C, and what the water had where that was taken too."""

    kind: Literal["temperature"]
    mix_c: Celsius
    water_c: LiquidCelsius | None = None


class Mixed(AnyEvent):
    """It was mixed or scraped; the step where it is one of the procedure's."""

    kind: Literal["mixed"]
    step: Annotated[int | None, Field(ge=1)] = None


class Admixed(AnyEvent):
    """Admixtures went in: those of a step of their own, or without one more of some, in planned doses by name."""

    kind: Literal["admixed"]
    step: Annotated[int | None, Field(ge=1)] = None
    doses: Annotated[dict[str, Dimension], Field(max_length=10)] = {}


class Rested(AnyEvent):
    """It stood as long as the step asks."""

    kind: Literal["rested"]
    step: Annotated[int, Field(ge=1)]


# Beside wet and dry: short of binder, or with too much of it.
Body = Literal["sandy", "rich"]


class Judged(AnyEvent):
    """It was judged; the step where the mix is judged more than once, else its last judgement is meant.

    ``wetness`` is what was pointed at between the drawings, from 0 too dry over 0.5 right to 1 too wet.
    """

    kind: Literal["judged"]
    reading: Reading
    step: Annotated[int | None, Field(ge=1)] = None
    wetness: Annotated[float | None, Field(ge=0, le=1)] = None
    body: Body | None = None


class Recounted(AnyEvent):
    """What really is in it, where that differs from what was written down: kg as charged by material, all of it, and
    planned doses by admixture.
    """

    kind: Literal["recounted"]
    charged_kg: Annotated[dict[str, Amount], Field(max_length=10)] = {}
    doses: Annotated[dict[str, Amount], Field(max_length=10)] = {}


Cause = Literal["too-wet", "miscounted", "overdosed", "sandy", "rich"]


class Correcting(AnyEvent):
    """A correction was taken up: what is to go in on top, kg as charged by name, and L of water after it."""

    kind: Literal["correcting"]
    cause: Cause
    add_kg: Annotated[dict[str, Amount], Field(max_length=10)]
    water_l: Amount = 0.0


class Corrected(AnyEvent):
    """Material went in on top to correct it: kg as charged, by name."""

    kind: Literal["corrected"]
    add_kg: Annotated[dict[str, Amount], Field(min_length=1, max_length=10)]


class Placed(AnyEvent):
    """Some or all of it was placed: L of fresh volume, out of the mixer or out of store."""

    kind: Literal["placed"]
    volume_l: Dimension
    from_store: bool = False


class Stored(AnyEvent):
    """Some of it was sealed to be used later: L."""

    kind: Literal["stored"]
    volume_l: Dimension


class Given(AnyEvent):
    """Some of it went to another use than it was mixed for: L, and which."""

    kind: Literal["given"]
    volume_l: Dimension
    use: Annotated[str, Field(min_length=1, max_length=120)]


class Cleaned(AnyEvent):
    """The mixer was washed out."""

    kind: Literal["cleaned"]


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
    | WaterLost
    | FlowMeasured
    | TemperatureTaken
    | Admixed
    | Mixed
    | Rested
    | Judged
    | Recounted
    | Correcting
    | Corrected
    | Placed
    | Stored
    | Given
    | Cleaned
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
