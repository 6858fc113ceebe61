"""Water in a batch: what is in it, how much more, and when to stop."""

from math import fsum
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    MASS_BALANCE,
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Result,
    Signed,
    rule,
)
from keeve.core.tolerances import LEAST_POUR_L, ROUNDING, whole_up

WaterState = Literal["empty", "below", "in_range", "at_ceiling", "over"]


class WaterWindow(Result):
    """The water in its window, all in litres."""

    total_l: float
    remaining_l: float
    next_step_l: float
    state: WaterState


@rule(
    "water-window",
    formula=(
        "next = start; judged too dry: dryness · (ceiling − first) / 3; else below target (target − in) / 2; "
        "above it (ceiling − in) / 2; at least 0.1 L, of a small load a twentieth of the ceiling"
    ),
    math=(
        r"\text{next} = \begin{cases} \text{start} & \text{if nothing is in} \\ "
        r"\text{dryness} \cdot (\text{ceiling} - \text{first}) / 3 & \text{if judged too dry} \\ "
        r"(\text{target} - \text{in}) / 2 & \text{below target} \\ "
        r"(\text{ceiling} - \text{in}) / 2 & \text{above it} \end{cases}"
    ),
    sources=[PRACTICE],
    example=Example(
        given={"start_l": 8, "min_l": 10, "max_l": 14, "additions_l": [8]},
        gives={"total_l": 8.0, "remaining_l": 6.0, "next_step_l": 2.0, "state": "below"},
        origin="by hand: target 12, half of the 4 L still to it",
    ),
)
def water_window(
    start_l: Amount,
    min_l: Amount,
    max_l: Amount,
    additions_l: Annotated[list[Amount], Field(max_length=1000)],
    target_l: Amount | None = None,
    first_l: Amount | None = None,
    dryness_fraction: Annotated[float | None, Field(ge=0, le=1)] = None,
) -> WaterWindow:
    """The next step of water, never over the max.

    Near the target a little more turns a stiff mix into one that runs, so each step is half of what remains. Once
    it was judged how dry it is, the eye counts and not the expected target: a mix as dry as drawn gets a third of the
    way from its first reading to the ceiling, and so is there in three steps; a drier look, a larger step.

    Args:
        start_l: water added before the first judging, L.
        min_l: lowest allowed, L.
        max_l: highest allowed, L.
        additions_l: what you added so far, the start too, L.
        target_l: where the mix should be right, L. Blank: the middle.
        first_l: water in when first judged too dry, L. Blank: what is in now.
        dryness_fraction: how dry it looked: 0 nearly right, 1 as drawn. Blank before judging.

    Returns:
        total_l in, remaining_l to the ceiling, next_step_l and the state: ``empty``, ``below``,
        ``in_range``, ``at_ceiling`` or ``over``.

    Raises:
        InputError: the window is upside down, or start or target lie outside it.
    """
    if min_l > max_l:
        raise InputError("window_reversed", "min_l is more than max_l. Swap them.", ["min_l", "max_l"])
    target = (min_l + max_l) / 2 if target_l is None else target_l
    if not min_l <= target <= max_l:
        raise InputError("target_outside", "target_l must be between min_l and max_l.", ["target_l"])
    if start_l > max_l:
        raise InputError("start_over", "start_l is more than max_l. Start lower.", ["start_l", "max_l"])
    total = fsum(additions_l)
    remaining = max(max_l - total, 0.0)
    if dryness_fraction is None:
        step = _next_step(total, start_l, target, remaining, least_pour_l(max_l))
    else:
        way_l = max_l - (total if first_l is None else first_l)
        step = _step_by_eye(way_l, dryness_fraction, remaining, least_pour_l(max_l))
    return WaterWindow(
        total_l=total, remaining_l=remaining, next_step_l=step, state=_state(total, min_l, max_l)
    )


# As dry as drawn, so many steps lead to the ceiling. A judgement made here.
_STEPS_TO_CEILING = 3


# The least pour beside a small load, as a share of its ceiling. A judgement made here.
_LEAST_SHARE = 0.05


def least_pour_l(max_l: float) -> float:
    """The least step of water beside a load, L: what can be poured, of a small load less."""
    return min(LEAST_POUR_L, _LEAST_SHARE * max_l)


def _step_by_eye(way: float, dryness: float, remaining: float, least: float) -> float:
    """A step in whole pours; what would be left for less than a pour goes with it."""
    pours = max(whole_up(dryness * way / _STEPS_TO_CEILING / least), 1) if least else 0
    step = pours * least
    return remaining if remaining - step < least else step


def _next_step(total: float, start: float, target: float, remaining: float, least: float) -> float:
    if total == 0 and start > 0:
        return start
    gap = target - total
    step = gap / 2 if gap > ROUNDING else remaining / 2
    return min(max(step, least), remaining)


def _state(total: float, low: float, ceiling: float) -> WaterState:
    if total == 0:
        return "empty"
    if total > ceiling + ROUNDING:
        return "over"
    if total >= ceiling - ROUNDING:
        return "at_ceiling"
    return "in_range" if total >= low - ROUNDING else "below"


class WaterAccount(Result):
    """Free water in kg and its ratio to the binder."""

    total_kg: float
    ratio: float


@rule(
    "water-account",
    formula="ratio = (added + free in the pile + in admixtures) / binder",
    math=r"\text{ratio} = \frac{\text{added} + \text{free in the pile} + \text{in admixtures}}{\text{binder}}",
    sources=[MASS_BALANCE],
    example=Example(
        given={"binder_kg": 20, "added_l": 11, "free_aggregate_water_kg": 3.5, "admixture_water_kg": 0.5},
        gives={"total_kg": 15.0, "ratio": 0.75},
        origin="by hand",
    ),
)
def water_account(
    binder_kg: Dimension,
    added_l: Amount,
    free_aggregate_water_kg: Signed = 0.0,
    admixture_water_kg: Amount = 0.0,
) -> WaterAccount:
    """Total free water in a batch, and its water ratio.

    Args:
        binder_kg: binder, kg.
        added_l: tap water, L.
        free_aggregate_water_kg: in the damp sand, kg. Negative if dry sand soaks it up.
        admixture_water_kg: in the admixtures, kg.

    Returns:
        total_kg and ratio (water over binder by mass).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    total = added_l + free_aggregate_water_kg + admixture_water_kg
    return WaterAccount(total_kg=total, ratio=total / binder_kg)
