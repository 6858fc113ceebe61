"""How a mixer is cleaned: while it is soft, between loads and at the end. Common practice, no source."""

from collections.abc import Mapping
from typing import NamedTuple

from keeve.core.mixes.mixers import MixerKind


class Cleaning(NamedTuple):
    """The work between loads and after the last one."""

    between: str
    at_the_end: str


_BY_HAND = Cleaning(
    "Scrape it out, corners first. What sticks sets in the next load.",
    "Scrape and brush it out with a little water, and the tools with it.",
)
CLEANING: Mapping[MixerKind, Cleaning] = {
    "tilting-drum": Cleaning(
        "Run it with a little water and tip that into the tub. What stays in the drum counts in the next load.",
        "Run it with stone and water until it's bright. Guard on, latch home, grease, then a thin film of "
        "form-release oil. No diesel: it stains, burns and pollutes.",
    ),
    "forced-action": Cleaning(
        "Scrape blades and corners with the mixer off and locked.",
        "Off and locked: scrape and wash blades, walls and door. Grease, then a thin film of form-release oil.",
    ),
    "paddle": Cleaning(
        "Spin the paddle in a bucket of water, scrape the tub.",
        "Spin the paddle in a bucket of water and scrape the tub, then wash paddle, buckets and tools.",
    ),
    "bowl": Cleaning(
        "Beater out, scrape bowl and beater.",
        "Plug out first. Wash bowl and beater in a bucket of water.",
    ),
    "tray": _BY_HAND,
    "two-buckets": _BY_HAND,
    "barrow": _BY_HAND,
    "bucket": Cleaning(
        "Let leftovers set, flex the bucket until they crack out, wipe it clean. "
        "Old bits make the next load set sooner.",
        "Let it set and flex the bucket clean over the bin. Rinse hands and tools in a slop bucket.",
    ),
}
WASH_OUT = "Wash-out: let it settle in a tub. Solids go in the waste, nothing down the drain."
