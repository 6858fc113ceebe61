"""A load event in words, for the log and the undo button."""

from collections.abc import Callable, Iterator, Mapping

from keeve.core.loads.actions.accept import Accepted
from keeve.core.loads.actions.add_water import WaterAdded
from keeve.core.loads.actions.admix import Admixed
from keeve.core.loads.actions.amend import Amended
from keeve.core.loads.actions.begin import Begun
from keeve.core.loads.actions.charge import Charged
from keeve.core.loads.actions.clean import Cleaned
from keeve.core.loads.actions.correct import Correcting
from keeve.core.loads.actions.discard import Discarded
from keeve.core.loads.actions.expect import Expected
from keeve.core.loads.actions.give import Given
from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.actions.lose_specimen import SpecimenLost
from keeve.core.loads.actions.lose_water import WaterLost
from keeve.core.loads.actions.make_specimens import SpecimensMade
from keeve.core.loads.actions.measure_flow import FlowMeasured
from keeve.core.loads.actions.mix import Mixed
from keeve.core.loads.actions.note import Noted
from keeve.core.loads.actions.observe import Observed
from keeve.core.loads.actions.place import Placed
from keeve.core.loads.actions.record_result import CameOut
from keeve.core.loads.actions.recount import Recounted
from keeve.core.loads.actions.rest import Rested
from keeve.core.loads.actions.see import Seen
from keeve.core.loads.actions.stop_tracking import TrackingStopped
from keeve.core.loads.actions.store import Stored
from keeve.core.loads.actions.strip import Stripped
from keeve.core.loads.actions.take_back import TakenBack
from keeve.core.loads.actions.take_temperature import TemperatureTaken
from keeve.core.loads.actions.test_fresh import FreshTested
from keeve.core.loads.actions.test_specimen import SpecimenTested
from keeve.core.loads.actions.top_up import Corrected
from keeve.core.loads.actions.trim import Trimmed
from keeve.core.loads.actions.weigh import Weighed
from keeve.core.loads.event import LoadEvent, Result, Undone, WaterSource
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


def event_words(event: LoadEvent, plan: Plan, quantity: Quantity) -> str:
    """An event in words.

    Args:
        event: the event.
        plan: the plan of its load, for the words of its steps.
        quantity: sets a figure in the units of the reader.
    """
    match event:
        case Charged() | Corrected():
            return _of_material(event, quantity)
        case WaterAdded() | WaterLost() | FlowMeasured() | TemperatureTaken():
            return _of_water(event, quantity)
        case Mixed() | Rested() | Admixed() | Judged():
            return _of_work(event, plan)
        case Recounted():
            counted = [*_masses(event.charged_kg, quantity), *_doses(event.doses)]
            return f"Corrected amounts: {', '.join(counted)}"
        case Correcting():
            cause = event.cause.replace("-", " ").capitalize()
            return f"{cause} – {'correcting' if event.add_kg else 'left as is'}"
        case Placed():
            how = " from stored" if event.from_store else " in time (logged later)" if event.in_time else ""
            return f"Placed {quantity(event.volume_l, 'mixed_volume')}{how}"
        case Trimmed():
            return f"Trimmed off {quantity(event.mass_kg, 'mass')}"
        case Weighed():
            return f"Weighed {quantity(event.mass_kg, 'mass')}"
        case Stored():
            return f"Stored {quantity(event.volume_l, 'mixed_volume')}"
        case Given():
            return f"Used elsewhere, {quantity(event.volume_l, 'mixed_volume')}: {event.use}"
        case Expected():
            return _of_expected(event, quantity)
        case FreshTested():
            return _of_fresh(event, quantity)
        case SpecimensMade() | SpecimenTested() | SpecimenLost():
            return _of_specimens(event, quantity)
        case Observed():
            words = check_words(event.check)
            return f"Checked: {words}" if event.holds else f"Checked, failed: {words}"
        case Amended():
            to = f", to {READING_NAMES[event.reading].lower()}" if event.reading else ""
            return f"Corrected{to}: {event.reason}"
        case _:
            return _of_itself(event)


def _of_material(event: Charged | Corrected, quantity: Quantity) -> str:
    if isinstance(event, Corrected):
        return f"Added {', '.join(_masses(event.add_kg, quantity))} to correct it"
    if not event.mass_kg:
        return f"First handful of {event.material}" if event.part else f"No {event.material} added"
    return f"Added {event.material}{', part' if event.part else ''}, {quantity(event.mass_kg, 'mass')}"


