"""Specimens of loads: when each is due, what it came to, and the strength that was to be expected of it."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal, NamedTuple

from keeve.core.loads.contents import contents
from keeve.core.loads.events import SpecimenLost, SpecimensMade, SpecimenTested
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.load_state import LoadState
from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.strength_tests import Specimen, StrengthRecord, specimen_mpa, strength_record
from keeve.core.rules.workings import Workings

DAY = timedelta(days=1)
# A test is taken as one of the age it was due at where it is off by no more than that share of it, or half a day.
_NEAR_SHARE, _NEAR_DAYS = 0.10, 0.5
# The law was fitted to cylinders; a cube of the same concrete reads more (EN 206 pairs C25/30, from memory).
CUBE_OVER_CYLINDER = 1.25
_LAW_DAYS = (1.0, 365.0)

State = Literal["waiting", "due", "late", "tested", "lost"]


@dataclass(frozen=True)
class SpecimenLine:
    """A specimen of a load.

    Args:
        made: the event with which its set was made.
        number: its number in the set, from 1.
        due_at: when it is due.
        result: what became of it; None while nothing did.
        mpa: its strength, where it was tested.
        age_days: its age at the test.
        expected: the strength to expect at that age, or at the age it is due, of the load as it was mixed; None where
            no law describes it.
    """

    made: SpecimensMade
    number: int
    due_at: datetime
    result: SpecimenTested | SpecimenLost | None
    mpa: float | None
    age_days: float | None
    expected: StrengthBand | None

    @property
    def name(self) -> str:
        """What is written on it."""
        return f"{self.made.mark} {self.number}".strip()

    @property
    def due_days(self) -> int:
        """The age at which it is due, days."""
        return self.made.due_days[self.number - 1]

    @property
    def test_days(self) -> int | None:
        """The age its test counts for: that at which it was due where it is near; None where it is not."""
        if self.age_days is None:
            return None
        return self.due_days if abs(self.age_days - self.due_days) <= self._near_days else None

    @property
    def _near_days(self) -> float:
        """So far off its day it is still tested at its age."""
        return max(self.due_days * _NEAR_SHARE, _NEAR_DAYS)

    @property
    def is_weak(self) -> bool:
        """Whether it is weaker than nine in ten with its water are."""
        return self.mpa is not None and self.expected is not None and self.mpa < self.expected.low_mpa

    def state(self, now: datetime) -> State:
        """Where it is: due from half a day before its time, late from a tenth of its age after it."""
        if isinstance(self.result, SpecimenLost):
            return "lost"
        if self.result is not None:
            return "tested"
        late_at = self.due_at + self._near_days * DAY
        return "late" if now > late_at else "due" if now >= self.due_at - _NEAR_DAYS * DAY else "waiting"


def specimens_of(plan: Plan, load: Load, state: LoadState) -> list[SpecimenLine]:
    """The specimens of a load, set by set."""
    return [
        _line(plan, load, state, made, number)
        for made in state.specimens
        for number in range(1, len(made.due_days) + 1)
    ]


def _line(plan: Plan, load: Load, state: LoadState, made: SpecimensMade, number: int) -> SpecimenLine:
    result = state.specimen_results.get((made.id, number))
    days = float(made.due_days[number - 1])
    mpa = age_days = None
    if isinstance(result, SpecimenTested):
        age_days = (result.occurred_at - made.occurred_at) / DAY
        mpa = _mpa(made, result, age_days)
    expected = _expected(plan, load, state, made, age_days or days)
    return SpecimenLine(made, number, made.occurred_at + days * DAY, result, mpa, age_days, expected)


def _mpa(made: SpecimensMade, result: SpecimenTested, age_days: float) -> float:
    if result.mpa is not None:
        return result.mpa
    size = {"diameter_mm" if made.shape == "cylinder" else "size_mm": made.size_mm}
    return specimen_mpa(
        Specimen(age_days=age_days, shape=made.shape, load_kn=result.load_kn, span_mm=made.span_mm, **size)
    )


def _expected(
    plan: Plan, load: Load, state: LoadState, made: SpecimensMade, age_days: float
) -> StrengthBand | None:
    """The strength to expect of the load as it was mixed; of a prism, which is bent, none is known."""
    held = contents(plan, as_expected(plan, load, state.expected), state)
    if made.shape == "prism" or not held.has_binder or not _LAW_DAYS[0] <= age_days <= _LAW_DAYS[1]:
        return None
    band = strength_of_load(plan, held.planned, held.as_planned_l(held.added_l), Workings(), age_days)
    if band is None or made.shape == "cylinder":
        return band
    over = CUBE_OVER_CYLINDER
    return StrengthBand(mpa=band.mpa * over, low_mpa=band.low_mpa * over, high_mpa=band.high_mpa * over)


def next_due_at(state: LoadState) -> datetime | None:
    """When the next specimen of a load that was not tested yet is due; None where none is."""
    return min(
        (
            made.occurred_at + days * DAY
            for made in state.specimens
            for number, days in enumerate(made.due_days, start=1)
            if (made.id, number) not in state.specimen_results
        ),
        default=None,
    )


class Age(NamedTuple):
    """The tests of one age of one shape: what they come to."""

    shape: str
    days: int
    record: StrengthRecord


def ages_of(lines: Iterable[SpecimenLine], specified_mpa: float | None = None) -> list[Age]:
    """What tests come to, age by age; a specified strength is held against those of 28 days."""
    found: dict[tuple[str, int], list[float]] = {}
    for line in lines:
        if line.mpa is not None and line.test_days is not None:
            found.setdefault((line.made.shape, line.test_days), []).append(line.mpa)
    return [
        Age(
            shape,
            days,
            strength_record(
                [Specimen(age_days=float(days), mpa=mpa) for mpa in strengths],
                specified_mpa if days == 28 else None,
            ),
        )
        for (shape, days), strengths in sorted(found.items())
    ]
