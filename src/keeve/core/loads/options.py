"""All actions allowed on a load now: the bench shows them and events are checked against them."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any, get_args

from keeve.core.errors import InputError
from keeve.core.loads.correction_options import MOST_TIMES, correction_options, nothing_in
from keeve.core.loads.corrections import has_body
from keeve.core.loads.events import Event, Judged, Result, figure_of
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.loads.option import Amount, Option, What, volume_left
from keeve.core.loads.setting_options import setting_options
from keeve.core.planning.plan import LoadStep, Plan
from keeve.core.tolerances import DROP_L, LEAST_POUR_L

# So much of the ceiling goes over it at a time, with a reason: small enough to be seen before it runs.
_PAST_STEP = 0.05
# The most that is told of time that was not counted, min.
_MOST_TOLD_MIN = 60.0


def options(plan: Plan, state: LoadState, now: Situation) -> list[Option]:
    """Everything that may be done with a load, and what may not, with the reason.

    Args:
        plan: its plan.
        state: its state.
        now: where it is in its procedure.
    """
    return [_held(option, now) for option in _every(plan, state, now)]


def open_options(plan: Plan, state: LoadState, now: Situation) -> list[Option]:
    """Those of them that may be done."""
    return [option for option in _every(plan, state, now) if option.is_open and not _is_closed(option, now)]


def option_for(plan: Plan, state: LoadState, now: Situation, what: What, of: str) -> Option | None:
    """One of them; None where a load of the plan never has it."""
    found = (item for item in _every(plan, state, now) if (item.what, item.of) == (what, of))
    return next((_held(option, now) for option in found), None)


def _every(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    yield from _steps(plan, state, now)
    yield from _readings(plan, now)
    yield from _water(plan, state, now)
    yield from _measuring(plan, state)
    yield from correction_options(plan, state, now)
    yield from _leaving(plan, state, now)
    yield from setting_options(plan, state, now)
    yield from _always(state, now)


# What may still be done with a load whose checks are open, whose time is over, or that is out of the mixer.
_STILL: Mapping[str, frozenset[What]] = {
    "accept": frozenset({"accept", "discard", "measure_flow", "take_back"}),
    "dead": frozenset({"discard", "place_in_time", "see"}),
    "clean": frozenset({"clean", "see", "tell_result"}),
    "strip": frozenset({"strip", "see", "follow_no_more", "tell_result"}),
    "dry": frozenset({"trim", "weigh", "release", "follow_no_more", "tell_result"}),
    "stored": frozenset({"place_stored", "discard"}),
    "done": frozenset({"tell_result"}),
}
# What is only written down may be at any time.
_WRITTEN: frozenset[What] = frozenset({"note", "undo", "put_right", "fresh_test"})


def _is_closed(option: Option, now: Situation) -> bool:
    """Whether nothing of its kind may be done any more, or yet."""
    if now.act == "taken_back":
        return True
    return option.what not in _WRITTEN and now.act in _STILL and option.what not in _STILL[now.act]


def _held(option: Option, now: Situation) -> Option:
    """The option, refused where it is closed; a cast keeps its own reason."""
    if not _is_closed(option, now) or (option.refusal and now.act in ("strip", "dry")):
        return option
    if now.act == "accept":
        refusal = InputError("not_accepted", "Do the checks first.", ["kind"])
    elif now.act == "dead":
        refusal = InputError(
            "past_life",
            "This load is past its working time. Throw it away. Water can't bring it back.",
            ["kind"],
        )
    else:
        refusal = InputError("load_done", "This load is done. Start the next one.", ["kind"])
    return replace(option, refusal=refusal)


def _steps(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """The steps of the procedure, in any order; and the checks before them."""
    yield Option(
        "accept",
        {"kind": "accepted"},
        refusal=None if now.act == "accept" else InputError("not_asked", NOT_ASKED, ["kind"]),
    )
    still_open = {item.plan.step: item for item in now.to_do}
    for planned in plan.procedure:
        kind, number = planned.is_a, planned.step
        step = still_open.get(number)
        done = _not_now(plan, number, step, now)
        event: dict[str, Any] = {"kind": kind.event, "step": number}
        match planned.kind:
            case "charge":
                event["material"] = planned.material
                yield Option(
                    "charge",
                    event,
                    str(number),
                    _charged(now, planned.material or "", step),
                    part=True,
                    refusal=done,
                )
            case "water":
                refusal = done or _no_water(plan, now)
                yield Option("water", event, str(number), (_poured(now, step),), part=True, refusal=refusal)
            case "admixture":
                yield Option("admix", event, str(number), refusal=done)
            case "mix" | "scrape" | "rest":
                what: What = "rest" if planned.kind == "rest" else "mix"
                ready_at = now.ready_at if number == now.position else None
                yield Option(
                    what, event, str(number), (_told(planned.minutes[0]),), ready_at=ready_at, refusal=done
                )
    if plan.mix.is_run.in_order:
        return
    wet_out_min = max(plan.mix.wet_out_min, 0.5)
    ready_at = now.ready_at if now.act == "mix" else None
    told = _told(wet_out_min)
    yield Option("remix", {"kind": "mixed"}, amounts=(told,), ready_at=ready_at, refusal=nothing_in(state))


def _not_now(plan: Plan, number: int, step: LoadStep | None, now: Situation) -> InputError | None:
    """Why a step may not be done: it is done, or another comes before it where they go in order."""
    if step is None:
        return InputError("step_done", "That step is already done. Undo it first.", ["step"])
    if plan.mix.is_run.in_order and number != now.position:
        current = plan.step(now.position)
        return InputError(
            "out_of_order",
            f"Step {now.position} comes first: {current.do[:1].lower()}{current.do[1:]}. {current.why}",
            ["step"],
        )
    return None


def _charged(now: Situation, material: str, step: LoadStep | None) -> tuple[Amount, ...]:
    most_kg = now.load.charge(material).mass_kg * MOST_TIMES
    default_kg = step.mass_kg if step else None
    over = ("more_than_fits", f"That's over four times the {material} of the load. Check the amount.")
    return (Amount("mass_kg", default_kg, 0.0, most_kg, over),)


def _poured(now: Situation, step: LoadStep | None) -> Amount:
    return replace(_litres(now), default=step.water_l if step else None)


def _litres(now: Situation, most_l: float | None = None) -> Amount:
    """Water up to the ceiling, or up to another bound, L."""
    room_l = now.water.remaining_l if most_l is None else most_l
    over = ("past_ceiling", f"Over the max. This load can take {room_l:.3g} L more water.")
    # Measured by eye: a drop over the ceiling is the ceiling, but no drop after that.
    over_l = max(now.held.added_l - now.window.ceiling_l, 0.0)
    return Amount(
        "water_l", min(now.water.next_step_l, room_l), 0.0, room_l, over, slack=max(DROP_L - over_l, 0.0)
    )


def _told(least_min: float) -> Amount:
    """How long it was, where the clock did not count it."""
    over = ("too_long", f"Enter {_MOST_TOLD_MIN:.0f} min or less.")
    return Amount("minutes", least_min, 0.0, _MOST_TOLD_MIN, over, is_needed=False)


NOTHING_TO_UNDO = "Already undone. Nothing to undo."
NOT_ASKED = "faults names a check that isn't on the list. Reload the page."


NOTHING_TO_AMEND = "This entry has nothing to correct. Undo it, or add a note."


def can_be_put_right(event: Event) -> bool:
    """Whether an event has a figure or a reading that may have been written down wrong."""
    return isinstance(event, Judged) or figure_of(event) is not None


def _readings(plan: Plan, now: Situation) -> Iterator[Option]:
    """The readings of the test that is asked for; or those of every test, with the reason why not."""
    if not plan.mix.is_run.is_judged:
        return
    for judge in (step for step in plan.procedure if step.kind == "judge"):
        refusal = _no_reading(now, judge.step)
        looks = plan.tests[judge.test].looks if judge.test else {}
        bodies = ("sandy", "rich") if has_body(plan) and "too-wet" in looks else ()
        event = {"kind": "judged", "step": judge.step}
        for reading in looks:
            yield Option("judge", {**event, "reading": reading}, f"{judge.step} {reading}", refusal=refusal)
        for body in bodies:
            told = {**event, "reading": "right", "body": body}
            yield Option("judge", told, f"{judge.step} {body}", refusal=refusal)


def _no_reading(now: Situation, step: int) -> InputError | None:
    if now.is_before_reading:
        return InputError("not_yet", "Too early to judge. Mix it first.", ["reading"])
    if now.act == "place":
        return InputError("judged_right", "It was judged right. Undo that to judge it again.", ["reading"])
    if step != now.position:
        return InputError(
            "other_step", f"step must be {now.position}. That is the step to judge now.", ["step"]
        )
    if now.act != "judge":
        return InputError("judged_already", "Already judged. Mix it and judge again, or undo.", ["reading"])
    return None


def _water(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """Water beside the steps, and what ran out of it."""
    no_water = _no_water(plan, now)
    event: dict[str, Any] = {"kind": "water_added"}
    if plan.mix.is_run.water_in_steps:
        poured = _litres(now)
        if state.owed:
            poured = replace(poured, default=min(state.owed.water_l, poured.most))
        for source in ("tap", "hose", "ice"):
            yield Option("add_water", {**event, "source": source}, source, (poured,), refusal=no_water)
        yield Option(
            "rinse",
            {**event, "source": "drum"},
            amounts=(replace(_litres(now), default=None),),
            refusal=no_water,
        )
    dripped_l = state.dripped_l
    back_l = min(dripped_l, now.water.remaining_l)
    over = ("more_than_dripped", f"Only {dripped_l:.3g} L of water spilled. You can't put back more.")
    none_out = None if dripped_l > DROP_L else InputError(*over, ["water_l"])
    yield Option(
        "put_back",
        {**event, "source": "drips"},
        amounts=(Amount("water_l", back_l, 0.0, back_l, over, slack=DROP_L),),
        refusal=none_out or no_water,
    )
    in_l = now.held.added_l
    over = ("more_than_in", f"Only {in_l:.3g} L of water is in, so you can't spill more.")
    yield Option(
        "run_out",
        {"kind": "water_lost"},
        amounts=(Amount("water_l", None, 0.0, in_l, over, slack=DROP_L),),
        refusal=None if in_l > DROP_L else InputError(*over, ["water_l"]),
    )
    if not plan.mix.is_run.water_in_steps:
        return
    past_l = now.water.remaining_l + _PAST_STEP * now.window.ceiling_l
    past = replace(_litres(now, past_l), default=max(past_l / 2, LEAST_POUR_L))
    first = InputError("not_at_ceiling", "Add water up to the max first, then judge it.", ["past_ceiling"])
    yield Option(
        "past_ceiling",
        event,
        amounts=(past,),
        words=("past_ceiling",),
        refusal=no_water or (None if now.act == "ceiling" else first),
    )


def _no_water(plan: Plan, now: Situation) -> InputError | None:
    if now.act == "correct":
        return InputError("too_wet", "No water now. Correct it first, as shown.", ["water_l"])
    if not now.takes_water:
        return InputError("retempering", f"No water now. {plan.mix.retempering_why}", ["water_l"])
    return None


def _measuring(plan: Plan, state: LoadState) -> Iterator[Option]:
    """What is only measured or told."""
    yield Option(
        "measure_flow",
        {"kind": "flow_measured"},
        amounts=(
            Amount("vessel_l", 10.0, 0.0, 1000.0, ("too_large", "No bucket holds over 1000 L.")),
            Amount("seconds", None, 0.5, 3600.0, ("too_long", "Time the hose for half a second to an hour.")),
        ),
    )
    unheard_of = ("too_hot", "Too hot for a mix. Check the reading.")
    by_clock = plan.mix.is_run.placed_in is not None
    no_mix = InputError("no_mix_yet", "There is no mix yet. Measure it once it's wet.", ["kind"])
    yield Option(
        "take_temperature",
        {"kind": "temperature"},
        amounts=(
            *(() if by_clock else (Amount("mix_c", None, 0.0, 100.0, unheard_of),)),
            Amount("water_c", None, 0.0, 100.0, unheard_of, is_needed=by_clock),
        ),
        refusal=None if by_clock or state.water or state.is_mixed else no_mix,
    )
    for name, (least, most, sentence) in _FRESH.items():
        measured = Amount(name, None, least, most, ("too_large", sentence))
        refusal = None if state.mixings else no_mix
        yield Option("fresh_test", {"kind": "fresh_tested"}, name, (measured,), refusal=refusal)


# What tests of the fresh mix can show: the cone is 300 mm high, a flow table 700 mm wide.
_FRESH: Mapping[str, tuple[float, float, str]] = {
    "slump_mm": (0.0, 300.0, "Slump is 300 mm or less, the height of the cone."),
    "flow_mm": (100.0, 1000.0, "A flow is 100 mm to 1000 mm across."),
    "air_fraction": (0.0, 0.5, "Air is half of the mix or less."),
    "density_kg_m3": (200.0, 4000.0, "Fresh mix weighs 200 kg/m3 to 4000 kg/m3."),
}


def _leaving(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """Fresh mix out of the mixer, or out of the store."""
    left = volume_left(now.remaining_l)
    not_right = None
    if now.act != "place":
        not_right = InputError("not_judged", "Judge it right before you place it.", ["kind"])
    yield Option("place", {"kind": "placed"}, amounts=(left,), refusal=not_right)
    keeps_not = InputError(
        "does_not_keep", f"{plan.mix.name} doesn't keep. Place it, or use it elsewhere.", ["kind"]
    )
    yield Option(
        "store",
        {"kind": "stored"},
        amounts=(left,),
        refusal=not_right or (None if plan.mix.keeps else keeps_not),
    )
    unmixed = InputError("not_mixed", "Mix it first.", ["kind"])
    yield Option(
        "give",
        {"kind": "given"},
        # Nobody gives a whole load away by one tap.
        amounts=(replace(left, default=None),),
        words=("use",),
        refusal=unmixed if now.is_before_reading else None,
    )
    empty = InputError("nothing_stored", "None of it is stored.", ["kind"])
    yield Option(
        "place_stored",
        {"kind": "placed", "from_store": True},
        amounts=(volume_left(state.kept_l),),
        refusal=None if state.kept_l > 0 else empty,
    )


def _always(state: LoadState, now: Situation) -> Iterator[Option]:
    """The end of a load, and what is said of it."""
    full = InputError("not_empty", "The mixer isn't empty yet. Place or throw away what is in it.", ["kind"])
    yield Option("clean", {"kind": "cleaned"}, refusal=None if now.act == "clean" else full)
    yield Option("discard", {"kind": "discarded"}, words=("reason",))
    too_soon = InputError("not_empty", "Enter the result once it's used up.", ["kind"])
    for result in get_args(Result):
        event = {"kind": "came_out", "result": result}
        yield Option("tell_result", event, result, refusal=None if now.is_over else too_soon)
    yield Option("note", {"kind": "note"}, words=("text",))
    undone = InputError("nothing_to_undo", NOTHING_TO_UNDO, ["cancels"])
    yield Option("undo", {"kind": "undone"}, words=("cancels",), refusal=None if state.undoable else undone)
    may_be_wrong = any(map(can_be_put_right, state.applied))
    nothing = InputError("nothing_to_amend", NOTHING_TO_AMEND, ["amends"])
    words = ("amends", "reason")
    yield Option("put_right", {"kind": "put_right"}, words=words, refusal=None if may_be_wrong else nothing)
    begun = state.held_kg or state.water
    yield Option(
        "take_back",
        {"kind": "taken_back"},
        refusal=InputError("something_in", "Something is in the mixer. Undo that first.", ["kind"])
        if begun
        else None,
    )
