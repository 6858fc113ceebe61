"""Events of a stockpile between loads: rain, delivery, cover; and measurements: pan, probe, feel, bulking, jar."""

from collections.abc import Iterable
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field, TypeAdapter

from keeve.core.errors import validated
from keeve.core.loads.event import LoadEvent, Undone
from keeve.core.rules.aggregate_moisture import Floating, WaterLook, pan_dry_moisture, sand_bulking, silt_jar

# Spans that no sample and no jar reaches.
_Sample = Annotated[float, Field(gt=0, le=1000)]
_Height = Annotated[float, Field(gt=0, le=10_000)]


class Rained(LoadEvent):
    """It rained on the stockpile."""

    kind: Literal["rain"]


class Delivered(LoadEvent):
    """A fresh load was tipped."""

    kind: Literal["delivery"]


class PanDried(LoadEvent):
    """A sample was weighed damp and dry in its pan, kg."""

    kind: Literal["pan"]
    wet_kg: _Sample
    dry_kg: _Sample
    pan_kg: Annotated[float, Field(ge=0, le=1000)] = 0.0

    @property
    def moisture_fraction(self) -> float:
        """Its total moisture over oven-dry mass."""
        return pan_dry_moisture(wet_kg=self.wet_kg, dry_kg=self.dry_kg, pan_kg=self.pan_kg).moisture_fraction


class MoistureMeasured(LoadEvent):
    """Its total moisture as a probe or a laboratory says."""

    kind: Literal["moisture"]
    moisture_fraction: Annotated[float, Field(ge=0, lt=0.5)]


Feel = Literal["dry", "damp", "wet", "dripping"]
# Total moisture by the feel of a handful, and its standard deviation. Common practice, no source; an estimate.
FEELS: dict[Feel, float] = {"dry": 0.005, "damp": 0.035, "wet": 0.07, "dripping": 0.11}
FEEL_SD = 0.015
PROBE_SD = 0.006


class Felt(LoadEvent):
    """A handful was felt: dry runs through the fingers, damp holds its shape, wet wets the hand, dripping drips."""

    kind: Literal["felt"]
    feel: Feel

    @property
    def moisture_fraction(self) -> float:
        """About its total moisture over oven-dry mass."""
        return FEELS[self.feel]


class BulkingTested(LoadEvent):
    """A vessel of it as it lies, and the same flooded and settled, mm high."""

    kind: Literal["bulking"]
    damp_height_mm: _Height
    flooded_height_mm: _Height

    @property
    def bulking_fraction(self) -> float:
        """How much more room it takes damp."""
        found: float = sand_bulking(
            damp_height_mm=self.damp_height_mm, flooded_height_mm=self.flooded_height_mm
        ).bulking_fraction
        return found


class Covered(LoadEvent):
    """It was covered, or the cover taken off."""

    kind: Literal["cover"]
    is_on: bool


class JarShaken(LoadEvent):
    """Sand was shaken in a clear cup of water and left half an hour."""

    kind: Literal["jar"]
    water_look: WaterLook
    floating: Floating

    @property
    def verdict(self) -> str:
        """The verdict of the look."""
        return silt_jar(water_look=self.water_look, floating=self.floating).verdict


class PileTold(LoadEvent):
    """Whether the sand of a plan, typed otherwise than the loads before say, is from the same stockpile as theirs."""

    kind: Literal["pile"]
    plan_id: Annotated[UUID, Field(strict=False)]
    is_same: bool


StockpileEvent = (
    Rained
    | Delivered
    | PanDried
    | MoistureMeasured
    | Felt
    | BulkingTested
    | Covered
    | JarShaken
    | PileTold
    | Undone
)


def is_covered(events: Iterable[StockpileEvent]) -> bool:
    """Whether a cover lies on the stockpile after these events, in order."""
    covers = [event for event in events if isinstance(event, Covered)]
    return bool(covers) and covers[-1].is_on


def last_measured(events: Iterable[StockpileEvent]) -> dict[str, float]:
    """The last findings of the stockpile since it was rained on or tipped: its moisture and bulking, as fractions.

    Args:
        events: what happened to it, in order.
    """
    found: dict[str, float] = {}
    for event in events:
        match event:
            case Rained() | Delivered():
                found = {}
            case PanDried() | MoistureMeasured() | Felt():
                found["moisture_fraction"] = event.moisture_fraction
            case BulkingTested():
                found["bulking_fraction"] = event.bulking_fraction
            case _:
                continue
    return found


_ADAPTER: TypeAdapter[StockpileEvent] = TypeAdapter(Annotated[StockpileEvent, Field(discriminator="kind")])


def parse_stockpile_event(raw: Any) -> StockpileEvent:
    """An event of a stockpile from plain JSON values.

    Raises:
        InputError: a field that is wrong, named; or a pan that is heavier dry than wet.
    """
    event = validated(_ADAPTER, raw)
    if isinstance(event, PanDried):
        pan_dry_moisture(wet_kg=event.wet_kg, dry_kg=event.dry_kg, pan_kg=event.pan_kg)
    if isinstance(event, BulkingTested):
        sand_bulking(damp_height_mm=event.damp_height_mm, flooded_height_mm=event.flooded_height_mm)
    return event
