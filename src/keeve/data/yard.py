"""A crew's own gear: read it, save a thing, remove one. The newest version of a thing counts."""

from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import Engine, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session

from keeve.core.errors import InputError
from keeve.core.planning.yard import YardItem, parse_item
from keeve.data.accounts import Visitor
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# More than that is no yard of one crew.
_MOST = 200


class Kept(NamedTuple):
    """Something of the yard, and its id."""

    id: UUID
    item: YardItem


def yard_of(engine: Engine, visitor: Visitor) -> list[Kept]:
    """Everything the crew owns."""
    with crew_reading(engine, visitor.crew_id) as session:
        return _yard(session)


_NEWEST = (
    select(models.YardVersion.thing_id, models.YardVersion.content)
    .ext(distinct_on(models.YardVersion.thing_id))
    .order_by(models.YardVersion.thing_id, models.YardVersion.made_at.desc())
)


def _yard(session: Session) -> list[Kept]:
    kept = [
        Kept(thing_id, parse_item(content)) for thing_id, content in session.execute(_NEWEST).all() if content
    ]
    return sorted(kept, key=lambda one: one.item.model_dump_json())


def keep_item(engine: Engine, visitor: Visitor, thing_id: UUID, raw: Any, now: datetime) -> None:
    """Write something down, new or as it is now.

    Raises:
        InputError: a field is wrong, or there is too much.
    """
    content = parse_item(raw).model_dump(mode="json", exclude_none=True)
    with crew_session(engine, visitor.crew_id) as session:
        if len(_yard(session)) >= _MOST:
            raise InputError(
                "yard_full", f"The kit list holds up to {_MOST} items. Remove what you no longer have."
            )
        _add(session, visitor, thing_id, content, now)


def take_out(engine: Engine, visitor: Visitor, thing_id: UUID, now: datetime) -> bool:
    """Remove something from the yard; whether it was there."""
    with crew_session(engine, visitor.crew_id) as session:
        if all(kept.id != thing_id for kept in _yard(session)):
            return False
        _add(session, visitor, thing_id, None, now)
        return True


def _add(
    session: Session, visitor: Visitor, thing_id: UUID, content: dict[str, Any] | None, now: datetime
) -> None:
    values = {"id": uuid4(), "thing_id": thing_id, "content": content}
    session.execute(insert(models.YardVersion).values(**values, made_by=visitor.account_id, made_at=now))
