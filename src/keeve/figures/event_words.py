"""A load event in words, for the log and the undo button."""

from collections.abc import Callable, Iterator, Mapping

from keeve.core.loads import events as told
from keeve.core.loads.events import Result, WaterSource
from keeve.core.log.cast_checks import check_words
from keeve.core.mixes.model import READING_NAMES
from keeve.core.planning.plan import Plan
from keeve.core.rules.gypsum_time import Sight
from keeve.core.texts import capitalized
from keeve.core.units import Kind

# A kept figure with its unit, in the units of the reader.
Quantity = Callable[[float, Kind], str]
_WATER: Mapping[WaterSource, str] = {
    "tap": "Added water",
    "hose": "Hose water",
    "drum": "Rinse water left in the mixer",
    "drips": "Put spilled water back",
    "ice": "Added ice",
}
# What is seen of setting plaster, as one says it.
SIGHT_NAMES: Mapping[Sight, str] = {
    "gloss-going": "Gloss going",
    "trail-closing": "Trail closes slowly",
    "trail-stays": "Trail stays open",
    "like-butter": "Like soft butter",
    "like-cheese": "Cuts like cheese",
    "thumb-firm": "Thumb leaves no mark",
    "warmest": "At its hottest",
}
# How a load came out, as one says it.
RESULT_NAMES: Mapping[Result, str] = {"good": "Good", "usable": "Usable", "poor": "Poor"}


def event_words(event: told.Event, plan: Plan, quantity: Quantity) -> str:
    """An event in words.

    Args:
        event: the event.
        plan: the plan of its load, for the words of its steps.
        quantity: sets a figure in the units of the reader.
    """
    match event:
        case told.Charged() | told.Corrected():
            return _of_material(event, quantity)
        case told.WaterAdded() | told.WaterLost() | told.FlowMeasured() | told.TemperatureTaken():
            return _of_water(event, quantity)
        case told.Mixed() | told.Rested() | told.Admixed() | told.Judged():
            return _of_work(event, plan)
        case told.Recounted():
            counted = [*_masses(event.charged_kg, quantity), *_doses(event.doses)]
            return f"Corrected amounts: {', '.join(counted)}"
        case told.Correcting():
            cause = event.cause.replace("-", " ").capitalize()
            return f"{cause} – {'correcting' if event.add_kg else 'left as is'}"
        case told.Placed():
            how = " from stored" if event.from_store else " in time (logged later)" if event.in_time else ""
            return f"Placed {quantity(event.volume_l, 'mixed_volume')}{how}"
        case told.Trimmed():
            return f"Trimmed off {quantity(event.mass_kg, 'mass')}"
        case told.Weighed():
            return f"Weighed {quantity(event.mass_kg, 'mass')}"
        case told.Stored():
            return f"Stored {quantity(event.volume_l, 'mixed_volume')}"
        case told.Given():
            return f"Used elsewhere, {quantity(event.volume_l, 'mixed_volume')}: {event.use}"
        case told.Expected():
            return _of_expected(event, quantity)
        case told.FreshTested():
            return _of_fresh(event, quantity)
        case told.SpecimensMade() | told.SpecimenTested() | told.SpecimenLost():
            return _of_specimens(event, quantity)
        case told.Observed():
            words = check_words(event.check)
            return f"Checked: {words}" if event.holds else f"Checked, failed: {words}"
        case told.PutRight():
            to = f", to {READING_NAMES[event.reading].lower()}" if event.reading else ""
            return f"Corrected{to}: {event.reason}"
        case _:
            return _of_itself(event)


def _of_material(event: told.Charged | told.Corrected, quantity: Quantity) -> str:
    if isinstance(event, told.Corrected):
        return f"Added {', '.join(_masses(event.add_kg, quantity))} to correct it"
    return f"Added {event.material}{', part' if event.part else ''}, {quantity(event.mass_kg, 'mass')}"


