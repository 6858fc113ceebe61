"""What is recorded of a load beside its mixing: specimens of it and their tests, checks of what was cast."""

from keeve.core.errors import InputError
from keeve.core.loads.events import AnyEvent, Observed, SpecimenLost, SpecimensMade, SpecimenTested
from keeve.core.loads.load_state import LoadState

# They hang on no act of the bench: they are told when they are known.
RECORD_EVENTS = (SpecimensMade, SpecimenTested, SpecimenLost, Observed)


def check_record(state: LoadState, event: AnyEvent) -> None:
    """Check that a record can be of its load.

    Args:
        state: the state of the load.
        event: one of ``RECORD_EVENTS``.

    Raises:
        InputError: there is nothing yet that it could be of, or no such specimen; one sentence says what to do.
    """
    if state.taken_back:
        raise InputError("load_done", "This load was cancelled. Record it with another.", ["kind"])
    if isinstance(event, SpecimensMade | Observed) and not state.mixings:
        raise InputError("no_mix_yet", "There is no mix yet. Record it once it's mixed.", ["kind"])
    if isinstance(event, SpecimenTested | SpecimenLost):
        made = next((one for one in state.specimens if one.id == event.made), None)
        if made is None or event.number > len(made.due_days):
            raise InputError("no_specimen", "This load has no such specimen. Reload the page.", ["made"])
        if event.occurred_at <= made.occurred_at:
            raise InputError(
                "before_made",
                "A specimen can't be tested before it was made. Check the date.",
                ["occurred_at"],
            )
