"""A load being mixed: its state, its next step, what may be done, what corrects it."""

from keeve.core.running.allowed_events import check_allowed
from keeve.core.running.events import Event, parse_event
from keeve.core.running.load_state import LoadState, fold
from keeve.core.running.next_step import Situation, situation
from keeve.core.running.option import Option
from keeve.core.running.options import options

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
