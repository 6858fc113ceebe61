"""Every rule: its worked example, its public names, and how it refuses."""

import inspect
import pydoc
from typing import Any

import pytest
import yaml
from docstring_parser import parse
from helpers import REFERENCE

from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc, get_rule
from keeve.core.rules.geometry import cylinder_volume, slab_volume
from keeve.core.rules.registry import parse_json


def same(given: Any, wanted: Any, tolerance: float) -> bool:
    if isinstance(wanted, dict):
        return all(name in given and same(given[name], value, tolerance) for name, value in wanted.items())
    if isinstance(wanted, list):
        pairs = zip(given, wanted, strict=True)
        return all(same(one, other, tolerance) for one, other in pairs)
    if isinstance(wanted, float):
        return bool(given == pytest.approx(wanted, rel=tolerance))
    return bool(given == wanted)


@pytest.mark.parametrize("rule", all_rules().values(), ids=all_rules())
def test_worked_example_and_docs(rule: Any) -> None:
    given = calc(rule.id, rule.example.given)
    assert same(given, rule.example.gives, rule.example.relative_tolerance), given
    assert rule.sources
    assert rule.formula


@pytest.mark.parametrize("rule", all_rules().values(), ids=all_rules())
def test_documentation_is_whole(rule: Any) -> None:
    """Every parameter has its line, the result is described, and what is raised is said; help() shows all of it."""
    parsed = parse(rule.documentation)
    assert {item.arg_name for item in parsed.params} == set(inspect.signature(rule.function).parameters)
    assert all(item.description for item in parsed.params)
    assert parsed.returns
    assert parsed.returns.description
    assert [item.type_name for item in parsed.raises] == ["InputError"]
    called = vars(inspect.getmodule(rule.function))[rule.function.__name__]
    assert called.__name__ == rule.function.__name__
    shown = pydoc.plain(pydoc.render_doc(called))
    for part in (rule.formula, rule.source, rule.example.origin, rule.id, "InputError"):
        assert part in shown


def test_a_rule_is_called_by_position_or_by_name() -> None:
    assert slab_volume(3, 2, 0.1) == slab_volume(3, width_m=2, thickness_m=0.1)
    assert str(inspect.signature(cylinder_volume)).startswith("(diameter_m: float, height_m: float)")
    with pytest.raises(TypeError, match="takes 4 arguments, 5 were given"):
        slab_volume(3, 2, 0.1, 0.1, 0.1)  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="width_m both by position and by name"):
        slab_volume(3, 2, width_m=2, thickness_m=0.1)  # type: ignore[misc]


def test_older_names_of_inputs_are_read() -> None:
    by_unit = calc("strength-band", get_rule("strength-band").example.given)
    masses = {"cement": 300, "water": 150, "coarse": 1050, "fine": 850}
    assert calc("strength-band", {**masses, "age_days": 28}) == by_unit
    assert (
        calc("correct-miscount", {"charged": {"sand": 3}, "parts": {"sand": 4, "lime": 1}})["add"]["lime"]
        == 0.75
    )


# The public interface of the rules: inputs, outputs.
PUBLIC: dict[str, list[str]] = yaml.safe_load((REFERENCE / "rule_interface.yaml").read_text())


def test_the_public_interface_is_whole() -> None:
    assert set(PUBLIC) == set(all_rules())


def names_of(info: Any) -> tuple[str, ...]:
    """The names an input is read by, where it has more than its own."""
    return tuple(info.validation_alias.choices) if info.validation_alias else ()


@pytest.mark.parametrize("rule_id", PUBLIC)
def test_public_names(rule_id: str) -> None:
    inputs, outputs = PUBLIC[rule_id]
    rule = get_rule(rule_id)
    read = {name for field, info in rule.inputs.model_fields.items() for name in (field, *names_of(info))}
    assert set(inputs.split()) <= read
    assert set(outputs.split()) <= set(calc(rule_id, rule.example.given))


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ('{"length_m": 3, "width_m": 2}', ["thickness_m"]),
        ('{"length_m": NaN, "width_m": 2, "thickness_m": 0.1}', ["length_m"]),
        ('{"length_m": 3, "width_m": 1e999, "thickness_m": 0.1}', ["width_m"]),
        ('{"length_m": 3, "width_m": -Infinity, "thickness_m": 0.1}', ["width_m"]),
        ('{"length_m": "3", "width_m": true, "thickness_m": null}', ["length_m", "width_m", "thickness_m"]),
        ('{"length_m": 3, "width_m": 2, "thickness_m": 0}', ["thickness_m"]),
        ('{"length_m": 3, "width_m": 2, "thickness_m": 0.1, "self": 1}', ["self"]),
        (
            '[{"length_m": 1, "width_m": 1, "thickness_m": 1}, {"width_m": 1, "thickness_m": 1}]',
            ["1.length_m"],
        ),
        ('{"length_m": 1e308, "width_m": 1e308, "thickness_m": 1}', ["length_m", "width_m"]),
        ("3", ["input"]),
        ("{", ["input"]),
        ("[" * 100_000, ["input"]),
    ],
)
def test_bad_input_names_the_field(text: str, fields: list[str]) -> None:
    with pytest.raises(InputError) as refused:
        calc("slab-volume", parse_json(text))
    assert refused.value.fields == fields
    assert refused.value.message.endswith(".")


def test_fields_inside_lists_and_defaults() -> None:
    cement = {"name": "cement", "mass_kg": 1, "particle_density_kg_m3": 3150}
    with pytest.raises(InputError) as refused:
        calc(
            "absolute-volume", {"components": [cement, {**cement, "mass_kg": float("nan"), "colour": "grey"}]}
        )
    assert set(refused.value.fields) == {"components.1.mass_kg", "components.1.colour"}
    assert calc("absolute-volume", {"components": [cement]})["assumed"] == {"air_fraction": 0.0}


def test_an_array_gives_an_array_and_an_unknown_rule_is_named() -> None:
    assert [item["order_m3"] for item in calc("order-volume", [{"net_m3": 1.0}, {"net_m3": 2.0}])] == [
        1.1,
        2.2,
    ]
    with pytest.raises(InputError, match="slab-volume"):
        calc("slab", {})
