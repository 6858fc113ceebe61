"""The rules: each a typed function with an id, a formula, its source and a worked example."""

from keeve.core.rules.calc import all_rules, calc, get_rule
from keeve.core.rules.registry import VERSION, Rule, RuleWarning, rule_of
from keeve.core.rules.workings import Working, Workings

__all__ = [
    "VERSION",
    "Rule",
    "RuleWarning",
    "Working",
    "Workings",
    "all_rules",
    "calc",
    "get_rule",
    "rule_of",
]
