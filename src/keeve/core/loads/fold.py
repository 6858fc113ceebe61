"""The fold: the state that the events of a load come to."""

from collections.abc import Iterable, Sequence

from keeve.core.loads.actions import ACTIONS
from keeve.core.loads.actions.amend import Amended, amended
from keeve.core.loads.event import E, LoadEvent, Undone, in_order, without_undone
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.plan import Load


def fold(load: Load, events: Iterable[LoadEvent]) -> LoadState:
    """The state of a load after these events, in whatever order they arrive; any prefix of them is a valid state.

    Args:
        load: the load as planned: what leaves it is a share of its volume.
        events: its events.
    """
    return fold_ordered(load, in_order(events))


def fold_ordered(load: Load, ordered: Sequence[LoadEvent]) -> LoadState:
    """The same of events that are in order already, each once."""
    still = effective(ordered)
    state = LoadState(applied=tuple(still))
    for event in still:
        state = _apply(load, state, event)
    return state


def fold_on(load: Load, state: LoadState, events: Sequence[LoadEvent]) -> LoadState:
    """The state after the last of these events, from the state after all the others.

    Args:
        load: the load as planned.
        state: the state before the last event.
        events: every event, in order.
    """
    last = events[-1]
    changes = {
        item.cancels if isinstance(item, Undone) else item.amends
        for item in events
        if isinstance(item, Undone | Amended)
    }
    if isinstance(last, Undone | Amended) or last.id in changes:
        return fold_ordered(load, events)
    return _apply(load, state._replace(applied=(*state.applied, last)), last)


def effective(ordered: Iterable[E]) -> list[E]:
    """The events that count, of events in order: without what was undone, each as it was put right."""
    still = without_undone(ordered)
    by_event = {event.amends: event for event in still if isinstance(event, Amended)}
    return [amended(event, by_event.get(event.id)) for event in still] if by_event else still


def _apply(load: Load, state: LoadState, event: LoadEvent) -> LoadState:
    """The state after one more event."""
    return ACTIONS[event.kind].apply(load, state, event)
