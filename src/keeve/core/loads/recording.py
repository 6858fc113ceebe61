"""Recording what happens to a load: the same on the server and on a device that is without signal."""

from collections.abc import Iterable, Mapping
from collections.abc import Set as AbstractSet
from datetime import datetime, timedelta
from typing import Any
from uuid import uuid4

from keeve.core.errors import InputError
from keeve.core.loads.actions import parse_event
from keeve.core.loads.actions.add_water import WaterAdded
from keeve.core.loads.actions.admix import Admixed
from keeve.core.loads.actions.begin import Begun
from keeve.core.loads.actions.expect import Expected
from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.actions.top_up import Corrected
from keeve.core.loads.event import LONGEST_NAME, LoadEvent, Undone
from keeve.core.loads.offers import check_allowed
from keeve.core.loads.pre_start import ExpectedWater, SettingHistory
from keeve.core.loads.pre_use_checks import checks_for
from keeve.core.loads.running_load import RunningLoad
from keeve.core.planning.plan import Plan
from keeve.core.texts import written

# A phone's clock may run a little ahead; further, and the clock of working life would lie.
_CLOCK_AHEAD = timedelta(minutes=2)
# The materials are looked at again where no load of the plan was begun for so long.
WORKING_DAY = timedelta(hours=12)
# Nobody tells at a bench of what was longer before. A judgement made here.
_LONGEST_BEFORE = timedelta(hours=12)


def read_sent(raw: Any, name: str, now: datetime) -> LoadEvent:
    """An event as it came in, with who sent it and when.

    Args:
        raw: the event as plain values.
        name: who sent it.
        now: when it came in.

    Raises:
        InputError: it is malformed, or of a clock that runs ahead.
    """
    event = parse_event(received(raw, name, now))
    check_not_in_future(event, now)
    return event


def received(raw: Any, name: str, now: datetime) -> Any:
    """An event as it came in, with who sent it and when: checked with the rest, as it will be read."""
    if not isinstance(raw, Mapping):
        return raw
    return {**raw, "recorded_by": written(name, LONGEST_NAME), "received_at": now.isoformat()}


def check_not_in_future(event: LoadEvent, now: datetime) -> None:
    """Refuse an event of a clock that runs ahead."""
    if event.occurred_at > now + _CLOCK_AHEAD:
        minutes = (event.occurred_at - now).total_seconds() / 60
        raise InputError(
            "clock_ahead",
            f"occurred_at is {minutes:.0f} min in the future. Set this device's clock, then tap again.",
            ["occurred_at"],
        )


def is_known(running: RunningLoad, event: LoadEvent) -> bool:
    """Whether a load has that event already."""
    return any(event.id == known.id for known in running.events)


def recorded(running: RunningLoad, event: LoadEvent) -> RunningLoad:
    """A load with one more event.

    Raises:
        InputError: the event does not count at its moment, or is of long before the load.
    """
    check_allowed(running.plan, running.state, running.situation(event.occurred_at), event)
    # A little before, the bench was opened late.
    if event.occurred_at < running.begun_at - _LONGEST_BEFORE:
        raise InputError(
            "before_load", "occurred_at is long before this load. Check the time.", ["occurred_at"]
        )
    return running.with_event(event)


def check_told_once(running: RunningLoad, event: LoadEvent) -> None:
    """Refuse what goes in by a judgement where another device told of the same since then, too far apart to know of it.

    It may have been one bucket: whoever told it last is asked.

    Raises:
        InputError: another device told of it.
    """
    if not (goes_in := _by_judgement(event)):
        return
    undone = {other.cancels for other in running.events if isinstance(other, Undone)}
    judged = [
        one.occurred_at
        for one in running.events
        if isinstance(one, Judged) and one.occurred_at < event.occurred_at and one.id not in undone
    ]
    since = max(judged, default=running.begun_at)
    for other in running.events:
        is_theirs = other.device_id != event.device_id and other.occurred_at >= since
        if is_theirs and other.id not in undone and goes_in & _by_judgement(other):
            raise InputError("told_twice", f"{other.recorded_by} logged it too.", ["device_id"])


def _by_judgement(event: LoadEvent) -> AbstractSet[str]:
    """The names of what goes in with an event that is no step of its own."""
    match event:
        case WaterAdded(step=None):
            return {event.source}
        case Corrected():
            return event.add_kg.keys()
        case Admixed():
            return event.doses.keys()
    return frozenset()


def own_event(name: str, number: int, now: datetime) -> dict[str, Any]:
    """The fields of an event that is recorded by itself, as the load's event of that number."""
    return {
        "id": uuid4(),
        "device_id": "keeve",
        "device_seq": number,
        "occurred_at": now,
        "schema": 1,
        "recorded_by": written(name, LONGEST_NAME),
        "received_at": now,
    }


def expecting(water: ExpectedWater, name: str, number: int, now: datetime) -> Expected:
    """The event that a load is expected to need so much water, as the load's event of that number."""
    return Expected(kind="expected", water=water, **own_event(name, number, now))


def is_first_of_the_day(begun_before: Iterable[datetime], now: datetime) -> bool:
    """Whether a load is the first of its plan for a working day, by when the others were begun."""
    return all(at < now - WORKING_DAY for at in begun_before)


def begun(
    plan: Plan,
    name: str,
    now: datetime,
    *,
    is_first: bool,
    flow_l_min: float | None = None,
    setting: SettingHistory | None = None,
) -> Begun:
    """The event with which a load starts.

    Args:
        plan: its plan.
        name: who starts it.
        now: when.
        is_first: whether the materials are checked first: none of the plan's was started lately.
        flow_l_min: flow of the hose as last measured that day, L/min.
        setting: what past loads of its plaster say.
    """
    return Begun(
        kind="begun",
        checks=[check.id for check in checks_for(plan)] if is_first else [],
        flow_l_min=flow_l_min,
        setting=setting,
        **own_event(name, 0, now),
    )
