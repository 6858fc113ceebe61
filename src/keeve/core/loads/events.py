"""The events of a running load, in the form in which they are sent, stored and exported."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Annotated, Any, Literal, Self, TypeVar
from uuid import UUID

from pydantic import AwareDatetime, ConfigDict, Field, TypeAdapter, model_validator

from keeve.core.errors import validated
from keeve.core.loads.known_before import ExpectedWater, Setting
from keeve.core.mixes.model import Reading
from keeve.core.older_formats import EVENT_STEPS, upgraded
from keeve.core.rules.gypsum_time import Sight
from keeve.core.rules.registry import Strict
from keeve.core.rules.strength_tests import Shape
from keeve.core.rules.temperature import Celsius, LiquidCelsius
from keeve.core.texts import MOST_OF_A_KIND, Few, Line, Lines, Name

LONGEST_NAME = 120
# Spans that no site reaches: what is over them is a slip, and would be carried through every figure.
Kilograms = Annotated[float, Field(ge=0, le=100_000)]
Litres = Annotated[float, Field(gt=0, le=100_000)]
_Flow = Annotated[float, Field(gt=0, le=100_000)]
_Doses = Annotated[float, Field(ge=0, le=100)]
_Step = Annotated[int, Field(ge=1, le=MOST_OF_A_KIND)]


class AnyEvent(Strict):
    """The fields of every event.

    The client makes ``id`` (an event sent twice is stored once), names itself in ``device_id`` and counts its events
    in ``device_seq``. The server sets ``recorded_by`` and ``received_at``.
    """

    model_config = ConfigDict(populate_by_name=True)

    @model_validator(mode="before")
    @classmethod
    def _in_this_version(cls, raw: Any) -> Any:
        return upgraded(raw, "schema", EVENT_STEPS)

    id: Annotated[UUID, Field(strict=False)]
    device_id: Annotated[Line, Field(min_length=1, max_length=64)]
    device_seq: Annotated[int, Field(ge=0, lt=2**53)]
    occurred_at: Annotated[AwareDatetime, Field(strict=False)]
    schema_version: Annotated[Literal[2], Field(alias="schema")]
    recorded_by: Annotated[Line, Field(max_length=LONGEST_NAME)] = ""
    received_at: Annotated[datetime | None, Field(strict=False)] = None


class Begun(AnyEvent):
    """The load was started. ``checks``: ids of the checks to make first (see ``pre_use_checks``).

    ``flow_l_min``: flow of the hose as last measured that day, L/min. ``setting``: what past loads of its plaster say.
    """

    kind: Literal["begun"]
    checks: Few[Name]
    flow_l_min: _Flow | None = None
    setting: Setting | None = None


class Expected(AnyEvent):
    """The expected water of the load: recorded when it is started, and again when its stockpile changes."""

    kind: Literal["expected"]
    water: ExpectedWater


class Accepted(AnyEvent):
    """The checks were made. ``faults``: ids of those that failed and were overridden."""

    kind: Literal["accepted"]
    faults: Annotated[list[Name], Field(max_length=20)] = []


class Charged(AnyEvent):
    """A material went in: kg as charged. ``part``: the step is not finished by it."""

    kind: Literal["charged"]
    step: _Step
    material: Name
    mass_kg: Kilograms
    part: bool = False


# Where water came from: what the rinse left in the drum counts, and so does what dripped out and went back in.
WaterSource = Literal["tap", "hose", "drum", "drips", "ice"]


class WaterAdded(AnyEvent):
    """Water went in, L. ``part``: the step is not finished by it.

    Ice is loose and counts by its weight. ``past_ceiling``: the reason for going past the ceiling.
    """

    kind: Literal["water_added"]
    step: _Step | None = None
    water_l: Litres
    part: bool = False
    source: WaterSource = "tap"
    past_ceiling: Annotated[Line, Field(max_length=200)] = ""


class WaterLost(AnyEvent):
    """Water dripped or ran out, L."""

    kind: Literal["water_lost"]
    water_l: Litres


class FlowMeasured(AnyEvent):
    """The hose filled a vessel of this volume (L) in this time (s)."""

    kind: Literal["flow_measured"]
    vessel_l: Annotated[float, Field(gt=0, le=1000)]
    seconds: Annotated[float, Field(ge=0.5, le=3600)]

    @property
    def flow_l_min(self) -> float:
        """The flow of the hose, L/min."""
        return self.vessel_l / self.seconds * 60


class TemperatureTaken(AnyEvent):
    """The temperature of the mix was measured, that of its water, or both, °C."""

    kind: Literal["temperature"]
    mix_c: Celsius | None = None
    water_c: LiquidCelsius | None = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if self.mix_c is None and self.water_c is None:
            raise ValueError("needs mix_c or water_c: what you measured")
        return self


# How long it was, as told by who did it before the phone was at hand, min; None where the clock counted.
Told = Annotated[float | None, Field(gt=0, le=120)]


class Mixed(AnyEvent):
    """It was mixed or scraped; with the step, where it is a step of the procedure."""

    kind: Literal["mixed"]
    step: _Step | None = None
    minutes: Told = None


class Admixed(AnyEvent):
    """Admixtures went in: those of a step, or else an extra dose, as multiples of the planned dose by name."""

    kind: Literal["admixed"]
    step: _Step | None = None
    doses: Annotated[dict[Name, Annotated[_Doses, Field(gt=0)]], Field(max_length=10)] = {}


class Rested(AnyEvent):
    """It stood for the time of the step."""

    kind: Literal["rested"]
    step: _Step
    minutes: Told = None


# Beside wet and dry: short of binder, or with too much of it.
Body = Literal["sandy", "rich"]


class Judged(AnyEvent):
    """It was judged. Without ``step`` the last judge step is meant.

    ``wetness``: how wet it looked between the drawings, 0 too dry, 0.5 right, 1 too wet.
    """

    kind: Literal["judged"]
    reading: Reading
    step: _Step | None = None
    wetness: Annotated[float | None, Field(ge=0, le=1)] = None
    body: Body | None = None


class Recounted(AnyEvent):
    """The true contents, where they differ from the record.

    ``charged_kg``: kg as charged by material (totals). ``doses``: multiples of the planned dose by admixture.
    """

    kind: Literal["recounted"]
    charged_kg: Annotated[dict[Name, Kilograms], Field(max_length=10)] = {}
    doses: Annotated[dict[Name, _Doses], Field(max_length=10)] = {}


Cause = Literal["too-wet", "miscounted", "overdosed", "sandy", "rich"]


class Correcting(AnyEvent):
    """A correction was chosen: what to add, kg as charged by name, and then water, L."""

    kind: Literal["correcting"]
    cause: Cause
    add_kg: Annotated[dict[Name, Kilograms], Field(max_length=10)]
    water_l: Annotated[float, Field(ge=0, le=100_000)] = 0.0


class Corrected(AnyEvent):
    """Material of a correction went in: kg as charged by name."""

    kind: Literal["corrected"]
    add_kg: Annotated[dict[Name, Kilograms], Field(min_length=1, max_length=10)]


class Placed(AnyEvent):
    """Fresh mix was placed, L, from the mixer or from store.

    ``in_time``: it was placed while it could be, and told after that: hands that pour tap nothing.
    """

    kind: Literal["placed"]
    volume_l: Litres
    from_store: bool = False
    in_time: bool = False


class Seen(AnyEvent):
    """Something was seen of setting plaster: its clock is re-timed by it."""

    kind: Literal["seen"]
    sight: Sight


class Stripped(AnyEvent):
    """The cast came out of its mould, or the mould off its model."""

    kind: Literal["stripped"]


class Trimmed(AnyEvent):
    """Wet plaster was trimmed off the cast, kg."""

    kind: Literal["trimmed"]
    mass_kg: Annotated[float, Field(gt=0, le=100_000)]


class Weighed(AnyEvent):
    """The drying cast was weighed, kg."""

    kind: Literal["weighed"]
    mass_kg: Annotated[float, Field(gt=0, le=100_000)]


class Released(AnyEvent):
    """The cast is dry and may be used; or it is followed no further, for a reason."""

    kind: Literal["released"]
    reason: Annotated[Line, Field(max_length=200)] = ""


class Stored(AnyEvent):
    """Fresh mix was sealed and stored, L."""

    kind: Literal["stored"]
    volume_l: Litres


class Given(AnyEvent):
    """Fresh mix went to another use, L."""

    kind: Literal["given"]
    volume_l: Litres
    use: Annotated[Line, Field(min_length=1, max_length=120)]


class Cleaned(AnyEvent):
    """The mixer was cleaned."""

    kind: Literal["cleaned"]


class Discarded(AnyEvent):
    """The rest was thrown away, with the reason."""

    kind: Literal["discarded"]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]


# How a load came out, once it is used up.
Result = Literal["good", "usable", "poor"]


class CameOut(AnyEvent):
    """How the load came out. The last one counts."""

    kind: Literal["came_out"]
    result: Result


class TakenBack(AnyEvent):
    """The load was begun by mistake, and is as if it had not been."""

    kind: Literal["taken_back"]


class Noted(AnyEvent):
    """A note."""

    kind: Literal["note"]
    text: Annotated[Lines, Field(min_length=1, max_length=1000)]


FRESH_FIGURES = ("slump_mm", "flow_mm", "air_fraction", "density_kg_m3")


class FreshTested(AnyEvent):
    """A test of the fresh mix: slump or flow, mm, air as a fraction of its volume, or density, kg/m3."""

    kind: Literal["fresh_tested"]
    slump_mm: Annotated[float | None, Field(ge=0, le=300)] = None
    flow_mm: Annotated[float | None, Field(ge=100, le=1000)] = None
    air_fraction: Annotated[float | None, Field(ge=0, le=0.5)] = None
    density_kg_m3: Annotated[float | None, Field(ge=200, le=4000)] = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if sum(getattr(self, name) is not None for name in FRESH_FIGURES) != 1:
            raise ValueError(
                "needs one of slump_mm, flow_mm, air_fraction or density_kg_m3: what you measured"
            )
        return self


# A specimen is tested within a year as a rule; a record may be told for longer.
_DueDays = Annotated[int, Field(ge=1, le=3650)]


class SpecimensMade(AnyEvent):
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


class SpecimenTested(AnyEvent):
    """A specimen was tested: the load at which it broke, kN, or its strength, MPa. The last test of it counts.

    ``made``: the event of the set it belongs to. ``number``: its number in it, from 1.
    """

    kind: Literal["specimen_tested"]
    made: Annotated[UUID, Field(strict=False)]
    number: Annotated[int, Field(ge=1, le=40)]
    load_kn: Annotated[float | None, Field(gt=0, le=100_000)] = None
    mpa: Annotated[float | None, Field(gt=0, le=1000)] = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if (self.load_kn is None) == (self.mpa is None):
            raise ValueError("needs load_kn or mpa, one of them")
        return self


class SpecimenLost(AnyEvent):
    """A specimen is lost, damaged or was not tested, for a reason."""

    kind: Literal["specimen_lost"]
    made: Annotated[UUID, Field(strict=False)]
    number: Annotated[int, Field(ge=1, le=40)]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]


class Observed(AnyEvent):
    """A check of what was cast was made: whether it holds. The last one of a check counts."""

    kind: Literal["observed"]
    check: Name
    holds: bool


class Undone(AnyEvent):
    """Another event is cancelled. An undo is final: the step is done again instead. Said later it has a reason."""

    kind: Literal["undone"]
    cancels: Annotated[UUID, Field(strict=False)]
    reason: Annotated[Line, Field(max_length=200)] = ""


class PutRight(AnyEvent):
    """A figure or a reading of another event was written down wrong: what it was, and why it is known.

    The other event counts as if it had said so. The last one counts.
    """

    kind: Literal["put_right"]
    amends: Annotated[UUID, Field(strict=False)]
    reason: Annotated[Line, Field(min_length=1, max_length=200)]
    value: Annotated[float | None, Field(ge=0, le=100_000)] = None
    reading: Reading | None = None

    @model_validator(mode="after")
    def _says_one(self) -> Self:
        if (self.value is None) == (self.reading is None):
            raise ValueError("needs value or reading: what it was")
        return self


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
    | Seen
    | Stripped
    | Trimmed
    | Weighed
    | Released
    | Stored
    | Given
    | Cleaned
    | Discarded
    | CameOut
    | TakenBack
    | Noted
    | FreshTested
    | SpecimensMade
    | SpecimenTested
    | SpecimenLost
    | Observed
    | Undone
    | PutRight
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
    """The events that count, in order: an undo cancels the event it names, whichever comes first."""
    return standing_of(in_order(events))


def standing_of(ordered: Sequence[E]) -> list[E]:
    """Those of them that count, of events that are in order already."""
    cancelled = {event.cancels for event in ordered if isinstance(event, Undone)}
    still = [event for event in ordered if event.id not in cancelled and not isinstance(event, Undone)]
    amended = {event.amends: event for event in still if isinstance(event, PutRight)}
    return [_put_right(event, amended.get(event.id)) for event in still] if amended else still


# Figures of an event that can be put right, the first that it has.
_FIGURES = ("mass_kg", "water_l", "volume_l", "minutes", "mix_c", "water_c", "load_kn", "mpa")


def figure_of(event: AnyEvent) -> str | None:
    """The name of the figure of an event that can be put right; None where it has none."""
    names = (*_FIGURES, *FRESH_FIGURES)
    return next((name for name in names if getattr(event, name, None) is not None), None)


def _put_right(event: E, amended: PutRight | None) -> E:
    if amended is None:
        return event
    if isinstance(event, Judged):
        return event.model_copy(update={"reading": amended.reading or event.reading, "wetness": None})
    name = figure_of(event)
    return event if name is None or amended.value is None else event.model_copy(update={name: amended.value})
