"""A load being mixed: its state, its next step, what may be done, what corrects it."""

from keeve.core.loads.allowed_events import check_allowed
from keeve.core.loads.events import Event, parse_event
from keeve.core.loads.load_state import LoadState, fold
from keeve.core.loads.next_step import Situation, situation
from keeve.core.loads.option import Option
from keeve.core.loads.options import options

__all__ = [
    "Event",
    "LoadState",
    "Option",
    "Situation",
    "check_allowed",
    "fold",
    "options",
    "parse_event",
    "situation",
]
