"""The kinds of step: what finishes each, which figure that takes, how its time is counted, how it is said and drawn.

A new kind of step is its model in ``model.py``, a line here and, where none of the pictures fits, a picture.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

StepKind = Literal["charge", "water", "admixture", "mix", "scrape", "rest", "judge", "place"]
StepAct = Literal["charge", "water", "admix", "mix", "rest", "judge", "place"]
EventKind = Literal["charged", "water_added", "admixed", "mixed", "rested", "judged", "placed"]
Picture = Literal["charge", "water", "admix", "work", "judge", "place"]


@dataclass(frozen=True)
class Kind:
    """A kind of step.

    Args:
        act: what is to be done in it.
        event: the kind of event that finishes it.
        brings: the figure of what goes into the mixer by it; None where nothing is measured in.
        is_counted: whether its least and its greatest time are counted.
        is_before_reading: whether a reading is worth nothing while it is open.
        done: what one says when it is done.
        picture: the picture of the bench for it.
    """

    act: StepAct
    event: EventKind
    brings: Literal["mass_kg", "water_l"] | None
    is_counted: bool
    is_before_reading: bool
    done: str
    picture: Picture


def _adds(
    act: StepAct, event: EventKind, brings: Literal["mass_kg", "water_l"] | None, picture: Picture
) -> Kind:
    return Kind(act, event, brings, is_counted=False, is_before_reading=True, done="Added", picture=picture)


def _works(act: StepAct, event: EventKind, done: str, *, is_counted: bool) -> Kind:
    return Kind(act, event, None, is_counted, is_before_reading=True, done=done, picture="work")


KINDS: Mapping[StepKind, Kind] = {
    "charge": _adds("charge", "charged", "mass_kg", "charge"),
    "water": _adds("water", "water_added", "water_l", "water"),
    "admixture": _adds("admix", "admixed", None, "admix"),
    "mix": _works("mix", "mixed", "Mixed", is_counted=True),
    "scrape": _works("mix", "mixed", "Scraped", is_counted=False),
    "rest": _works("rest", "rested", "Rested", is_counted=True),
    "judge": Kind("judge", "judged", None, False, False, "Judged", "judge"),
    "place": Kind("place", "placed", None, False, False, "All placed", "place"),
}
