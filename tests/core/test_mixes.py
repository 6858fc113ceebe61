"""The library of mixes, and mixes that do not hang together."""

from pathlib import Path

import pytest

import keeve.core.mixes
from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library, materials, parse_mix
from keeve.core.mixes.model import READING_NAMES

BRICKLAYING = (Path(keeve.core.mixes.__file__).parent / "library" / "mortar-bricklaying.yaml").read_text()


@pytest.mark.parametrize("mix_id", library())
def test_every_mix_is_whole(mix_id: str) -> None:
    mix = get_mix(mix_id)
    assert mix.id == mix_id
    assert all(part.material in materials() for part in mix.parts)
    assert mix.cautions
    assert mix.provenance
    for test in mix.tests.values():
        assert set(test.looks) == set(test.answers) == set(READING_NAMES)
    for procedure in mix.procedures:
        assert all(step.do and step.why for step in procedure.steps)


def test_bricklaying_has_its_mixers_and_schools() -> None:
    """The mixers and schools asked of it: drum (water or dry first), tray, two buckets; weight or volume."""
    mix = get_mix("mortar-bricklaying")
    assert mix.ratio == "1 : 4 by volume"
    assert {(item.mixer, item.order) for item in mix.procedures} == {
        ("tilting-drum", "water-first"),
        ("tilting-drum", "dry-first"),
        ("tray", "dry-first"),
        ("two-buckets", "dry-first"),
    }
    assert set(mix.gauges) == {"weight", "volume"}
    assert (mix.water.ratio_low, mix.water.ratio_high) == (0.65, 0.80)


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("parts: 4}", "parts: -4}", "parts.1.parts must be more than 0"),
        ("parts: 4}", 'parts: "4"}', "parts.1.parts must be a number"),
        ("ratio_low: 0.65", "ratio_low: 0.9", "must rise from ratio_low"),
        ("air_fraction: 0.15", "air_fraction: .nan", "air_fraction must be a finite number"),
        ("life_min: 120", "life: 120", "life is not a known field"),
        ("minutes: [3, 5]", "minutes: [5, 3]", "minutes that run backwards"),
        ("share: 0.8", "share: 0.7", "does not charge the whole of water"),
        ("material: sand", "material: gravel", "'gravel', which is no part"),
        ("kind: judge", "kind: taste", "procedures.0.steps.7 must have as its kind one of"),
        ("id: mortar", "id: Mortar ", "id "),
        ("basis: volume", "basis: [", "not valid YAML"),
    ],
)
def test_a_wrong_mix_names_the_field(old: str, new: str, said: str) -> None:
    with pytest.raises(InputError) as refused:
        parse_mix(BRICKLAYING.replace(old, new, 1))
    assert said in refused.value.message


def test_an_unknown_mix_lists_the_known() -> None:
    with pytest.raises(InputError, match="mortar-bricklaying"):
        get_mix("mortar")


def test_the_ratio_is_written_as_the_trade_does() -> None:
    nominal = get_mix("concrete-nominal")
    parts = [
        part.model_copy(update={"parts": parts})
        for part, parts in zip(nominal.parts, (1, 1.5, 3.3), strict=True)
    ]
    assert nominal.model_copy(update={"parts": parts}).ratio == "1 : 1½ : 3.3 by volume"
    assert get_mix("concrete-bagged").ratio == "by the bag"
