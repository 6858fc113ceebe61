"""The registry of rules: each a typed function with an id, a formula, its sources and a worked example.

A rule is reached from Python by calling it, and from outside through ``keeve.core.calc``, with plain JSON
values. Both go through the same validation, made from the function's own signature.
"""

import inspect
import json
import math
from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Any, Generic, ParamSpec, TypeVar, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model

from keeve.core.errors import InputError, from_validation

# The version of the rules, stored with every plan they make. Raise it when any definition changes.
VERSION = "2026.11"

Dimension = Annotated[float, Field(gt=0)]
Amount = Annotated[float, Field(ge=0)]
Fraction = Annotated[float, Field(ge=0, lt=1)]
Air = Annotated[float, Field(ge=0, lt=0.6)]


class Strict(BaseModel):
    """A value that comes from outside: unknown keys, wrong types, NaN and infinities are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, frozen=True)


# What was likely meant: fields by their dotted path, and the value to put there instead (null: leave it out).
Meant = dict[str, float | str | bool | None]


class RuleWarning(Strict):
    """Something physically suspicious that is passed on, not refused; ``meant`` mends it, where that can be guessed."""

    code: str
    message: str
    field: str
    suggestion: str
    meant: Meant | None = None


class Result(BaseModel):
    """What every rule returns: its outputs, unrounded, with what was assumed and what looks wrong."""

    model_config = ConfigDict(frozen=True)

    assumed: dict[str, Any] = {}
    warnings: list[RuleWarning] = []


class Source(BaseModel):
    """Where a definition comes from.

    Args:
        text: the publication and clause, or in words where it stands otherwise.
        kind: ``published`` (from memory of the source), ``practice`` (common practice, no source)
            or ``derived`` (from geometry, chemistry or mass balance).
    """

    model_config = ConfigDict(frozen=True)

    text: str
    kind: str

    def __str__(self) -> str:
        return f"{self.text} (from memory)" if self.kind == "published" else self.text


def published(text: str) -> Source:
    """A published source, written from memory of it."""
    return Source(text=text, kind="published")


PRACTICE = Source(text="common practice, no source", kind="practice")
GEOMETRY = Source(text="derived from geometry", kind="derived")
MASS_BALANCE = Source(text="derived from mass balance", kind="derived")


class Example(BaseModel):
    """A worked example computed by hand or taken from the source, run by the tests."""

    model_config = ConfigDict(frozen=True)

    given: dict[str, Any]
    gives: dict[str, Any]
    origin: str
    relative_tolerance: float = 1e-9


P = ParamSpec("P")
R = TypeVar("R", bound=Result)


class Rule(Generic[P, R]):
    """A registered rule. Calling it validates the inputs and names the defaults it assumed."""

    def __init__(
        self,
        rule_id: str,
        formula: str,
        math: str,
        sources: Sequence[Source],
        example: Example,
        function: Callable[P, R],
    ) -> None:
        self.id = rule_id
        self.formula = formula
        self.math = math
        self.sources = list(sources)
        self.example = example
        self.function = function
        self.__doc__ = function.__doc__
        hints = get_type_hints(function, include_extras=True)
        fields: dict[str, Any] = {
            name: (hints[name], ... if parameter.default is inspect.Parameter.empty else parameter.default)
            for name, parameter in inspect.signature(function).parameters.items()
        }
        self.inputs: type[BaseModel] = create_model(f"{rule_id} inputs", __base__=Strict, **fields)

    @property
    def source(self) -> str:
        """Its sources in one line."""
        return "; ".join(str(source) for source in self.sources)

    def __call__(self, /, *args: P.args, **kwargs: P.kwargs) -> R:
        return self.evaluate(kwargs)[1]

    def evaluate(self, given: Mapping[str, Any]) -> tuple[BaseModel, R]:
        """Run the rule; gives the inputs as they were taken, defaults included, and the result."""
        inputs = self._validated(given)
        values = {name: getattr(inputs, name) for name in type(inputs).model_fields}
        try:
            result: R = self.function(**values)  # type: ignore[call-arg]  # keyword-only, checked above
        except (OverflowError, ZeroDivisionError):
            raise _too_large(sorted(given)) from None
        if not _finite(result.model_dump()):
            raise _too_large(sorted(given))
        assumed = dict(_defaults_taken(inputs))
        return inputs, result.model_copy(update={"assumed": assumed}) if assumed else result

    def _validated(self, given: Mapping[str, Any]) -> BaseModel:
        try:
            return self.inputs.model_validate(given)
        except ValidationError as fault:
            raise from_validation(fault, given) from None


def _too_large(fields: list[str]) -> InputError:
    return InputError(
        "not_finite", "The result is no finite number: the figures given are too large.", fields
    )


def _finite(value: Any) -> bool:
    if isinstance(value, float):
        return math.isfinite(value)
    if isinstance(value, Mapping):
        return all(_finite(item) for item in value.values())
    if isinstance(value, list | tuple):
        return all(_finite(item) for item in value)
    return True


def _defaults_taken(model: BaseModel, prefix: str = "") -> list[tuple[str, Any]]:
    """Every optional input that was left out, with the default it took (no default: nothing assumed)."""
    taken: list[tuple[str, Any]] = []
    for name in type(model).model_fields:
        value = getattr(model, name)
        path = f"{prefix}{name}"
        if name not in model.model_fields_set:
            if value is not None:
                taken.append((path, value.model_dump() if isinstance(value, BaseModel) else value))
        elif isinstance(value, BaseModel):
            taken += _defaults_taken(value, f"{path}.")
        elif isinstance(value, list):
            for index, item in enumerate(value):
                if isinstance(item, BaseModel):
                    taken += _defaults_taken(item, f"{path}.{index}.")
    return taken


# Every registered rule by its id; whole once keeve.core.calc has imported the rooms that hold them.
REGISTRY: dict[str, Rule[Any, Any]] = {}


def rule(
    rule_id: str, *, formula: str, math: str, sources: Sequence[Source], example: Example
) -> Callable[[Callable[P, R]], Rule[P, R]]:
    """Register a keyword-only function as the rule ``rule_id``; ``formula`` in a line, ``math`` as LaTeX."""

    def register(function: Callable[P, R]) -> Rule[P, R]:
        if rule_id in REGISTRY:
            raise RuntimeError(f"the rule {rule_id} is registered twice")
        registered = Rule(rule_id, formula, math, sources, example, function)
        REGISTRY[rule_id] = registered
        return registered

    return register


def parse_json(text: str) -> Any:
    """JSON text as values, with broken text as an :class:`InputError`.

    NaN and numbers beyond the float range come through as such, so that the field holding one can be named.
    """
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as fault:
        raise InputError("not_json", f"The input is not valid JSON: {fault}.", ["input"]) from None
