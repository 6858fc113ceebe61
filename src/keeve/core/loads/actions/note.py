"""Write a note."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.loads.actions.action import ALWAYS, Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.event import (
    LoadEvent,
)
from keeve.core.texts import Lines


class Noted(LoadEvent):
    """A note."""

    kind: Literal["note"]
    text: Annotated[Lines, Field(min_length=1, max_length=1000)]


class Note(Action[Noted]):
    """Write a note."""

    id, event = "note", Noted

    def offers(self, at: Moment) -> Iterator[Offer]:
        """At any time."""
        yield Offer(self.id, {"kind": "note"}, words=("text",), still=ALWAYS)
