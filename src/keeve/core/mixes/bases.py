"""How the amounts of a mix come about: by loose volume, by dry mass, by the bag, by a design, or as gypsum plaster."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

BasisName = Literal["volume", "mass", "bag", "design", "gypsum"]


@dataclass(frozen=True)
class Basis:
    """How the amounts of a mix come about. The differences between them are asked here, and nowhere by name.

    Args:
        measure: what its parts are measured by; empty where the mix has no parts to choose.
        asks_for: what a job must give before anything is known: the label of the bag, the design, or nothing.
        has_water: whether the mix itself says how much water it takes.
        is_blended: whether it comes blended, in bags or pails: nothing of it is gauged, dried, stored loose or found
            sandy.
        by_loose_volume: whether the masses follow from loose volumes, and so from loose densities.
        charge_rule: the rule that gives what is charged.
        water_rule: the rule that gives its water.
    """

    measure: str
    asks_for: Literal["label", "design"] | None
    has_water: bool
    is_blended: bool
    by_loose_volume: bool
    charge_rule: str
    water_rule: str


BASES: Mapping[BasisName, Basis] = {
    "volume": Basis("volume", None, True, False, True, "volume-parts", "water-account"),
    "mass": Basis("weight", None, True, False, False, "mass-parts", "water-account"),
    "bag": Basis("", "label", False, True, False, "bagged", "bagged"),
    "design": Basis("", "design", False, False, False, "mass-parts", "water-account"),
    "gypsum": Basis("weight", None, True, False, False, "plaster-charge", "plaster-ratio"),
}
