"""How a load is run: judged, its water in steps until it looks right; or timed, by a set clock, its water fixed."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

RegimeName = Literal["judged", "timed"]


@dataclass(frozen=True)
class Regime:
    """How a load is run. What differs between kinds of load is asked here, and nowhere by its name.

    Args:
        must_have: kinds of step that no procedure of it can be without.
        is_judged: whether it is judged, and then corrected.
        water_in_steps: whether water goes in beside the steps, as it is judged.
        starts_with_water: whether its clock starts at first water; otherwise when powder and water have met.
    """

    must_have: frozenset[str]
    is_judged: bool
    water_in_steps: bool
    starts_with_water: bool


REGIMES: Mapping[RegimeName, Regime] = {
    "judged": Regime(
        frozenset({"judge", "place"}), is_judged=True, water_in_steps=True, starts_with_water=True
    ),
    "timed": Regime(frozenset({"place"}), is_judged=False, water_in_steps=False, starts_with_water=False),
}
