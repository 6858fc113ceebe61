"""Which events are allowed at this moment, and for the others what to do instead."""

from collections.abc import Mapping

from keeve.core.errors import InputError
from keeve.core.mixes.model import reading_at
from keeve.core.planning.plan import Load, Plan
from keeve.core.running.corrections import has_body
from keeve.core.running.events import (
    OWN_EVENTS,
    Accepted,
    Admixed,
    Charged,
    Cleaned,
    Corrected,
    Correcting,
    Discarded,
    Event,
    FlowMeasured,
    Given,
    Judged,
    Mixed,
    Noted,
    Placed,
    Recounted,
    Rested,
    Stored,
    TemperatureTaken,
    Undone,
    WaterAdded,
    WaterLost,
)
from keeve.core.running.load_state import LoadState
from keeve.core.running.next_step import (
    BEFORE_A_READING,
    Situation,
    last_judge,
    situation,
)
from keeve.core.tolerances import DROP_L, LEAST_POUR_L, ROUNDING, STICKS_FRACTION, WRITTEN_FRACTION


def check_allowed(plan: Plan, load: Load, state: LoadState, event: Event) -> None:
    """Check that an event is allowed at its moment.

    Raises:
        InputError: it is not; one sentence says what to do instead.
    """
    if isinstance(event, Noted):
        return
    if isinstance(event, OWN_EVENTS):
        raise InputError("own_event", f"kind {event.kind} is recorded by Keeve itself.", ["kind"])
    if isinstance(event, Undone):
        if all(event.cancels != done.id for done in state.applied):
            raise InputError("nothing_to_undo", "Already undone: nothing to undo.", ["cancels"])
        return
    _refuse_unplanned(plan, load, event)
    now = situation(plan, load, state, event.occurred_at)
    _refuse_when_over(now, event)
    if now.act == "accept" and not isinstance(event, Accepted | Discarded | FlowMeasured):
        raise InputError("not_accepted", "Make the checks first: they come before the first load.", ["kind"])
    match event:
        case Accepted() if now.act != "accept" or not set(event.faults) <= set(state.to_check):
            raise InputError(
                "not_asked", "faults names a check that was not asked: load the page again.", ["faults"]
            )
        case Charged() | Admixed() if event.step in state.steps_done:
            raise InputError("step_done", "That step is done already: undo it first.", ["step"])
        case Admixed():
            _refuse_dose(state, event)
        case Mixed() | Rested() if event.step in (None, now.position):
            _refuse_early(now, event)
        case Judged():
            _refuse_reading(plan, now, event)
        case WaterAdded():
            _refuse_water(plan, state, now, event)
        case WaterLost() if event.water_l > state.water_l + DROP_L:
            raise InputError(
                "more_than_in", f"Only {state.water_l:.1f} L went in: no more can run out.", ["water_l"]
            )
        case TemperatureTaken() if not state.water:
            raise InputError(
                "no_mix_yet", "There is no mix yet: measure its temperature once it is wet.", ["mix_c"]
            )
        case Recounted():
            _refuse_count(state, event)
        case Correcting() | Corrected():
            _refuse_correction(state, now, event)
        case Placed() | Stored() | Given():
            _refuse_leaving(plan, state, now, event)
        case _:
            return


def _refuse_when_over(now: Situation, event: Event) -> None:
    """Refuse what is no longer possible with a load that is empty or dead."""
    leaves_store = now.act == "stored" and (
        isinstance(event, Discarded) or (isinstance(event, Placed) and event.from_store)
    )
    if now.is_over and not (isinstance(event, Cleaned) and now.act == "clean") and not leaves_store:
        raise InputError("load_done", "This load is done: start the next one.", ["kind"])
    if now.act == "dead" and not isinstance(event, Discarded):
        raise InputError(
            "past_life",
            "The working time of this load is over: throw it away. Water cannot bring it back.",
            ["kind"],
        )
    if isinstance(event, Cleaned) and now.act != "clean":
        raise InputError(
            "not_empty", "The mixer is not empty yet: place or throw away what is in it.", ["kind"]
        )


