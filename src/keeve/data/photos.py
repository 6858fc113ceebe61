"""Photos of loads: kept small and without what the camera wrote into them, shown with what they were taken of."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy import Engine, bindparam, delete, func, select

from keeve.core.errors import InputError
from keeve.core.log.photo import LoadPhoto
from keeve.data.accounts import Visitor
from keeve.data.load_store import read_load
from keeve.formats.photo import Photo
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# Enough for a load and every reading of it.
MOST_OF_LOAD = 24


# What is told of a photo, as ``LoadPhoto`` has it.
_TAKEN = (
    models.StoredPhoto.id,
    models.StoredPhoto.event_id,
    models.StoredPhoto.width,
    models.StoredPhoto.height,
    models.Account.name,
    models.StoredPhoto.made_at,
)
_OF_LOAD = (
    select(*_TAKEN, models.StoredPhoto.made_by)
    .join(models.Account, models.Account.id == models.StoredPhoto.made_by)
    .where(models.StoredPhoto.load_id == bindparam("load_id"))
    .order_by(models.StoredPhoto.made_at)
)


def photos_of(engine: Engine, visitor: Visitor, load_id: UUID) -> Mapping[UUID | None, Sequence[LoadPhoto]]:
    """The photos of a load by the entry they were taken of; those of none under None."""
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(_OF_LOAD, {"load_id": load_id}).all()
    found: dict[UUID | None, list[LoadPhoto]] = {}
    for row in rows:
        may_remove = visitor.may_lead or row.made_by == visitor.account_id
        taken = LoadPhoto(row.id, row.event_id, row.width, row.height, row.name, row.made_at, may_remove)
        found.setdefault(row.event_id, []).append(taken)
    return found


# How many photos of a mix that was right are shown at the next judgement.
_LOOKS = 3
_OWN_LOOK = (
    select(*_TAKEN)
    .join(models.Account, models.Account.id == models.StoredPhoto.made_by)
    .join(models.Event, models.Event.id == models.StoredPhoto.event_id)
    .join(models.LogEntry, models.LogEntry.id == models.StoredPhoto.load_id)
    .where(
        models.LogEntry.mix_id == bindparam("mix_id"),
        models.StoredPhoto.load_id != bindparam("load_id"),
        models.Event.kind == "judged",
        models.Event.content["reading"].astext == "right",
    )
    .order_by(models.StoredPhoto.made_at.desc())
    .limit(_LOOKS)
)


def own_look(engine: Engine, visitor: Visitor, load_id: UUID, mix_id: str) -> Sequence[LoadPhoto]:
    """The crew's newest photos of other loads of a mix, each taken as it was judged right."""
    with crew_reading(engine, visitor.crew_id) as session:
        rows = session.execute(_OWN_LOOK, {"load_id": load_id, "mix_id": mix_id}).all()
    return [LoadPhoto(*row, may_remove=False) for row in rows]


def picture(engine: Engine, visitor: Visitor, photo_id: UUID, *, small: bool) -> bytes | None:
    """A photo as JPEG; None where the crew has none of that id."""
    column = models.StoredPhoto.small if small else models.StoredPhoto.jpeg
    with crew_reading(engine, visitor.crew_id) as session:
        return session.scalar(select(column).where(models.StoredPhoto.id == photo_id))


def check_room(engine: Engine, visitor: Visitor, load_id: UUID, event_id: UUID | None) -> bool:
    """Whether the crew has that load and that entry of it.

    Raises:
        InputError: the load has as many photos as it may have.
    """
    with crew_reading(engine, visitor.crew_id) as session:
        running = read_load(session, load_id)
        if running is None or (event_id and all(event.id != event_id for event in running.events)):
            return False
        count = (
            select(func.count()).select_from(models.StoredPhoto).where(models.StoredPhoto.load_id == load_id)
        )
        if (session.scalar(count) or 0) >= MOST_OF_LOAD:
            raise InputError(
                "many_photos", f"A load can have {MOST_OF_LOAD} photos. Remove one first.", ["photo"]
            )
    return True


def keep(
    engine: Engine, visitor: Visitor, load_id: UUID, event_id: UUID | None, photo: Photo, now: datetime
) -> None:
    """Keep a photo of a load, of one of its entries where that is given."""
    with crew_session(engine, visitor.crew_id) as session:
        session.add(
            models.StoredPhoto(
                id=uuid4(),
                load_id=load_id,
                event_id=event_id,
                **photo._asdict(),
                made_by=visitor.account_id,
                made_at=now,
            )
        )


def remove(engine: Engine, visitor: Visitor, photo_id: UUID) -> UUID | None:
    """Remove a photo for good: whoever took it, or a lead. The load it was of; None where there is none to remove."""
    with crew_session(engine, visitor.crew_id) as session:
        row = session.execute(
            select(models.StoredPhoto.load_id, models.StoredPhoto.made_by).where(
                models.StoredPhoto.id == photo_id
            )
        ).first()
        if row is None or not (visitor.may_lead or row.made_by == visitor.account_id):
            return None
        here = models.StoredPhoto.id == photo_id
        session.connection().execute(delete(models.StoredPhoto).where(here))
        found: UUID = row.load_id
        return found
