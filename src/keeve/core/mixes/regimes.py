"""How a load is run: judged, its water in steps until it looks right; or by the clock of its setting, its water fixed.

A timed load is poured in a window; a staged one is built up with, stage by stage, until it is hard.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

RegimeName = Literal["judged", "timed", "staged"]


@dataclass(frozen=True)
class Regime:
    """How a load is run. The differences between kinds of load are asked here, and nowhere by name.

    Args:
        must_have: kinds of step that no procedure of it can be without.
        is_judged: whether it is judged, and then corrected.
        water_in_steps: whether water goes in beside the steps, as it is judged.
        starts_with_water: whether its clock starts at first water; otherwise when powder and water have met.
        in_order: whether each step has to wait for the one before it.
        placed_in: the first and the last stage of the set clock in which it is placed (see ``plaster-clock``); None
            where no set clock runs, but a working life.
        makes_casts: whether what is placed comes out of a mould, and dries before it is used.
    """

    must_have: frozenset[str]
    is_judged: bool
    water_in_steps: bool
    starts_with_water: bool
    in_order: bool
    placed_in: tuple[str, str] | None
    makes_casts: bool


def _by_the_clock(first: str, last: str, *, makes_casts: bool) -> Regime:
    return Regime(
        frozenset({"rest", "mix", "place"}),
        is_judged=False,
        water_in_steps=False,
        starts_with_water=False,
        in_order=True,
        placed_in=(first, last),
        makes_casts=makes_casts,
    )


REGIMES: Mapping[RegimeName, Regime] = {
    "judged": Regime(
        frozenset({"judge", "place"}),
        is_judged=True,
        water_in_steps=True,
        starts_with_water=True,
        in_order=False,
        placed_in=None,
        makes_casts=False,
    ),
    "timed": _by_the_clock("pour", "pour", makes_casts=True),
    "staged": _by_the_clock("stand", "thickening", makes_casts=False),
}
# Those that a set clock runs, and those whose loads become casts.
BY_CLOCK = frozenset(name for name, regime in REGIMES.items() if regime.placed_in)
OF_CASTS = frozenset(name for name, regime in REGIMES.items() if regime.makes_casts)
