"""Checks that an event is one of the current options and within its limits."""

import math
from collections.abc import Iterable, Iterator, Mapping

from keeve.core.errors import InputError
from keeve.core.loads.correction_options import MOST_TIMES, OTHER_CORRECTION
from keeve.core.loads.events import (
    OWN_EVENTS,
    Admixed,
    CameOut,
    Charged,
    Correcting,
    Event,
    FreshTested,
    Judged,
    Mixed,
    Placed,
    PutRight,
    Released,
    Rested,
    Seen,
    Undone,
    WaterAdded,
    event_json,
    figure_of,
    parse_event,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation, last_judge
from keeve.core.loads.option import Amount, Option, What
from keeve.core.loads.options import (
    NOT_ASKED,
    NOTHING_TO_AMEND,
    NOTHING_TO_UNDO,
    can_be_put_right,
    option_for,
)
from keeve.core.loads.record_events import RECORD_EVENTS, check_record
from keeve.core.mixes.model import reading_at
from keeve.core.planning.plan import Plan
from keeve.core.tolerances import LEAST_POUR_L


def check_allowed(plan: Plan, state: LoadState, now: Situation, event: Event) -> None:
    """Check that an event is one of the options of its moment, inside its bounds.

    Args:
        plan: the plan of the load.
        state: its state.
        now: where it is in its procedure when the event happened.
        event: the event.

    Raises:
        InputError: it is not; one sentence says what to do instead.
    """
    if isinstance(event, OWN_EVENTS):
        raise InputError("own_event", f"kind {event.kind} is recorded by Keeve itself.", ["kind"])
    if isinstance(event, RECORD_EVENTS):
        check_record(state, event)
        return
    _refuse_unplanned(plan, event)
    option = option_for(plan, state, now, *_option_of(plan, event))
    if option is None:
        raise _not_offered(plan, now, event)
    if option.refusal:
        raise option.refusal
    if isinstance(event, PutRight):
        _check_put_right(plan, state, event)
        return
    _check_amounts(option, event)
    _check_told(state, option, event)


def _option_of(plan: Plan, event: Event) -> tuple[What, str]:
    """The option that an event takes up: what it does, and of what."""
    match event:
        case Charged():
            return "charge", str(event.step)
        case WaterAdded():
            return _option_of_water(event)
        case Mixed():
            return ("remix", "") if event.step is None else ("mix", str(event.step))
        case Rested():
            return "rest", str(event.step)
        case Admixed() if event.step is not None:
            return "admix", str(event.step)
        case Admixed():
            return "dose", next(iter(event.doses), "")
        case Judged():
            return "judge", f"{event.step or last_judge(plan)} {event.body or event.reading}"
        case Correcting() if not event.add_kg:
            return "leave_wrong", ""
        case Placed() if event.from_store:
            return "place_stored", ""
        case Placed() if event.in_time:
            return "place_in_time", ""
        case Seen():
            return "see", event.sight
        case CameOut():
            return "tell_result", event.result
        case FreshTested():
            return "fresh_test", figure_of(event) or ""
        case Released() if event.reason:
            return "follow_no_more", ""
        case _:
            return _BY_KIND[event.kind], ""


def _option_of_water(event: WaterAdded) -> tuple[What, str]:
    if event.past_ceiling:
        return "past_ceiling", ""
    if event.step is not None:
        return "water", str(event.step)
    if event.source in ("drum", "drips"):
        return ("rinse" if event.source == "drum" else "put_back"), ""
    return "add_water", event.source


_BY_KIND: Mapping[str, What] = {
    "accepted": "accept",
    "water_lost": "run_out",
    "flow_measured": "measure_flow",
    "temperature": "take_temperature",
    "recounted": "recount",
    "correcting": "correct",
    "corrected": "top_up",
    "placed": "place",
    "stored": "store",
    "given": "give",
    "cleaned": "clean",
    "discarded": "discard",
    "stripped": "strip",
    "trimmed": "trim",
    "weighed": "weigh",
    "released": "release",
    "came_out": "tell_result",
    "note": "note",
    "taken_back": "take_back",
    "undone": "undo",
    "put_right": "put_right",
}


def _not_offered(plan: Plan, now: Situation, event: Event) -> InputError:
    """Why an event is no option at all."""
    match event:
        case Judged() if event.body:
            return InputError(
                "no_body", f"{plan.mix.name} isn't judged sandy or rich. Leave body out.", ["body"]
            )
        case Judged() if plan.mix.is_run.is_judged:
            return InputError(
                "other_reading",
                f"{event.reading} isn't a reading of this test. Choose one it has.",
                ["reading"],
            )
        case Admixed():
            return InputError(
                "no_dose", "doses is empty. Enter how much of which admixture you added.", ["doses"]
            )
        case _:
            return InputError(
                "not_offered",
                f"kind {event.kind} isn't done with {plan.mix.name}. Reload the page.",
                ["kind"],
            )


# As many times over what is left, a figure has its decimal point in the wrong place; under that, all is meant.
_FAR_OVER = 3.0


def _check_amounts(option: Option, event: Event) -> None:
    """Refuse a figure out of its bounds, and one that is not asked for."""
    bounds = {amount.name: amount for amount in option.amounts}
    given = dict(_figures(event))
    for name, value in given.items():
        amount = bounds.get(name)
        if amount is None:
            raise InputError("other_amount", f"{name} isn't needed here. Reload the page.", [name])
        if value > amount.most + amount.slack or value < amount.least - amount.slack:
            raise InputError(*amount.over, [name], meant=_meant(name, value, amount))
    if missing := [amount.name for amount in option.amounts if amount.is_needed and amount.name not in given]:
        raise InputError("other_amount", f"{missing[0]} is missing. Enter it.", missing)
    if option.what == "recount" and not given:
        raise InputError(
            "no_count", "charged_kg is empty. Enter what is really in the mixer.", ["charged_kg"]
        )


_FIGURES = (
    "mass_kg",
    "water_l",
    "volume_l",
    "minutes",
    "vessel_l",
    "seconds",
    "mix_c",
    "water_c",
    "slump_mm",
    "flow_mm",
    "air_fraction",
    "density_kg_m3",
)


def _figures(event: Event) -> Iterator[tuple[str, float]]:
    """The figures of an event by their paths."""
    of = vars(event)
    for name in _FIGURES:
        value = of.get(name)
        if value is not None:
            yield name, value
    for group in ("charged_kg", "add_kg", "doses"):
        for name, value in of.get(group, {}).items():
            yield f"{group}.{name}", value


def _meant(name: str, typed: float, amount: Amount) -> dict[str, float] | None:
    if not name.endswith("_l") or typed < amount.least:
        return None
    likely = typed / 10 if _FAR_OVER * amount.most < typed <= 10 * amount.most else amount.most
    return {name: likely} if likely >= LEAST_POUR_L else None


# So many times a whole load no figure of it is: a decimal point in the wrong place.
_MOST_OF_LOAD = {"mass_kg": MOST_TIMES, "water_l": MOST_TIMES, "volume_l": 1.5}


def _check_put_right(plan: Plan, state: LoadState, event: PutRight) -> None:
    """Refuse what is said of no entry that counts, and what that entry could not have said."""
    amended = next((done for done in state.applied if done.id == event.amends), None)
    if amended is None or not can_be_put_right(amended):
        raise InputError("nothing_to_amend", NOTHING_TO_AMEND, ["amends"])
    if isinstance(amended, Judged):
        step = amended.step or last_judge(plan)
        test = plan.step(step).test if step else None
        if event.reading is None or (test and event.reading not in plan.tests[test].looks):
            raise InputError("other_reading", "That isn't a reading of this test. Choose one.", ["reading"])
        return
    name = figure_of(amended)
    if event.value is None or name is None:
        raise InputError("other_amount", "value is missing. Enter the correct value.", ["value"])
    parse_event({**event_json(amended), name: event.value})
    most = _most_of(plan, amended, name)
    if event.value > most:
        raise InputError(
            "more_than_fits", f"value is over {most:.3g}, too much for a load. Check it.", ["value"]
        )


def _most_of(plan: Plan, amended: Event, name: str) -> float:
    """The most that a figure of a load may be put right to."""
    whole = max(plan.loads, key=lambda load: load.yield_l)
    of_load = {"water_l": whole.water.ceiling_l, "volume_l": whole.yield_l}
    if isinstance(amended, Charged):
        of_load["mass_kg"] = whole.charge(amended.material).mass_kg
    return of_load[name] * _MOST_OF_LOAD[name] if name in of_load else math.inf


def _check_told(state: LoadState, option: Option, event: Event) -> None:
    """Refuse what contradicts itself, or the clock."""
    if option.ready_at and event.occurred_at < option.ready_at and getattr(event, "minutes", None) is None:
        seconds = (option.ready_at - event.occurred_at).total_seconds()
        raise InputError(
            "not_yet", f"Not yet: {_span(seconds)} more. If you did it earlier, enter how long.", ["minutes"]
        )
    if isinstance(event, Correcting) and event.cause != option.event["cause"]:
        raise InputError("other_amount", OTHER_CORRECTION, ["cause"])
    if isinstance(event, Undone) and all(event.cancels != done.id for done in state.applied):
        raise InputError("nothing_to_undo", NOTHING_TO_UNDO, ["cancels"])
    if isinstance(event, Judged) and not _agrees(event):
        raise InputError(
            "other_reading",
            f"wetness {event.wetness:g} isn't {event.reading}. Choose the matching reading.",
            ["wetness"],
        )
    if event.kind == "accepted" and not set(event.faults) <= set(state.to_check):
        raise InputError("not_asked", NOT_ASKED, ["faults"])


def _agrees(event: Judged) -> bool:
    """Whether a reading is the one of the look that was given with it."""
    return event.wetness is None or event.reading in ("not-mixed-yet", reading_at(event.wetness))


def _span(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"


def _refuse_unplanned(plan: Plan, event: Event) -> None:
    """Refuse a step or a material that the plan does not have."""
    number = getattr(event, "step", None)
    if number is not None:
        step = next((item for item in plan.procedure if item.step == number), None)
        if step is None or step.is_a.event != event.kind:
            raise InputError(
                "unknown_step",
                f"step {number} of this plan is another kind of step. Reload the page.",
                ["step"],
            )
        if isinstance(event, Charged) and event.material != step.material:
            raise InputError(
                "wrong_material",
                f"material must be {step.material}. This step adds it.",
                ["material"],
            )
    materials = [material.name for material in plan.materials]
    admixtures = [item.name for item in plan.loads[0].admixtures]
    for group, known in (("add_kg", materials), ("charged_kg", materials), ("doses", admixtures)):
        _refuse_unknown(group, getattr(event, group, {}), known)


def _refuse_unknown(group: str, given: Iterable[str], known: Iterable[str]) -> None:
    if unknown := set(given) - set(known):
        name = min(unknown)
        raise InputError(
            "unknown_material", f"{group} names {name!r}, which is not in this mix.", [f"{group}.{name}"]
        )
