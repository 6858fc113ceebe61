"""The registry of rules: each a typed function with an id, a formula, its sources and a worked example.

A rule is called from Python as the function it is, by position or by name, and from outside through
``keeve.core.rules.calc`` with plain JSON values. Both go through the same validation, made from the function's own
signature, and ``help()`` on the function shows formula, units, sources and the worked example.
"""

import functools
import inspect
import json
import math
from collections.abc import Callable, Mapping, Sequence
from textwrap import indent
from typing import Annotated, Any, NamedTuple, ParamSpec, TypeVar, get_type_hints

from pydantic import AfterValidator, AliasChoices, BaseModel, ConfigDict, Field, create_model
from pydantic_core import PydanticKnownError

from keeve.core.errors import InputError, validated
from keeve.core.rules.value_ranges import PLAIN, impossible
from keeve.core.tolerances import NO_SIZE, ROUNDING

# The version of the rules, stored with every plan they make. Raise it when any definition changes.
VERSION = "2026.11"

# In no unit is a figure of the work larger: what is over it is a slip, and would be carried through every figure.
LARGEST = 1e9


def _not_nothing(figure: float) -> float:
    # Divided by less, a figure would leave the numbers there are.
    if figure < NO_SIZE:
        raise PydanticKnownError("greater_than", {"gt": 0})
    return figure


Dimension = Annotated[float, Field(gt=0, le=LARGEST), AfterValidator(_not_nothing)]
Amount = Annotated[float, Field(ge=0, le=LARGEST)]
Signed = Annotated[float, Field(ge=-LARGEST, le=LARGEST)]
Fraction = Annotated[float, Field(ge=0, lt=1)]
Air = Annotated[float, Field(ge=0, lt=0.6)]


def older(name: str, before: str) -> Any:
    """A field that is read under an older name too.

    Args:
        name: the field's name, under which it is written.
        before: the name it had.
    """
    return Field(validation_alias=AliasChoices(name, before))


class Strict(BaseModel):
    """A value that comes from outside: unknown keys, wrong types, NaN and infinities are refused.

    What checks it is built when the first one comes: that of all of them together takes a third of a second.
    """

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, frozen=True, defer_build=True)


# The code of the warning on a figure that can hardly be.
IMPOSSIBLE = "impossible_figure"

# What was probably meant: fields by their dotted path, and the value to put there instead (null: leave it out).
Meant = dict[str, float | str | bool | None]


class RuleWarning(Strict):
    """Something physically suspicious that is passed on, not refused; ``meant`` is the correction, where it can be
    guessed.
    """

    code: str
    message: str
    field: str
    suggestion: str
    meant: Meant | None = None


class Result(BaseModel):
    """The outputs of a rule, unrounded, with the defaults it assumed and what looks wrong."""

    model_config = ConfigDict(frozen=True, defer_build=True)

    # Factories: Pydantic copies a default in depth, which took longer than most rules.
    assumed: dict[str, Any] = Field(default_factory=dict)
    warnings: list[RuleWarning] = Field(default_factory=list)


