"""A correction reaches its target, by an account made here from scratch."""

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.corrections import correct_dry, correct_miscount, correct_wet


@given(st.floats(5, 100), st.floats(1, 8), st.floats(0.4, 1.0), st.floats(1.01, 1.6), st.floats(0, 0.05))
def test_reaches_its_target(
    cement: float, parts: float, target: float, wetness: float, moisture: float
) -> None:
    sand = parts * cement
    water = target * cement * wetness
    assume(target * cement > sand * moisture * 1.01)
    found = correct_wet(
        charged_kg={"cement": cement, "sand": sand},
        water_kg=water,
        binder=["cement"],
        target_ratio=target,
        moisture_fraction={"sand": moisture},
    )
    added_dry_sand = found.add_kg["sand"] / (1 + moisture)
    all_water = water + found.add_kg["sand"] - added_dry_sand
    assert all_water / (cement + found.add_kg["cement"]) == pytest.approx(target)
    assert added_dry_sand / found.add_kg["cement"] == pytest.approx(parts)
    assert found.new_ratio == pytest.approx(target)


def test_not_too_wet_adds_nothing() -> None:
    found = correct_wet(charged_kg={"cement": 20}, water_kg=10, binder=["cement"], target_ratio=0.6)
    assert found.add_kg == {"cement": 0}
    assert found.warnings[0].code == "not_too_wet"


@pytest.mark.parametrize(
    ("change", "field"),
    [({"moisture_fraction": {"sand": 0.2}}, "moisture_fraction"), ({"binder": ["lime"]}, "binder")],
)
def test_corrections_that_cannot_be(change: dict[str, object], field: str) -> None:
    charge = {
        "charged_kg": {"cement": 20, "sand": 80},
        "water_kg": 17,
        "binder": ["cement"],
        "target_ratio": 0.75,
    }
    with pytest.raises(InputError) as refused:
        correct_wet(**{**charge, **change})  # type: ignore[arg-type]
    assert refused.value.fields == [field]


@given(st.floats(5, 50), st.floats(0, 1), st.floats(0.5, 1.0))
def test_steps_of_water_end_at_the_ceiling_and_shrink(
    cement: float, share: float, ceiling_ratio: float
) -> None:
    ceiling = ceiling_ratio * cement
    found = correct_dry(
        charged_kg={"cement": cement}, water_kg=share * ceiling, binder=["cement"], ceiling_l=ceiling
    )
    assert bool(found.steps) == (share < 1)
    assert sum(step.add_l for step in found.steps) == pytest.approx((1 - share) * ceiling)
    assert all(last.ratio == pytest.approx(ceiling_ratio) for last in found.steps[-1:])
    assert [step.add_l for step in found.steps] == sorted((step.add_l for step in found.steps), reverse=True)


@given(
    st.dictionaries(st.sampled_from(["cement", "lime", "sand"]), st.floats(0.25, 8), min_size=1),
    st.floats(0.25, 2),
    st.floats(1, 9),
)
def test_a_miscounted_batch_is_topped_up_to_its_parts(
    charged: dict[str, float], lime: float, sand: float
) -> None:
    parts = {"cement": 1.0, "lime": lime, "sand": sand}
    found = correct_miscount(charged, parts)
    assert min(found.add.values()) >= -1e-9
    for name, wanted in parts.items():
        assert charged.get(name, 0) + found.add[name] == pytest.approx(wanted * found.multiple)
    assert any(abs(more) < 1e-9 for more in found.add.values())


def test_three_sands_instead_of_four() -> None:
    found = correct_miscount({"cement": 1, "sand": 3}, {"cement": 1, "sand": 4})
    assert (found.add, found.multiple) == ({"cement": 0, "sand": 1}, 1)
    for charged, field in (({"cement": 0.0}, "charged_vessels"), ({"lime": 1.0}, "charged_vessels.lime")):
        with pytest.raises(InputError) as refused:
            correct_miscount(charged, {"cement": 1, "sand": 4})
        assert refused.value.fields == [field]
