"""Offers of a load now: the bench shows them, and events are checked against them."""

from keeve.core.loads.actions import ACTIONS
from keeve.core.loads.actions.action import Moment, held, is_closed
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.planning.plan import Plan


def offers(plan: Plan, state: LoadState, now: Situation) -> list[Offer]:
    """Everything that may be done with a load, and what may not, with the reason.

    Args:
        plan: its plan.
        state: its state.
        now: where it is in its procedure.
    """
    at = Moment(plan, state, now)
    return [held(offer, now) for action in ACTIONS.values() for offer in action.offers(at)]


def open_offers(plan: Plan, state: LoadState, now: Situation) -> list[Offer]:
    """Those of them that may be done."""
    at = Moment(plan, state, now)
    every = (offer for action in ACTIONS.values() for offer in action.offers(at))
    return [offer for offer in every if offer.is_open and not is_closed(offer, now)]


def check_allowed(plan: Plan, state: LoadState, now: Situation, event: LoadEvent) -> None:
    """Check that an event is one of the offers of its moment, inside its bounds.

    Args:
        plan: the plan of the load.
        state: its state.
        now: where it is in its procedure when the event happened.
        event: the event.

    Raises:
        InputError: it is not; one sentence says what to do instead.
    """
    ACTIONS[event.kind].check(Moment(plan, state, now), event)