def _of_water(event: WaterAdded | WaterLost | FlowMeasured | TemperatureTaken, quantity: Quantity) -> str:
    match event:
        case WaterAdded():
            past = f", over the max: {event.past_ceiling.lower()}" if event.past_ceiling else ""
            return f"{_WATER[event.source]}, {quantity(event.water_l, 'water')}{past}"
        case WaterLost():
            return f"Spilled water, {quantity(event.water_l, 'water')}"
        case FlowMeasured():
            return f"Hose timed, {quantity(event.flow_l_min, 'water')} per minute"
        case TemperatureTaken():
            taken = {"mix": event.mix_c, "water": event.water_c}
            read = [
                f"{what} at {quantity(value, 'temperature')}"
                for what, value in taken.items()
                if value is not None
            ]
            return capitalized(", ".join(read))


def _of_work(event: Mixed | Rested | Admixed | Judged, plan: Plan) -> str:
    match event:
        case Mixed() | Rested():
            done = "Rested" if isinstance(event, Rested) else "Remixed"
            if isinstance(event, Mixed) and event.step:
                done = plan.step(event.step).kind_traits.done
            return f"{done}, {event.minutes:g} min or more (logged later)" if event.minutes else done
        case Admixed():
            more = [f"{words} more" for words in _doses(event.doses)]
            return plan.step(event.step).do if event.step else ", ".join(more)
        case Judged():
            return f"Judged {READING_NAMES[event.reading].lower()}{f', {event.cohesion}' if event.cohesion else ''}"


def _of_expected(event: Expected, quantity: Quantity) -> str:
    start = f"{quantity(event.water.start_l, 'water')} to start with"
    if not event.water.stockpile:
        return f"Same as the last load: {start}"
    return f"Sand at {event.water.free_moisture_fraction * 100:.1f}\u202f% free water: {start}"


def _of_fresh(event: FreshTested, quantity: Quantity) -> str:
    if event.slump_mm is not None:
        return f"Slump {quantity(event.slump_mm, 'size')}"
    if event.flow_mm is not None:
        return f"Flow {quantity(event.flow_mm, 'size')}"
    if event.air_fraction is not None:
        return f"Air {event.air_fraction * 100:.1f}\u202f%"
    return f"Density {quantity(event.density_kg_m3 or 0.0, 'density')}"


def _of_specimens(event: SpecimensMade | SpecimenTested | SpecimenLost, quantity: Quantity) -> str:
    match event:
        case SpecimensMade():
            count = len(event.due_days)
            days = " and ".join(f"{day}" for day in sorted(set(event.due_days)))
            of_size = f"{event.shape}{'s' if count > 1 else ''} of {quantity(event.size_mm, 'size')}"
            return f"Made {count} {of_size}, due at {days} days"
        case SpecimenTested():
            result = (
                quantity(event.load_kn or 0.0, "force")
                if event.mpa is None
                else quantity(event.mpa, "strength")
            )
            return f"Specimen {event.number} broke at {result}"
        case SpecimenLost():
            return f"Specimen {event.number} not tested: {event.reason}"


def _of_itself(event: LoadEvent) -> str:
    """An event that needs no figures."""
    match event:
        case Begun():
            return "Started"
        case Accepted():
            faults = ", ".join(event.faults).replace("-", " ")
            return f"Checked; mixing anyway: {faults}" if faults else "Checked"
        case Seen():
            return f"Seen: {SIGHT_NAMES[event.sight].lower()}"
        case Stripped():
            return "Out of the mould"
        case TrackingStopped():
            return f"Stopped tracking: {event.reason.lower()}" if event.reason else "Dry, ready to use"
        case Cleaned():
            return "Mixer cleaned"
        case Discarded():
            return f"Thrown away: {event.reason.lower()}"
        case CameOut():
            return RESULT_NAMES[event.result]
        case TakenBack():
            return "Cancelled: started by mistake"
        case Noted():
            return f"Note: {event.text}"
        case Undone() if event.reason:
            return f"Crossed out: {event.reason}"
        case _:
            return "Undid the step before"


def _masses(masses_kg: Mapping[str, float], quantity: Quantity) -> Iterator[str]:
    return (f"{name} {quantity(kg, 'mass')}" for name, kg in masses_kg.items())


def _doses(doses: Mapping[str, float]) -> Iterator[str]:
    return (f"{name} {dose:.4g} {'dose' if dose <= 1 else 'doses'}" for name, dose in doses.items())
