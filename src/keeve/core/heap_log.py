"""What happens to a heap between loads: rain, a delivery, a pan dried, a jar shaken."""

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from keeve.core.events import AnyEvent, Undone, read_event
from keeve.core.heap import Floating, WaterLook, pan_dry_moisture, silt_jar
from keeve.core.rules import Amount, Dimension


class Rained(AnyEvent):
    """It rained on the heap."""

    kind: Literal["rain"]


class Delivered(AnyEvent):
    """A fresh load was tipped."""

    kind: Literal["delivery"]


class PanDried(AnyEvent):
    """A sample was weighed damp and dry in its pan, kg."""

    kind: Literal["pan"]
    wet_kg: Dimension
    dry_kg: Dimension
    pan_kg: Amount = 0.0

    @property
    def moisture_fraction(self) -> float:
        """Its total moisture over oven-dry mass."""
        return pan_dry_moisture(wet_kg=self.wet_kg, dry_kg=self.dry_kg, pan_kg=self.pan_kg).moisture_fraction


class JarShaken(AnyEvent):
    """Sand was shaken in a clear cup of water and left half an hour."""

    kind: Literal["jar"]
    water_look: WaterLook
    floating: Floating

    @property
    def verdict(self) -> str:
        """What the look says."""
        return silt_jar(water_look=self.water_look, floating=self.floating).verdict


HeapEvent = Rained | Delivered | PanDried | JarShaken | Undone

_ADAPTER: TypeAdapter[HeapEvent] = TypeAdapter(Annotated[HeapEvent, Field(discriminator="kind")])


def parse_heap_event(raw: Any) -> HeapEvent:
    """An event of a heap from plain JSON values.

    Raises:
        InputError: a field that is wrong, named; or a pan that is heavier dry than wet.
    """
    event = read_event(_ADAPTER, raw)
    if isinstance(event, PanDried):
        pan_dry_moisture(wet_kg=event.wet_kg, dry_kg=event.dry_kg, pan_kg=event.pan_kg)
    return event
