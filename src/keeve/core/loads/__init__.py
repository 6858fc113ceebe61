"""A load being mixed: its state, its next step, what may be done, what corrects it."""

from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.fold import fold
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation, situation
from keeve.core.loads.offers import check_allowed, offers

__all__ = [
    "LoadEvent",
    "LoadState",
    "Offer",
    "Situation",
    "check_allowed",
    "fold",
    "offers",
    "parse_event",
    "situation",
]
