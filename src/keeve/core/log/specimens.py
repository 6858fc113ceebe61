"""Specimens of loads: when each is due, what it came to, and the strength that was to be expected of it."""

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from typing import Literal, NamedTuple
from uuid import UUID

from pydantic import BaseModel, ConfigDict

from keeve.core.loads.contents import contents
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.state_parts import SpecimenResult, SpecimenSet
from keeve.core.planning.expected_strength import strength_of_load
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.strength import StrengthBand
from keeve.core.rules.strength_tests import Shape, Specimen, StrengthRecord, specimen_mpa, strength_record
from keeve.core.rules.workings import Workings

DAY = timedelta(days=1)
# How far off its day a test is still one of that age: hours by age in days. ASTM C39 (from memory); past 90 days as
# much of it as there.
_NEAR_HOURS = ((1.0, 0.5), (3.0, 2.0), (7.0, 6.0), (28.0, 20.0), (90.0, 48.0))
# From so long before it is due a test is asked for; it is late from as long after its age may be off.
_DUE_BEFORE_DAYS = 0.5


def near_days(due_days: float) -> float:
    """How far off its age a test may be made and counts as one of it, days."""
    ages, hours = zip(*_NEAR_HOURS, strict=True)
    if due_days >= ages[-1]:
        return hours[-1] / 24 * due_days / ages[-1]
    after = next(index for index, age in enumerate(ages) if age >= due_days)
    if after == 0:
        return hours[0] / 24
    share = (due_days - ages[after - 1]) / (ages[after] - ages[after - 1])
    return (hours[after - 1] + share * (hours[after] - hours[after - 1])) / 24


# The law was fitted to cylinders; a cube of the same concrete reads more (EN 206 pairs C25/30, from memory).
CUBE_OVER_CYLINDER = 1.25
_LAW_DAYS = (1.0, 365.0)

State = Literal["waiting", "due", "late", "tested", "lost"]


class SpecimenRow(BaseModel):
    """A specimen of a load.

    Args:
        made_id: the event with which its set was made.
        made_at: when that was.
        mark: what is written on its set.
        number: its number in the set, from 1.
        shape: what it is.
        size_mm: side of a cube or of the section of a prism, diameter of a cylinder.
        due_days: the age at which it is due, days.
        tested_at: when it was tested; None while it was not.
        lost: why it never will be; None where it may.
        mpa: its strength, where it was tested.
        expected: the strength to expect at that age, or at the age it is due, of the load as it was mixed; None where
            no law describes it.
    """

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    made_id: UUID
    made_at: datetime
    mark: str = ""
    number: int
    shape: Shape
    size_mm: float
    due_days: int
    tested_at: datetime | None = None
    lost: str | None = None
    mpa: float | None = None
    expected: StrengthBand | None = None

    @property
    def name(self) -> str:
        """The words written on it."""
        return f"{self.mark} {self.number}".strip()

    @property
    def due_at(self) -> datetime:
        """When it is due."""
        return self.made_at + self.due_days * DAY

    @property
    def age_days(self) -> float | None:
        """Its age at the test."""
        return (self.tested_at - self.made_at) / DAY if self.tested_at else None

    @property
    def is_waiting(self) -> bool:
        """Whether it is still to be tested."""
        return self.tested_at is None and self.lost is None

    @property
    def test_days(self) -> int | None:
        """The age its test counts for: that at which it was due where it is near; None where it is not."""
        if self.age_days is None:
            return None
        return self.due_days if abs(self.age_days - self.due_days) <= near_days(self.due_days) else None

    @property
    def is_weak(self) -> bool:
        """Whether it is weaker than nine in ten with its water are."""
        return self.mpa is not None and self.expected is not None and self.mpa < self.expected.low_mpa

    def state(self, now: datetime) -> State:
        """Its state: due from half a day before its time, late once it no longer counts as a test of its age."""
        if self.lost is not None:
            return "lost"
        if self.tested_at is not None:
            return "tested"
        late_at = self.due_at + near_days(self.due_days) * DAY
        return (
            "late" if now > late_at else "due" if now >= self.due_at - _DUE_BEFORE_DAYS * DAY else "waiting"
        )


def specimens_of(plan: Plan, load: Load, state: LoadState) -> list[SpecimenRow]:
    """The specimens of a load, set by set."""
    return [
        _row(plan, load, state, made, number)
        for made in state.specimens
        for number in range(1, len(made.due_days) + 1)
    ]


def _row(plan: Plan, load: Load, state: LoadState, made: SpecimenSet, number: int) -> SpecimenRow:
    result = state.specimen_results.get((made.id, number))
    due_days = made.due_days[number - 1]
    tested = result if result is not None and result.lost is None else None
    age_days = (tested.at - made.made_at) / DAY if tested else None
    return SpecimenRow(
        made_id=made.id,
        made_at=made.made_at,
        mark=made.mark,
        number=number,
        shape=made.shape,
        size_mm=made.size_mm,
        due_days=due_days,
        tested_at=tested.at if tested else None,
        lost=result.lost if result else None,
        mpa=_mpa(made, tested, age_days) if tested and age_days is not None else None,
        expected=_expected(plan, load, state, made, age_days or float(due_days)),
    )


def _mpa(made: SpecimenSet, result: SpecimenResult, age_days: float) -> float:
    if result.mpa is not None:
        return result.mpa
    size = {"diameter_mm" if made.shape == "cylinder" else "size_mm": made.size_mm}
    return specimen_mpa(
        Specimen(age_days=age_days, shape=made.shape, load_kn=result.load_kn, span_mm=made.span_mm, **size)
    )


def _expected(
    plan: Plan, load: Load, state: LoadState, made: SpecimenSet, age_days: float
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


class DueSpecimens(NamedTuple):
    """Specimens of a load that are due at the same age: the load, the name of its job, its number, whether they are
    late, and they.
    """

    load_id: UUID
    title: str
    number: int
    is_late: bool
    specimens: Sequence[SpecimenRow]

    @property
    def due_at(self) -> datetime:
        """When they are due."""
        return self.specimens[0].due_at


class Age(NamedTuple):
    """The tests of one age of one shape: what they come to."""

    shape: str
    days: int
    record: StrengthRecord


def ages_of(specimens: Iterable[SpecimenRow], specified_mpa: float | None = None) -> list[Age]:
    """The records of tests, age by age; a specified strength is held against those of 28 days."""
    found: dict[tuple[str, int], list[float]] = {}
    for one in specimens:
        if one.mpa is not None and one.test_days is not None:
            found.setdefault((one.shape, one.test_days), []).append(one.mpa)
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
