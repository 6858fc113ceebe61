"""The needs of a day as a list: what of it is there, and who brings what."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from itertools import groupby
from typing import Literal, NamedTuple, get_args
from uuid import uuid4

from sqlalchemy import Engine, bindparam, select

from keeve.core.day_plan.day_needs import Group, Need, needs_of
from keeve.core.errors import InputError
from keeve.data import crews, days
from keeve.data.accounts import Visitor
from keeve.devices.weather import Weather
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

Said = Literal["there", "open", "who"]
_LONGEST = 120


class NeedLine(NamedTuple):
    """A line of the list, whether it is there, and who brings it (empty: nobody said)."""

    need: Need
    is_there: bool
    who: str


@dataclass(frozen=True)
class DayList:
    """The list of a day by group, how many of its lines are there, and the people who may bring something."""

    day: date
    midnight: datetime
    groups: Sequence[tuple[Group, Sequence[NeedLine]]]
    there: int
    lines: int
    people: Sequence[str]


_TICKS = (
    select(models.DayTick.item, models.DayTick.kind, models.DayTick.who)
    .where(models.DayTick.day == bindparam("day"))
    .order_by(models.DayTick.made_at)
)


def day_list(engine: Engine, visitor: Visitor, weather: Weather, day: date, now: datetime) -> DayList:
    """The list of a day."""
    view = days.day_view(engine, visitor, weather, day, now)
    there: dict[str, bool] = {}
    who: dict[str, str] = {}
    with crew_reading(engine, visitor.crew_id) as session:
        for item, kind, name in session.execute(_TICKS, {"day": day}).all():
            if kind == "who":
                who[item] = name
            else:
                there[item] = kind == "there"
    needs = needs_of([line.job for line in view.lines], view.works, view.outcome)
    lines = [NeedLine(need, there.get(need.key, False), who.get(need.key, "")) for need in needs]
    return DayList(
        day=day,
        midnight=view.midnight,
        groups=[(group, list(each)) for group, each in groupby(lines, key=lambda line: line.need.group)],
        there=sum(line.is_there for line in lines),
        lines=len(lines),
        people=[member.name for member in crews.members(engine, visitor)],
    )


def say(engine: Engine, visitor: Visitor, day: date, item: str, said: str, who: str, now: datetime) -> None:
    """Say that a line is there, is open again, or who brings it.

    Raises:
        InputError: that cannot be said of a line, or nobody in the crew has that name.
    """
    if said not in get_args(Said) or not 0 < len(item) <= _LONGEST:
        raise InputError("no_answer", "Tick it, or say who brings it.", ["said"])
    if said == "who" and who and who not in {member.name for member in crews.members(engine, visitor)}:
        raise InputError("nobody", "Choose someone in the crew.", ["who"])
    with crew_session(engine, visitor.crew_id) as session:
        session.add(
            models.DayTick(
                id=uuid4(), day=day, item=item, kind=said, who=who, made_by=visitor.account_id, made_at=now
            )
        )