def _of_water(
    event: told.WaterAdded | told.WaterLost | told.FlowMeasured | told.TemperatureTaken, quantity: Quantity
) -> str:
    match event:
        case told.WaterAdded():
            past = f", over the max: {event.past_ceiling.lower()}" if event.past_ceiling else ""
            return f"{_WATER[event.source]}, {quantity(event.water_l, 'water')}{past}"
        case told.WaterLost():
            return f"Spilled water, {quantity(event.water_l, 'water')}"
        case told.FlowMeasured():
            return f"Hose timed, {quantity(event.flow_l_min, 'water')} per minute"
        case told.TemperatureTaken():
            taken = {"mix": event.mix_c, "water": event.water_c}
            read = [
                f"{what} at {quantity(value, 'temperature')}"
                for what, value in taken.items()
                if value is not None
            ]
            return capitalized(", ".join(read))


def _of_work(event: told.Mixed | told.Rested | told.Admixed | told.Judged, plan: Plan) -> str:
    match event:
        case told.Mixed() | told.Rested():
            done = "Rested" if isinstance(event, told.Rested) else "Remixed"
            if isinstance(event, told.Mixed) and event.step:
                done = plan.step(event.step).is_a.done
            return f"{done}, {event.minutes:g} min or more (logged later)" if event.minutes else done
        case told.Admixed():
            more = [f"{words} more" for words in _doses(event.doses)]
            return plan.step(event.step).do if event.step else ", ".join(more)
        case told.Judged():
            return f"Judged {READING_NAMES[event.reading].lower()}{f', {event.body}' if event.body else ''}"


def _of_expected(event: told.Expected, quantity: Quantity) -> str:
    start = f"{quantity(event.water.start_l, 'water')} to start with"
    if not event.water.stockpile:
        return f"Same as the last load: {start}"
    return f"Sand at {event.water.free_moisture_fraction * 100:.1f}\u202f% free water: {start}"


def _of_fresh(event: told.FreshTested, quantity: Quantity) -> str:
    if event.slump_mm is not None:
        return f"Slump {quantity(event.slump_mm, 'size')}"
    if event.flow_mm is not None:
        return f"Flow {quantity(event.flow_mm, 'size')}"
    if event.air_fraction is not None:
        return f"Air {event.air_fraction * 100:.1f}\u202f%"
    return f"Density {quantity(event.density_kg_m3 or 0.0, 'density')}"


def _of_specimens(
    event: told.SpecimensMade | told.SpecimenTested | told.SpecimenLost, quantity: Quantity
) -> str:
    match event:
        case told.SpecimensMade():
            count = len(event.due_days)
            days = " and ".join(f"{day}" for day in sorted(set(event.due_days)))
            of_size = f"{event.shape}{'s' if count > 1 else ''} of {quantity(event.size_mm, 'size')}"
            return f"Made {count} {of_size}, due at {days} days"
        case told.SpecimenTested():
            result = (
                quantity(event.load_kn or 0.0, "force")
                if event.mpa is None
                else quantity(event.mpa, "strength")
            )
            return f"Specimen {event.number} broke at {result}"
        case told.SpecimenLost():
            return f"Specimen {event.number} not tested: {event.reason}"


def _of_itself(event: told.Event) -> str:
    """What needs no figures."""
    match event:
        case told.Begun():
            return "Started"
        case told.Accepted():
            faults = ", ".join(event.faults).replace("-", " ")
            return f"Checked; mixing anyway: {faults}" if faults else "Checked"
        case told.Seen():
            return f"Seen: {SIGHT_NAMES[event.sight].lower()}"
        case told.Stripped():
            return "Out of the mould"
        case told.Released():
            return f"Stopped tracking: {event.reason.lower()}" if event.reason else "Dry, ready to use"
        case told.Cleaned():
            return "Mixer cleaned"
        case told.Discarded():
            return f"Thrown away: {event.reason.lower()}"
        case told.CameOut():
            return RESULT_NAMES[event.result]
        case told.TakenBack():
            return "Cancelled: started by mistake"
        case told.Noted():
            return f"Note: {event.text}"
        case told.Undone() if event.reason:
            return f"Crossed out: {event.reason}"
        case _:
            return "Undid the step before"


def _masses(masses_kg: Mapping[str, float], quantity: Quantity) -> Iterator[str]:
    return (f"{name} {quantity(kg, 'mass')}" for name, kg in masses_kg.items())


def _doses(doses: Mapping[str, float]) -> Iterator[str]:
    return (f"{name} {dose:.4g} {'dose' if dose <= 1 else 'doses'}" for name, dose in doses.items())
