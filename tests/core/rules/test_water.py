"""Water: steps, window, bulking."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.aggregate_moisture import sand_bulking
from keeve.core.rules.water import water_account, water_window


@given(st.floats(0, 1), st.floats(1, 50), st.floats(0, 1), st.floats(0.1, 40))
def test_steps_shrink_towards_the_ceiling_and_never_past_it(
    start_share: float, low: float, target_share: float, width: float
) -> None:
    high, target = low + width, low + target_share * width
    additions: list[float] = []
    for _ in range(400):
        window = water_window(
            start_l=start_share * low, min_l=low, max_l=high, target_l=target, additions_l=additions
        )
        assert window.total_l + window.remaining_l == pytest.approx(high)
        assert window.next_step_l <= window.remaining_l
        if window.remaining_l < 1e-6:
            break
        additions.append(window.next_step_l)
    assert sum(additions) == pytest.approx(high)
    assert window.state == "at_ceiling"


@pytest.mark.parametrize(
    ("additions", "next_step", "state"),
    [
        ([], 8.0, "empty"),
        ([8.0], 2.0, "below"),
        ([8.0, 2.0], 1.0, "in_range"),
        ([11.9], 0.1, "in_range"),
        ([12.0], 1.0, "in_range"),
        ([13.95], 0.05, "in_range"),
        ([14.0], 0.0, "at_ceiling"),
        ([15.0], 0.0, "over"),
    ],
)
def test_steps_by_hand(additions: list[float], next_step: float, state: str) -> None:
    """Start 8, window 10 to 14, target 12: half the way to the target, then half of what is left."""
    window = water_window(start_l=8, min_l=10, max_l=14, additions_l=additions)
    assert window.next_step_l == pytest.approx(next_step)
    assert window.state == state


@pytest.mark.parametrize(
    ("figures", "fields"),
    [
        ({"start_l": 8, "min_l": 14, "max_l": 10}, ["min_l", "max_l"]),
        ({"start_l": 8, "min_l": 10, "max_l": 14, "target_l": 15}, ["target_l"]),
        ({"start_l": 15, "min_l": 10, "max_l": 14}, ["start_l", "max_l"]),
    ],
)
def test_windows_that_cannot_be(figures: dict[str, float], fields: list[str]) -> None:
    with pytest.raises(InputError) as refused:
        water_window(**figures, additions_l=[])
    assert refused.value.fields == fields


def test_account_counts_every_source() -> None:
    account = water_account(binder_kg=25, added_l=14, free_aggregate_water_kg=-0.5, admixture_water_kg=0.25)
    assert (account.total_kg, account.ratio) == (13.75, 0.55)


def test_bulking_by_jar_and_by_curve() -> None:
    assert sand_bulking(damp_height_mm=120, flooded_height_mm=100).bulking_fraction == pytest.approx(0.2)
    assert sand_bulking(moisture_fraction=0.05, grade="fine").bulking_fraction == pytest.approx(0.22 * 1.4)
    assert sand_bulking(moisture_fraction=0.5, grade="fine").bulking_fraction == 0
    swollen = sand_bulking(damp_height_mm=100, flooded_height_mm=101)
    assert swollen.bulking_fraction == 0
    assert swollen.warnings[0].code == "negative_bulking"
    with pytest.raises(InputError):
        sand_bulking(damp_height_mm=120, moisture_fraction=0.05, grade="fine")
