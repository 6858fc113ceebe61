"""Reaching a rule by its id with plain JSON values, as the command line and the API do."""

from collections.abc import Mapping
from typing import Any

from keeve.core.errors import InputError

# Importing the rooms that hold rules is what registers them.
from keeve.core.rules import (  # noqa: F401
    admixtures,
    aggregate_moisture,
    bagged,
    concrete_design,
    control_chart,
    corrections,
    curing,
    geometry,
    gypsum,
    gypsum_time,
    load_sizes,
    loads_timeline,
    maturity,
    mortar_proportion,
    moulds,
    next_water,
    proportioning,
    shopping,
    strength,
    strength_tests,
    temperature,
    vessels_and_scales,
    walls_and_stairs,
    water,
)
from keeve.core.rules.registry import REGISTRY, Result, Rule, parse_json

_MOST_AT_ONCE = 1000


def all_rules() -> dict[str, Rule]:
    """Every rule that needs nothing but its figures, by its id."""
    return {name: rule for name, rule in sorted(REGISTRY.items()) if not rule.reads_files}


def get_rule(rule_id: str) -> Rule:
    """The rule of that id, also one that reads files of this machine.

    Raises:
        InputError: there is none; the message lists those there are.
    """
    if rule_id not in REGISTRY:
        raise InputError(
            "unknown_rule",
            f"There is no rule {rule_id!r}. Choose: {', '.join(sorted(REGISTRY))}.",
            ["rule"],
        )
    return REGISTRY[rule_id]


def calc(rule_id: str, payload: Any) -> Any:
    """Run a rule on plain JSON: an object gives an object, an array of objects an array of results.

    Raises:
        InputError: no such rule, or an input that cannot be used; in an array the field starts with
            the index of the object at fault.
    """
    chosen = get_rule(rule_id)
    if isinstance(payload, list):
        if len(payload) > _MOST_AT_ONCE:
            raise InputError("too_many", f"The input can have up to {_MOST_AT_ONCE} objects.", ["input"])
        return [_run_one(chosen, item, f"{index}.") for index, item in enumerate(payload)]
    return _run_one(chosen, payload, "")


def calc_text(rule_id: str, text: str) -> Any:
    """Run a rule on JSON as text, as ``calc`` does.

    Raises:
        InputError: it is no JSON, or as for ``calc``.
    """
    return calc(rule_id, parse_json(text))


def _run_one(chosen: Rule, payload: Any, prefix: str) -> dict[str, Any]:
    if not isinstance(payload, Mapping):
        raise InputError(
            "not_an_object",
            "The input must be a JSON object of named figures.",
            [prefix.rstrip(".") or "input"],
        )
    try:
        result: Result = chosen.evaluate(payload)
    except InputError as fault:
        fault.fields = [prefix + field for field in fault.fields]
        raise
    return result.model_dump(mode="json")
