"""A search of the log, and what may be searched by."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple
from uuid import UUID


@dataclass(frozen=True)
class LogFilter:
    """A search of the log; of what is empty, everything.

    Args:
        job_id: loads of this job.
        mix_id: loads of this mix.
        state: loads in this state.
        who: loads on which this person worked.
        words: loads with each of these words in the name of the job or the mix, a name of who worked on it, a note
            or a reason; the beginning of a word is enough.
        since: begun on that day of the crew or later.
        until: begun on that day or earlier.
    """

    job_id: UUID | None = None
    mix_id: str = ""
    state: str = ""
    who: str = ""
    words: str = ""
    since: date | None = None
    until: date | None = None


class FilterChoices(NamedTuple):
    """Choices offered by the loads mixed lately: their jobs and mixes by id, and who worked on them."""

    jobs: Mapping[str, str]
    mixes: Mapping[str, str]
    people: Sequence[str]
