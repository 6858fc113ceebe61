"""The kinds of step: what finishes each, which figure that takes, how its time is counted, how it is said and drawn.

A new kind of step is its model in ``mixes/model.py``, a line here and, where none of the pictures fits, a picture.
"""

from collections.abc import Mapping
from typing import Literal, NamedTuple

from keeve.core.planning.plan import StepKind

EventKind = Literal["charged", "water_added", "admixed", "mixed", "rested", "judged", "placed"]
Picture = Literal["charge", "water", "admix", "work", "judge", "place"]


class Kind(NamedTuple):
    """A kind of step.

    Args:
        event: the kind of event that finishes it.
        amount: the figure of that event.
        is_counted: whether its least and its greatest time are counted.
        is_before_reading: whether a reading is worth nothing while it is open.
        done: what one says when it is done.
        picture: the picture of the bench for it.
    """

    event: EventKind
    amount: Literal["mass_kg", "water_l", "volume_l"] | None
    is_counted: bool
    is_before_reading: bool
    done: str
    picture: Picture


KINDS: Mapping[StepKind, Kind] = {
    "charge": Kind(
        "charged", "mass_kg", is_counted=False, is_before_reading=True, done="Added", picture="charge"
    ),
    "water": Kind(
        "water_added", "water_l", is_counted=False, is_before_reading=True, done="Added", picture="water"
    ),
    "admixture": Kind(
        "admixed", None, is_counted=False, is_before_reading=True, done="Added", picture="admix"
    ),
    "mix": Kind("mixed", None, is_counted=True, is_before_reading=True, done="Mixed", picture="work"),
    "scrape": Kind("mixed", None, is_counted=False, is_before_reading=True, done="Scraped", picture="work"),
    "rest": Kind("rested", None, is_counted=True, is_before_reading=True, done="Rested", picture="work"),
    "judge": Kind("judged", None, is_counted=False, is_before_reading=False, done="Judged", picture="judge"),
    "place": Kind(
        "placed",
        "volume_l",
        is_counted=False,
        is_before_reading=False,
        done="Placed all of it",
        picture="place",
    ),
}