def _refuse_early(now: Situation, event: Mixed | Rested) -> None:
    if now.ready_at and event.occurred_at < now.ready_at:
        seconds = (now.ready_at - event.occurred_at).total_seconds()
        raise InputError("not_yet", f"Not yet: {_span(seconds)} more.", ["occurred_at"])


def _span(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"


def _refuse_reading(plan: Plan, now: Situation, event: Judged) -> None:
    if now.act in BEFORE_A_READING:
        raise InputError("not_yet", "Too early to judge: mix it first.", ["reading"])
    if now.act == "place":
        raise InputError("judged_right", "It was judged right: undo that to judge it again.", ["reading"])
    if (event.step or last_judge(plan)) != now.position:
        raise InputError(
            "other_step", f"step must be {now.position}: that is the step to judge now.", ["step"]
        )
    if event.wetness is not None and event.reading not in ("not-mixed-yet", reading_at(event.wetness)):
        raise InputError(
            "other_reading",
            f"wetness {event.wetness:g} is not {event.reading}: give the reading it is.",
            ["wetness"],
        )
    if event.body and not has_body(plan):
        raise InputError("no_body", f"{plan.mix.name} is not judged sandy or rich: leave body out.", ["body"])


# So much of the ceiling goes over it at a time, with a reason: small enough to be seen before it runs.
_PAST_STEP = 0.05


def _refuse_water(plan: Plan, state: LoadState, now: Situation, event: WaterAdded) -> None:
    if event.source == "drips" and event.water_l > state.dripped_l + DROP_L:
        raise InputError(
            "more_than_dripped",
            f"Only {state.dripped_l:.1f} L ran out: no more can be put back.",
            ["water_l"],
        )
    if not now.takes_water:
        raise InputError("retempering", f"No more water. {plan.mix.retempering_why}", ["water_l"])
    if now.act == "correct":
        raise InputError("too_wet", "No water now: correct it first, as shown.", ["water_l"])
    most_l = now.water.remaining_l
    if event.past_ceiling:
        if now.act != "ceiling":
            raise InputError(
                "not_at_ceiling",
                "Go up to the max first and judge it there.",
                ["past_ceiling"],
            )
        most_l = most_past_ceiling_l(now)
    if event.water_l > most_l + DROP_L:
        raise InputError(
            "past_ceiling",
            f"Past the max: this load may take {most_l:.1f} L more.",
            ["water_l"],
            meant=_meant("water_l", event.water_l, most_l),
        )


def most_past_ceiling_l(now: Situation) -> float:
    """The most water that may go past the ceiling in one step, with a reason, L."""
    return now.water.remaining_l + _PAST_STEP * now.window.ceiling_l


# As many times over what is left, a figure has its decimal point in the wrong place; under that, all is meant.
_FAR_OVER = 3.0


def _meant(field: str, typed_l: float, most_l: float) -> dict[str, float] | None:
    likely_l = typed_l / 10 if _FAR_OVER * most_l < typed_l <= 10 * most_l else most_l
    return {field: likely_l} if likely_l >= LEAST_POUR_L else None


# Over that many planned doses a load is overdosed, whatever it looks like.
_MOST_DOSES = 2.0


def _refuse_dose(state: LoadState, event: Admixed) -> None:
    if event.step is None and not event.doses:
        raise InputError("no_dose", "doses is empty: say how much of which admixture was added.", ["doses"])
    for name, dose in event.doses.items():
        if state.doses.get(name, 1.0) + dose > _MOST_DOSES + ROUNDING:
            raise InputError(
                "overdose",
                f"More than twice the dose of {name}: mix a fresh load instead.",
                [f"doses.{name}"],
            )


def _refuse_count(state: LoadState, event: Recounted) -> None:
    if state.gone_l:
        raise InputError(
            "placed_already",
            "Some of it is placed already: its amounts can no longer be corrected.",
            ["kind"],
        )
    if not event.charged_kg and not event.doses:
        raise InputError("no_count", "charged_kg is empty: say what really is in it.", ["charged_kg"])


def _refuse_correction(state: LoadState, now: Situation, event: Correcting | Corrected) -> None:
    """Refuse anything but the correction that is shown, or one of its materials after the other."""
    if isinstance(event, Corrected) and state.owed:
        asked = state.owed.add_kg
        if all(kg <= asked.get(name, 0.0) * (1 + WRITTEN_FRACTION) for name, kg in event.add_kg.items()):
            return
        raise InputError(
            "other_amount", "add_kg is more than the correction asks for: add what is shown.", ["add_kg"]
        )
    shown = now.correction
    if now.act != "correct" or shown is None:
        raise InputError(
            "not_too_wet", "Nothing to correct: judge it too wet first, then add what is shown.", ["kind"]
        )
    if isinstance(event, Correcting):
        leaves_it = not event.add_kg and shown.cause in ("miscounted", "overdosed")
        same = event.cause == shown.cause and _are_same(event.add_kg, shown.add_kg)
        if not same and not leaves_it:
            raise InputError(
                "other_amount", "That is not the correction shown: load the page again.", ["add_kg"]
            )


def _are_same(given_kg: Mapping[str, float], shown_kg: Mapping[str, float]) -> bool:
    return set(given_kg) == set(shown_kg) and all(
        abs(given_kg[name] - kg) <= WRITTEN_FRACTION * max(kg, 1.0) for name, kg in shown_kg.items()
    )


def _refuse_leaving(plan: Plan, state: LoadState, now: Situation, event: Placed | Stored | Given) -> None:
    """Refuse to place, store or give away what is not ready for it, or more than there is."""
    most_l = now.remaining_l
    match event:
        case Placed() if event.from_store:
            most_l = state.kept_l
        case Placed() | Stored() if now.act != "place":
            raise InputError("not_judged", "Judge it right before you place it.", ["kind"])
        case Stored() if not plan.mix.keeps:
            raise InputError(
                "does_not_keep",
                f"{plan.mix.name} does not keep: place it, or use it elsewhere.",
                ["kind"],
            )
        case Given() if now.act in BEFORE_A_READING:
            raise InputError("not_mixed", "Mix it first: nobody can use it unmixed.", ["kind"])
    if event.volume_l > most_l * (1 + STICKS_FRACTION):
        raise InputError(
            "more_than_left",
            f"Only {most_l:.1f} L are left.",
            ["volume_l"],
            meant=_meant("volume_l", event.volume_l, most_l),
        )


# The kinds of step that an event may name as the one it did.
_DOES: dict[type[Event], tuple[str, ...]] = {
    Charged: ("charge",),
    WaterAdded: ("water",),
    Mixed: ("mix", "scrape"),
    Admixed: ("admixture",),
    Rested: ("rest",),
    Judged: ("judge",),
}


def _refuse_unplanned(plan: Plan, load: Load, event: Event) -> None:
    """Refuse a step, a material or an admixture that the plan does not have."""
    if isinstance(event, Charged | WaterAdded | Admixed | Mixed | Rested | Judged) and event.step is not None:
        step = next((item for item in plan.procedure if item.step == event.step), None)
        if step is None or step.kind not in _DOES[type(event)]:
            raise InputError(
                "unknown_step",
                f"step {event.step} of this plan is another kind of step: load the page again.",
                ["step"],
            )
        if isinstance(event, Charged) and event.material != step.material:
            raise InputError(
                "wrong_material",
                f"material must be {step.material}: this step adds that.",
                ["material"],
            )
    if isinstance(event, Corrected | Correcting):
        _refuse_unknown("add_kg", event.add_kg, {material.name for material in plan.materials})
    if isinstance(event, Recounted):
        _refuse_unknown("charged_kg", event.charged_kg, {material.name for material in plan.materials})
    if isinstance(event, Recounted | Admixed):
        _refuse_unknown("doses", event.doses, {item.name for item in load.admixtures})


def _refuse_unknown(field: str, given: Mapping[str, float], known: set[str]) -> None:
    if unknown := set(given) - known:
        name = min(unknown)
        raise InputError(
            "unknown_material", f"{field} names {name!r}, which is not in this mix.", [f"{field}.{name}"]
        )
