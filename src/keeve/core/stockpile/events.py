"""Events of a stockpile between loads: rain, delivery, cover, where it is dug; and measurements: pan, probe, feel,
bulking, jar, and what a laboratory reports.
"""

from collections.abc import Iterable
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field, TypeAdapter

from keeve.core.errors import InputError, validated
from keeve.core.loads.event import LoadEvent, Undone
from keeve.core.rules.aggregate_moisture import Floating, WaterLook, pan_dry_moisture, sand_bulking, silt_jar
from keeve.core.texts import Line

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


Part = Literal["top", "mixed", "bottom"]


class Dug(LoadEvent):
    """From now on it is dug from its drained top, from its wet bottom, or turned over before it is dug."""

    kind: Literal["dug"]
    part: Part


class LabReported(LoadEvent):
    """A laboratory reported on a sample: its number, and figures that stay with the sand from then on.

    Densities are oven-dry, kg/m3: of the grains with their pores, and loose. ``fines_fraction`` is what is washed
    through the finest sieve, by dry weight.
    """

    kind: Literal["report"]
    report_number: Annotated[Line, Field(max_length=40)] = ""
    absorption_fraction: Annotated[float, Field(ge=0, le=0.3)] | None = None
    particle_density_kg_m3: Annotated[float, Field(ge=300, le=5000)] | None = None
    bulk_density_kg_m3: Annotated[float, Field(ge=100, le=4000)] | None = None
    fineness_modulus: Annotated[float, Field(ge=0.5, le=8)] | None = None
    fines_fraction: Annotated[float, Field(ge=0, le=1)] | None = None

    @property
    def figures(self) -> dict[str, float]:
        """The figures it gives, by name."""
        given = self.model_dump(include=set(REPORTED))
        return {name: given[name] for name in REPORTED if given[name] is not None}


# The figures that a report may give, in the order they are asked for.
REPORTED = (
    "absorption_fraction",
    "particle_density_kg_m3",
    "bulk_density_kg_m3",
    "fineness_modulus",
    "fines_fraction",
)
# Fines of a sand for concrete that is not worn by traffic. ASTM C33/C33M, Table 1; from memory.
MOST_FINES = 0.05


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
    | Dug
    | LabReported
    | PileTold
    | Undone
)


def is_covered(events: Iterable[StockpileEvent]) -> bool:
    """Whether a cover lies on the stockpile after these events, in order."""
    covers = [event for event in events if isinstance(event, Covered)]
    return bool(covers) and covers[-1].is_on


def dug_from(events: Iterable[StockpileEvent]) -> Part:
    """The part of the stockpile that is dug after these events, in order."""
    parts = [event.part for event in events if isinstance(event, Dug)]
    return parts[-1] if parts else "mixed"


def last_measured(events: Iterable[StockpileEvent]) -> dict[str, float]:
    """The last findings of the stockpile since it was rained on, tipped or dug elsewhere: its moisture and bulking, as
    fractions.

    Args:
        events: what happened to it, in order.
    """
    found: dict[str, float] = {}
    for event in events:
        match event:
            case Rained() | Delivered() | Dug():
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
        InputError: a field that is wrong, named; a pan that is heavier dry than wet; a report without a figure.
    """
    event = validated(_ADAPTER, raw)
    if isinstance(event, PanDried):
        pan_dry_moisture(wet_kg=event.wet_kg, dry_kg=event.dry_kg, pan_kg=event.pan_kg)
    if isinstance(event, BulkingTested):
        sand_bulking(damp_height_mm=event.damp_height_mm, flooded_height_mm=event.flooded_height_mm)
    if isinstance(event, LabReported) and not event.figures:
        raise InputError("report_empty", "Enter at least one figure from the report.", [REPORTED[0]])
    return event
