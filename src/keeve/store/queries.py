"""Parts of queries that several services ask with."""

from sqlalchemy import ColumnElement, exists

from keeve.store import models


def has_event(*kinds: str) -> ColumnElement[bool]:
    """Whether a load has an event of one of these kinds."""
    here = (models.Event.crew_id == models.Load.crew_id, models.Event.load_id == models.Load.id)
    return exists().where(*here, models.Event.kind.in_(kinds)).correlate(models.Load)
