"""What may be done to put a load right: an extra dose, a new count, the correction that is shown."""

from collections.abc import Iterator
from typing import Any

from keeve.core.errors import InputError
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.loads.option import Amount, Option
from keeve.core.planning.plan import Plan
from keeve.core.tolerances import WRITTEN_FRACTION

# Over that many planned doses a load is overdosed, whatever it looks like.
_MOST_DOSES = 2.0
# More than so many times what was planned did not go in: a decimal point is in the wrong place.
MOST_TIMES = 4.0


def nothing_in(state: LoadState) -> InputError | None:
    """Why nothing can be done with what is in it: nothing is."""
    if state.held_kg or state.water:
        return None
    return InputError("nothing_in", "Nothing is in the mixer yet. Load it first.", ["kind"])


def correction_options(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """An extra dose, what really is in it, and the correction that is shown."""
    if not plan.mix.is_run.is_judged:
        return
    for item in now.load.admixtures:
        if item.mass_kg is None:
            continue
        most = max(_MOST_DOSES - state.dose(item.name), 0.0)
        over = ("overdose", f"More than twice the dose of {item.name}. Mix a fresh load instead.")
        amount = Amount(f"doses.{item.name}", min(0.5, most), 0.0, most, over, slack=WRITTEN_FRACTION)
        refusal = None if most > 0 else InputError(*over, [amount.name])
        yield Option("dose", {"kind": "admixed"}, item.name, (amount,), refusal=refusal)
    yield _count(plan, state, now)
    yield from _choices(plan, state, now)


def _count(plan: Plan, state: LoadState, now: Situation) -> Option:
    heavy = ("more_than_fits", "That's over four times what the load takes. Check the amount.")
    many = ("overdose", "More than ten doses. Mix a fresh load instead.")
    refusal = None
    if state.gone_l:
        refusal = InputError(
            "placed_already",
            "Some of it is already placed, so amounts can't be corrected.",
            ["kind"],
        )
    elif not state.held_kg:
        refusal = nothing_in(state)
    return Option(
        "recount",
        {"kind": "recounted"},
        amounts=(
            *(
                Amount(
                    f"charged_kg.{one.material}", None, 0.0, one.mass_kg * MOST_TIMES, heavy, is_needed=False
                )
                for one in now.load.charges
            ),
            *(
                Amount(f"doses.{item.name}", None, 0.0, 10.0, many, is_needed=False)
                for item in now.load.admixtures
            ),
        ),
        refusal=refusal,
    )


def _choices(plan: Plan, state: LoadState, now: Situation) -> Iterator[Option]:
    """The correction that is shown: taking it up, leaving it, and putting in its materials one by one."""
    shown = now.correction
    none = InputError(
        "not_too_wet", "Nothing to correct. Judge it too wet first, then add what is shown.", ["kind"]
    )
    leaves = shown and shown.cause in ("miscounted", "overdosed")
    event: dict[str, Any] = {"kind": "correcting", "cause": shown.cause if shown else "", "add_kg": {}}
    exact = [_exactly(f"add_kg.{name}", kg) for name, kg in shown.add_kg.items()] if shown else []
    with_water = _exactly("water_l", shown.water_l if shown else 0.0)
    yield Option("correct", event, amounts=(*exact, with_water), refusal=None if exact else none)
    yield Option("leave_wrong", event, amounts=(_exactly("water_l", 0.0),), refusal=None if leaves else none)
    asked = state.owed.add_kg if state.owed else shown.add_kg if shown else {}
    more = ("other_amount", "add_kg is more than the correction needs. Add what is shown.")
    yield Option(
        "top_up",
        {"kind": "corrected"},
        amounts=tuple(
            Amount(f"add_kg.{name}", kg, 0.0, kg, more, slack=kg * WRITTEN_FRACTION, is_needed=False)
            for name, kg in asked.items()
        ),
        refusal=None if asked else none,
    )


OTHER_CORRECTION = "That isn't the correction shown. Reload the page."


def _exactly(name: str, value: float) -> Amount:
    """A figure that is shown and taken as it is, but for how a number is written."""
    over = ("other_amount", OTHER_CORRECTION)
    return Amount(name, value, value, value, over, slack=WRITTEN_FRACTION * max(value, 1.0))
