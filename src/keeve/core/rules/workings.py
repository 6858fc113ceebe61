"""How each figure came about: the rules that were run, with their inputs and outputs."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ParamSpec, TypeVar

from keeve.core.errors import InputError
from keeve.core.rules.registry import Result, RuleWarning, rule_of

P = ParamSpec("P")
R = TypeVar("R", bound=Result)


@dataclass(frozen=True)
class Working:
    """One rule as it was used: its inputs, outputs and sources."""

    rule: str
    formula: str
    inputs: dict[str, Any]
    outputs: dict[str, Any]
    source: str


class Workings:
    """Runs rules and keeps how each was used, so that every figure can be opened to its reason."""

    def __init__(self) -> None:
        self.kept: list[Working] = []
        self.warnings: list[RuleWarning] = []

    def take(self, other: "Workings") -> None:
        """Keep what was kept while something was tried, once it is what is used."""
        self.kept += other.kept
        self.warnings += other.warnings

    def run(self, function: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Run a rule, and keep its working and its warnings."""
        rule = rule_of(function)
        # Not evaluated: figures that can hardly be are told of the job, by the names they have there.
        run = rule.run(rule.named(args, kwargs))
        self.warnings += run.result.warnings
        self.kept.append(
            Working(
                rule=rule.id,
                formula=rule.formula,
                inputs=run.inputs.model_dump(exclude_none=True),
                outputs=run.outputs,
                source=rule.source,
            )
        )
        found: R = run.result
        return found

    def run_for(self, path: str, function: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Run a rule whose inputs lie under a path of the job: its refusal and its warnings name them there."""
        before = len(self.warnings)
        try:
            found = self.run(function, *args, **kwargs)
        except InputError as fault:
            fault.fields = [f"{path}.{field}" for field in fault.fields]
            raise
        self.warnings[before:] = [
            item.model_copy(update={"field": f"{path}.{item.field}"}) for item in self.warnings[before:]
        ]
        return found
