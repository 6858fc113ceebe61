"""Who calls a mix right at what."""

from datetime import UTC, datetime
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.log.drift import drift_of
from keeve.core.log.load_row import LoadRow

BEGUN = datetime(2026, 5, 4, 8, tzinfo=UTC)


def a_row(by: str, ratio: float, *, is_right: bool = True) -> LoadRow:
    return LoadRow(
        id=UUID(int=1), title="Wall", number=1, mix_name="Mortar", begun_at=BEGUN, state="done", judged_by=by,
        ratio=ratio, is_right=is_right,
    )  # fmt: skip


def test_by_hand_one_is_wetter_and_the_other_drier_than_the_crew() -> None:
    """0.75 and 0.77 against 0.71 and 0.73: the crew is at 0.74, so 2.7 % either way."""
    rows = [
        a_row("Ash", 0.75),
        a_row("Ash", 0.77),
        a_row("Wren", 0.71),
        a_row("Wren", 0.73),
        a_row("Kit", 0.9),
    ]
    found = {one.by: one.wetter_fraction for one in drift_of([*rows, a_row("Ash", 9.0, is_right=False)])}
    assert found == pytest.approx({"Ash": 0.02 / 0.74, "Wren": -0.02 / 0.74})


@given(st.lists(st.tuples(st.sampled_from("abc"), st.floats(0.2, 1.2)), max_size=30))
def test_the_crew_is_what_its_people_are(told: list[tuple[str, float]]) -> None:
    found = drift_of([a_row(by, ratio) for by, ratio in told])
    assert len(found) != 1
    weighed = sum(one.loads * one.wetter_fraction for one in found)
    assert weighed == pytest.approx(0, abs=1e-9)
