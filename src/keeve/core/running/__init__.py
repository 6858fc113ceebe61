"""A load being mixed: its state, its next step, what is allowed, what corrects it."""

from keeve.core.running.allowed_events import check_allowed
from keeve.core.running.events import Event, parse_event
from keeve.core.running.load_state import LoadState, fold
from keeve.core.running.next_step import Situation, situation

__all__ = ["Event", "LoadState", "Situation", "check_allowed", "fold", "parse_event", "situation"]
