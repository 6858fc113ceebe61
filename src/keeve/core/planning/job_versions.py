"""A job as a crew keeps it: its name, its state, its plans version by version, and the notes on it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, NamedTuple
from uuid import UUID

JobState = Literal["active", "archived", "deleted"]


class JobLine(NamedTuple):
    """A job in a list.

    Args:
        id: its id, that of its first plan.
        title: its name.
        state: active or archived.
        plan_id: its newest plan.
        made_at: when that was made.
        mix_name: of that plan.
        loads: that plan has.
        begun: loads of that plan that were begun.
    """

    id: UUID
    title: str
    state: JobState
    plan_id: UUID
    made_at: datetime
    mix_name: str
    loads: int
    begun: int

    @property
    def next_number(self) -> int:
        """The number of the next load; of the last where all were begun."""
        return min(self.begun + 1, self.loads)

    @property
    def is_finished(self) -> bool:
        """Whether every load of its newest plan was begun."""
        return self.begun >= self.loads


class JobNote(NamedTuple):
    """A note on a job: its words, who wrote it, and when."""

    text: str
    made_by: str
    made_at: datetime


class JobVersion(NamedTuple):
    """A plan of a job: its number from 1, when it was made and by whom, its loads and how many were begun."""

    number: int
    plan_id: UUID
    made_at: datetime
    made_by: str
    loads: int
    begun: int


@dataclass(frozen=True)
class JobPage:
    """A job: its line, its plans with the newest first, and its notes with the newest first."""

    line: JobLine
    versions: Sequence[JobVersion]
    notes: Sequence[JobNote]

    @property
    def mixed(self) -> int:
        """How many loads of all its plans were begun."""
        return sum(version.begun for version in self.versions)
