"""A photo of a load."""

from datetime import datetime
from typing import NamedTuple
from uuid import UUID


class LoadPhoto(NamedTuple):
    """A photo of a load: of which entry, if of one, its size in pixels, who took it and when, and whether it may be
    removed by whoever asks.
    """

    id: UUID
    event_id: UUID | None
    width: int
    height: int
    by: str
    at: datetime
    may_remove: bool
