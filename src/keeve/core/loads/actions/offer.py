"""An offer: one way in which an action may be done with a load now, as the event it makes.

It says what of the event is fixed, which figures are to be given and between which bounds, and, where it may not be
done now, why not.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from keeve.core.errors import InputError
from keeve.core.loads.next_step import Act
from keeve.core.tolerances import STICKS_FRACTION


@dataclass(frozen=True)
class Amount:
    """A figure that goes with an offer.

    Args:
        name: its path in the event, such as ``water_l`` or ``charged_kg.sand``.
        default: what it is as long as nothing else is said; None where it must be said.
        least: the least it may be.
        most: the greatest it may be.
        over: code and sentence of the refusal of more.
        slack: how much over the greatest is still that.
        is_needed: whether it must be given.
    """

    name: str
    default: float | None
    least: float
    most: float
    over: tuple[str, str]
    slack: float = 0.0
    is_needed: bool = True

    def offered(self, share: float) -> float | None:
        """A share of what is offered."""
        return None if self.default is None else self.default * share


def volume_left(most_l: float) -> Amount:
    """Fresh mix up to what is left, L."""
    over = ("more_than_left", f"Only {most_l:.3g} L left.")
    return Amount("volume_l", most_l, 0.0, most_l, over, slack=most_l * STICKS_FRACTION)


@dataclass(frozen=True)
class Offer:
    """A way in which an action may be done.

    Args:
        action: the id of the action.
        event: the fixed part of its event.
        target: which step, reading, admixture or source it is of, where there are several.
        amounts: the figures that go with it.
        words: what is to be said besides: a reason, a use, a note, the id of the event to undo.
        part: whether it may be marked as a part: the step then stays open.
        ready_at: before that moment it must be told how many minutes it was.
        still: where the load may be by then so that it may be done all the same: its checks are open, its time is
            over, it is out of the mixer.
        refusal: why it may not be done now; None where it may.
    """

    action: str
    event: Mapping[str, Any]
    target: str = ""
    amounts: tuple[Amount, ...] = ()
    words: tuple[str, ...] = ()
    part: bool = False
    ready_at: datetime | None = None
    still: frozenset[Act] = frozenset()
    refusal: InputError | None = field(default=None, compare=False)

    @property
    def is_open(self) -> bool:
        """Whether it may be done now."""
        return self.refusal is None

    def refused(self, code: str, sentence: str) -> "Offer":
        """The same, which may not be done."""
        return replace(self, refusal=InputError(code, sentence, ["kind"]))

    @property
    def filled(self) -> dict[str, Any]:
        """Its event with every figure as it is offered."""
        event: dict[str, Any] = {**self.event}
        for amount in self.amounts:
            if amount.default is not None and amount.is_needed:
                _put(event, amount.name, amount.default)
        return event

    def as_json(self) -> dict[str, Any]:
        """The offer as plain JSON values."""
        figures = [
            {
                "name": item.name,
                "default": item.default,
                "least": item.least,
                "most": item.most,
                "needed": item.is_needed,
            }
            for item in self.amounts
        ]
        return {
            "action": self.action,
            "target": self.target,
            "event": dict(self.event),
            "amounts": figures,
            "words": list(self.words),
            "part": self.part,
            "ready_at": self.ready_at.isoformat() if self.ready_at else None,
            "why_not": self.refusal.as_json()["error"] if self.refusal else None,
        }


def _put(event: dict[str, Any], path: str, value: float) -> None:
    group, _, name = path.partition(".")
    if name:
        event[group] = {**event.get(group, {}), name: value}
    else:
        event[path] = value