class Source(BaseModel):
    """Where a definition comes from.

    Args:
        text: the publication and its clause or table, or a plain statement.
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
    """A worked example, computed by hand or taken from the source; the tests run it."""

    model_config = ConfigDict(frozen=True)

    given: dict[str, Any]
    gives: dict[str, Any]
    origin: str
    relative_tolerance: float = ROUNDING


P = ParamSpec("P")
R = TypeVar("R", bound=Result)


class RuleRun(NamedTuple):
    """A rule as it was run: the inputs as they were read, defaults included, the result, and its outputs by name."""

    inputs: BaseModel
    result: Any
    outputs: dict[str, Any]


# What a result says beside its outputs.
_NO_OUTPUTS = {"warnings", "assumed"}


class Rule:
    """What is registered of a rule beside its function."""

    def __init__(
        self,
        rule_id: str,
        formula: str,
        math: str,
        sources: Sequence[Source],
        example: Example,
        function: Callable[..., Result],
        reads_files: bool,
    ) -> None:
        self.id = rule_id
        self.formula = formula
        self.math = math
        self.sources = list(sources)
        self.example = example
        self.function = function
        self.reads_files = reads_files
        hints = get_type_hints(function, include_extras=True)
        fields: dict[str, Any] = {
            name: (hints[name], ... if parameter.default is inspect.Parameter.empty else parameter.default)
            for name, parameter in inspect.signature(function).parameters.items()
        }
        self.inputs: type[BaseModel] = create_model(f"{rule_id} inputs", __base__=Strict, **fields)
        self.result: type[Result] = hints["return"]

    @functools.cached_property
    def source(self) -> str:
        """Its sources in one line."""
        return "; ".join(str(source) for source in self.sources)

    @property
    def documentation(self) -> str:
        """The docstring of its function."""
        return inspect.getdoc(self.function) or ""

    @property
    def help(self) -> str:
        """All there is to know of it: docstring, formula, sources, worked example."""
        given = ", ".join(f"{name}={value!r}" for name, value in self.example.given.items())
        gives = ", ".join(f"{name}={value!r}" for name, value in self.example.gives.items())
        more = {
            "Formula": self.formula,
            "Source": self.source,
            "Example": f"{self.function.__name__}({given})\ngives {gives}\n({self.example.origin})",
            "Rule": f"{self.id}, rules of {VERSION}",
        }
        sections = (f"{title}:\n{indent(text, '    ')}" for title, text in more.items())
        return "\n\n".join([self.documentation, *sections])

    def named(self, args: Sequence[Any], kwargs: Mapping[str, Any]) -> dict[str, Any]:
        """Inputs that were given by position or by name, all by name.

        Raises:
            TypeError: too many, or one both by position and by name, as of any function.
        """
        names, called = list(self.inputs.model_fields), self.function.__name__
        if len(args) > len(names):
            raise TypeError(f"{called}() takes {len(names)} arguments, {len(args)} were given")
        by_position = dict(zip(names, args, strict=False))
        if twice := by_position.keys() & kwargs.keys():
            raise TypeError(f"{called}() got {', '.join(sorted(twice))} both by position and by name")
        return {**by_position, **kwargs}

    def evaluate(self, given: Mapping[str, Any]) -> Any:
        """The result, with a word on each input that can hardly be.

        Raises:
            InputError: as ``run`` does.
        """
        run = self.run(given)
        told = impossible_figures(run.inputs)
        if not told:
            return run.result
        return run.result.model_copy(update={"warnings": [*run.result.warnings, *told]})

    def run(self, given: Mapping[str, Any]) -> RuleRun:
        """Run it once.

        Raises:
            InputError: an input is missing, unknown, of the wrong type or out of bounds, or the rule refuses it.
        """
        inputs = validated(self.inputs, given)
        try:
            result = self.function(**vars(inputs))
        except (OverflowError, ZeroDivisionError):
            raise _too_large(sorted(given)) from None
        outputs = result.model_dump(exclude=_NO_OUTPUTS, exclude_none=True)
        if not _finite(outputs):
            raise _too_large(sorted(given))
        assumed = dict(_defaults_taken(inputs))
        assumed |= result.assumed
        return RuleRun(inputs, result.model_copy(update={"assumed": assumed}) if assumed else result, outputs)


def impossible_figures(model: BaseModel) -> list[RuleWarning]:
    """A word on each figure of a model that can hardly be: of the inputs of a rule, or of a job."""
    return [
        RuleWarning(
            code=IMPOSSIBLE,
            message=item.message,
            field=item.path,
            suggestion="Check the figure, its decimal point and its unit.",
        )
        for item in impossible(model)
    ]


def _too_large(fields: list[str]) -> InputError:
    return InputError("not_finite", "The result is too large. Check the figures.", fields)


def _finite(value: Any) -> bool:
    if isinstance(value, float):
        return math.isfinite(value)
    if isinstance(value, dict):
        return all(map(_finite, value.values()))
    return all(map(_finite, value)) if isinstance(value, list | tuple) else True


def _defaults_taken(model: BaseModel, prefix: str = "") -> list[tuple[str, Any]]:
    """Every optional input that was left out, with the default it took (no default: nothing assumed)."""
    taken: list[tuple[str, Any]] = []
    of, given = vars(model), model.model_fields_set
    for name in type(model).model_fields:
        value, path = of[name], f"{prefix}{name}"
        if name not in given:
            if value is not None:
                taken.append((path, value.model_dump() if isinstance(value, BaseModel) else value))
        elif type(value) in PLAIN:
            continue
        elif isinstance(value, BaseModel):
            taken += _defaults_taken(value, f"{path}.")
        elif isinstance(value, list):
            for index, item in enumerate(value):
                if isinstance(item, BaseModel):
                    taken += _defaults_taken(item, f"{path}.{index}.")
    return taken


# Every registered rule by its id; complete once keeve.core.rules.calc has imported the modules that hold them.
REGISTRY: dict[str, Rule] = {}


def rule(
    rule_id: str,
    *,
    formula: str,
    math: str,
    sources: Sequence[Source],
    example: Example,
    reads_files: bool = False,
) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Register a function as the rule ``rule_id``.

    Args:
        rule_id: its id, which is public and stays.
        formula: the formula in one line of plain text.
        math: the same as LaTeX, its parts divided by a qquad.
        sources: where it comes from.
        example: a worked example.
        reads_files: whether it reads files of this machine: nobody may run it over a network.
    """

    def register(function: Callable[P, R]) -> Callable[P, R]:
        if rule_id in REGISTRY:
            raise RuntimeError(f"the rule {rule_id} is registered twice")
        registered = REGISTRY[rule_id] = Rule(rule_id, formula, math, sources, example, function, reads_files)

        @functools.wraps(function)
        def checked(*args: P.args, **kwargs: P.kwargs) -> R:
            found: R = registered.evaluate(registered.named(args, kwargs))
            return found

        checked.__doc__ = registered.help
        vars(checked)["__signature__"] = _plain_signature(function)
        vars(checked)["rule"] = registered
        return checked

    return register


def _plain_signature(function: Callable[..., Any]) -> inspect.Signature:
    """The signature with bare types: the bounds of an input are in its line of the docstring or are refused."""
    signature, hints = inspect.signature(function), get_type_hints(function)
    parameters = [one.replace(annotation=hints[name]) for name, one in signature.parameters.items()]
    return signature.replace(parameters=parameters, return_annotation=hints["return"])


def rule_of(function: Callable[..., Any]) -> Rule:
    """What is registered of a rule, by its function."""
    registered: Rule = vars(function)["rule"]
    return registered


def parse_json(text: str) -> Any:
    """JSON text as values.

    NaN and numbers beyond the float range come through as such, so that the field that holds one can be named.

    Raises:
        InputError: it is not JSON.
    """
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as fault:
        raise InputError("not_json", f"The input is not valid JSON: {fault}.", ["input"]) from None
