"""Everything that comes from outside has its bounds: texts, figures, lists and objects, without an exception."""

from collections.abc import Iterator
from contextlib import suppress
from copy import deepcopy
from random import Random
from typing import Any

import pytest
from pydantic import TypeAdapter

from keeve.core.errors import InputError
from keeve.core.loads.event import LoadEvent
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.yard import YardItem
from keeve.core.rules.calc import all_rules, calc
from keeve.core.stockpile.events import StockpileEvent

FROM_OUTSIDE: dict[str, Any] = {
    "job": Job,
    "mix": Mix,
    "event": LoadEvent,
    "stockpile event": StockpileEvent,
    "yard": YardItem,
    **{f"rule {rule.id}": rule.inputs for rule in all_rules().values()},
}


def unbounded(node: Any, path: str) -> Iterator[str]:
    """Every place in Pydantic's own schema of a type where nothing says how much there may be."""
    if isinstance(node, list | tuple):
        for item in node:
            yield from unbounded(item, path)
    if not isinstance(node, dict):
        return
    match node.get("type"):
        case "str":
            if not {"max_length", "pattern"} <= node.keys():
                yield f"{path}: a text"
        case "float" | "int":
            if not ({"ge", "gt"} & node.keys() and {"le", "lt"} & node.keys()):
                yield f"{path}: a figure"
        case "list":
            if "max_length" not in node:
                yield f"{path}: a list"
        case "dict":
            # Keys of a few known words are their own bound.
            if "max_length" not in node and node["keys_schema"]["type"] != "literal":
                yield f"{path}: an object"
    for name, inner in node.items():
        if name == "fields" and isinstance(inner, dict):
            for field, schema in inner.items():
                yield from unbounded(schema, f"{path}.{field}")
        elif name not in ("metadata", "serialization"):
            yield from unbounded(inner, path)


@pytest.mark.parametrize("name", FROM_OUTSIDE)
def test_everything_from_outside_has_its_bounds(name: str) -> None:
    assert sorted(set(unbounded(TypeAdapter(FROM_OUTSIDE[name]).core_schema, name))) == []


def leaves(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every figure in plain values, by where it is."""
    if isinstance(node, dict):
        for name, inner in node.items():
            yield from leaves(inner, (*path, name))
    elif isinstance(node, list):
        for number, inner in enumerate(node):
            yield from leaves(inner, (*path, number))
    elif isinstance(node, int | float) and not isinstance(node, bool):
        yield path


@pytest.mark.parametrize("rule_id", all_rules())
def test_a_figure_at_the_end_of_its_span_is_answered_or_refused(rule_id: str) -> None:
    """Whatever one or two of its figures are: nothing but an answer or a refusal, never a fault."""
    rule, chance = all_rules()[rule_id], Random(rule_id)
    places = list(leaves(rule.example.given))
    for _ in range(60):
        payload = deepcopy(dict(rule.example.given))
        for place in chance.sample(places, min(chance.choice((1, 1, 2, 3)), len(places))):
            node: Any = payload
            for step in place[:-1]:
                node = node[step]
            node[place[-1]] = chance.choice((5e-324, 1e-300, 1e-100, 1e-12, 1e-6, 0.0, 1e6, 1e9))
        with suppress(InputError):
            calc(rule_id, payload)
