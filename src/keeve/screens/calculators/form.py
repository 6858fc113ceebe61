"""A live form for any rule: fields from its inputs, what was typed back to plain JSON values."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

from docstring_parser import parse

from keeve.core.errors import InputError
from keeve.core.quantities import read_quantity
from keeve.core.rules.registry import LARGEST, Rule
from keeve.core.texts import capitalized
from keeve.core.units import DISPLAY_UNITS, Kind, System, to_kept, to_shown
from keeve.figures.labels import kind_of, label, value_words
from keeve.figures.refusals import in_readers_words
from keeve.web.filters import name_in_words

Schema = Mapping[str, Any]
# Between the names of a path in the form, as in the fields that a refusal names.
_DOT = "."


@dataclass(frozen=True)
class RuleField:
    """One figure: its path, last name, kind of control, choices, limits in words, and its value."""

    path: str
    name: str
    kind: str
    value: str
    needed: bool
    limits: str = ""
    choices: tuple[str, ...] = ()
    unit: str = ""


@dataclass(frozen=True)
class RuleGroup:
    """A list or an object of figures: its path, name and members; ``grows`` by ``number`` or by ``name``."""

    path: str
    name: str
    members: list["RuleField | RuleGroup"] = field(default_factory=list)
    grows: str = ""


def fields_of(rule: Rule, given: Mapping[str, Any], units: System) -> list[RuleField | RuleGroup]:
    """The fields of a rule's inputs, with ``given`` (plain JSON values, possibly wrong ones) in the reader's units."""
    schema = _schema(rule)
    return [_shown(item, units) for item in _properties(schema, schema.get("$defs", {}), given, "")]


def typed_values(rule: Rule, typed: Mapping[str, str], units: System) -> dict[str, Any]:
    """Plain JSON values of the typed texts. Anything that is no number stays text, for the core to refuse."""
    schema = _schema(rule)
    found: dict[str, Any] = _read(schema, schema.get("$defs", {}), typed, units, "")
    return found


def _shown(item: "RuleField | RuleGroup", units: System) -> "RuleField | RuleGroup":
    """A field as its reader has it: figures in his units, fractions in percent."""
    if isinstance(item, RuleGroup):
        return replace(item, members=[_shown(member, units) for member in item.members])
    scale = _scale(item.path, units)
    if item.kind not in ("number", "integer") or scale is None:
        return item
    return replace(
        item,
        value=_rescaled(item.value, scale),
        limits=_NUMBER.sub(lambda found: _rescaled(found[0], scale), item.limits),
        unit=scale.unit,
    )


@dataclass(frozen=True)
class _Scale:
    """How a kept figure is shown and a typed one is read: its unit, and the way there and back."""

    unit: str
    show: Callable[[float], float]
    keep: Callable[[float], float]


# A number in a sentence of limits.
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?(?:e[+-]?\d+)?")


def _scale(path: str, units: System) -> _Scale | None:
    """The scale of a figure by its name; None where it is shown as it is kept."""
    if path.rpartition(_DOT)[2].endswith("fraction"):
        return _Scale("%", lambda kept: kept * 100, lambda shown: shown / 100)
    kind = _kind_of(path)
    if kind is None:
        return None
    return _Scale(
        DISPLAY_UNITS[units][kind].unit,
        lambda kept: to_shown(kept, kind, units),
        lambda shown: to_kept(shown, kind, units),
    )


def _rescaled(text: str, scale: _Scale) -> str:
    """A kept number as it is shown; what is no number stays as it was typed."""
    try:
        return _text(float(f"{scale.show(float(text)):.7g}"))
    except ValueError:
        return text


def grown(given: dict[str, Any], path: str, name: str) -> dict[str, Any]:
    """The values with one more member in the list or object at ``path``: a copy of its last, or an empty one."""
    group = _at(given, path)
    if isinstance(group, list):
        group.append(group[-1] if group else {})
    elif isinstance(group, dict) and group and name:
        group[name.replace(_DOT, " ").strip()] = next(reversed(group.values()))
    return given


def shrunk(given: dict[str, Any], path: str) -> dict[str, Any]:
    """The values without the member at ``path``; the last member of a group stays."""
    where, _, last = path.rpartition(_DOT)
    group = _at(given, where)
    if isinstance(group, list) and len(group) > 1 and last.isdigit() and int(last) < len(group):
        del group[int(last)]
    elif isinstance(group, dict) and len(group) > 1:
        group.pop(last, None)
    return given


def in_words(rule: Rule, given: Mapping[str, Any], fault: InputError, units: System) -> str:
    """A refusal with the words of the form for the names of its inputs."""
    labels: dict[str, str] = {}
    waiting = fields_of(rule, given, units)
    while waiting:
        item = waiting.pop()
        labels[item.path] = name_in_words(item.name)
        waiting += item.members if isinstance(item, RuleGroup) else []
    return in_readers_words(fault, labels, units)


# What every rule refuses is not said of each.
_ANY_INPUT = "an input is missing, unknown or out of bounds."
# The unit of an input, which its field shows.
_UNIT = re.compile(
    r",? (?:kg/m3(?: of concrete)?|kg/L|m3|m2|mm|kg|L|MPa|km/h|°C|min|m|ISO|days)(?=[;.,]|$)|\boven-dry kg\b"
)
_ALSO_READ_AS = re.compile(r" \(also read as [^)]*\)")


def _hint(name: str, description: str) -> str:
    """The meaning of an input, without the unit its field shows; empty where the label says it all."""
    text = _UNIT.sub("", _ALSO_READ_AS.sub("", description.replace("\n", " "))).strip()
    if text.rstrip(".").casefold() == label(name).words.casefold():
        return ""
    return capitalized(text)


@lru_cache(maxsize=64)
def explained(rule: Rule) -> dict[str, Any]:
    """The rule's documentation: the answer it gives, each input, its results, what it refuses."""
    parsed = parse(rule.documentation.replace("``", ""))
    return {
        "answers": parsed.short_description or "",
        "more": parsed.long_description or "",
        "inputs": {item.arg_name: _hint(item.arg_name, item.description or "") for item in parsed.params},
        "refuses": [
            f"Not accepted: {item.description}" for item in parsed.raises if item.description != _ANY_INPUT
        ],
    }


@lru_cache(maxsize=64)
def _schema(rule: Rule) -> Schema:
    return rule.inputs.model_json_schema()


def _properties(schema: Schema, defs: Schema, given: Any, path: str) -> Iterator[RuleField | RuleGroup]:
    values = given if isinstance(given, Mapping) else {}
    for name, inner in schema["properties"].items():
        needed = name in schema.get("required", [])
        yield _node(inner, defs, values.get(name), path + name, name, needed)


def _node(
    schema: Schema, defs: Schema, value: Any, path: str, name: str, needed: bool
) -> RuleField | RuleGroup:
    chosen = _resolved(schema, defs, value)
    kind = chosen.get("type")
    if kind == "array":
        items = value if isinstance(value, list) else []
        members = [
            _node(chosen["items"], defs, item, f"{path}{_DOT}{index}", str(index + 1), True)
            for index, item in enumerate(items)
        ]
        return RuleGroup(path, name, members, "number")
    if kind == "object" and "properties" in chosen:
        return RuleGroup(path, name, list(_properties(chosen, defs, value, path + _DOT)))
    if kind == "object":
        items_by_name = value if isinstance(value, Mapping) else {}
        members = [
            _node(_of_each(chosen), defs, item, f"{path}{_DOT}{key}", key, True)
            for key, item in items_by_name.items()
        ]
        return RuleGroup(path, name, members, "name")
    choices = tuple(chosen.get("enum", ())) or (("true", "false") if kind == "boolean" else ())
    shown = "" if value is None else str(value).lower() if isinstance(value, bool) else _text(value)
    default = schema.get("default")
    limits = " ".join(filter(None, (_limits(chosen), _usually(default))))
    return RuleField(path, name, "choice" if choices else str(kind), shown, needed, limits, choices)


def _resolved(schema: Schema, defs: Schema, value: Any) -> Schema:
    """The schema itself, without references, without null; of several the one that the value is."""
    if "$ref" in schema:
        return _resolved(defs[schema["$ref"].rpartition("/")[2]], defs, value)
    if "allOf" in schema:
        return _resolved(schema["allOf"][0], defs, value)
    if "anyOf" in schema:
        options = [_resolved(item, defs, value) for item in schema["anyOf"] if item.get("type") != "null"]
        wanted = "object" if isinstance(value, Mapping) else None
        return next((item for item in options if item.get("type") == wanted), options[0])
    return schema


def _of_each(schema: Schema) -> Schema:
    """The meaning of each value of an object of any names."""
    found: Schema = schema.get("additionalProperties") or next(iter(schema["patternProperties"].values()))
    return found


def _limits(schema: Schema) -> str:
    """The bounds as one says them: ``0 to 100.``, ``Above 0.``"""
    bounds = [
        schema.get(exclusive, schema.get(name))
        for exclusive, name in (("exclusiveMinimum", "minimum"), ("exclusiveMaximum", "maximum"))
    ]
    low, high = (None if bound is None or abs(bound) == LARGEST else bound for bound in bounds)
    if low is not None and high is not None:
        return f"{low:g} to {high:g}."
    if low is not None:
        return f"Above {low:g}." if "exclusiveMinimum" in schema else f"{low:g} or more."
    if high is not None:
        return f"Below {high:g}." if "exclusiveMaximum" in schema else f"{high:g} or less."
    return ""


def _usually(default: Any) -> str:
    if default is None:
        return ""
    return (
        f"Usually {value_words(str(default).lower()) if isinstance(default, bool | str) else _text(default)}."
    )


def _read(schema: Schema, defs: Schema, typed: Mapping[str, str], units: System, path: str) -> Any:
    """The values under a path; None where nothing was typed."""
    under = [name.removeprefix(path) for name in typed if name.startswith(path)] if path else list(typed)
    keys = list(dict.fromkeys(name.split(_DOT)[0] for name in under if name))
    chosen = _resolved(schema, defs, {} if path and keys else None)
    kind = chosen.get("type")
    if kind == "array":
        return [_read(chosen["items"], defs, typed, units, f"{path}{key}{_DOT}") for key in keys]
    if kind == "object":
        named: Mapping[str, Schema] = chosen.get("properties", {})
        inner = named or dict.fromkeys(keys, _of_each(chosen))
        found = {key: _read(part, defs, typed, units, f"{path}{key}{_DOT}") for key, part in inner.items()}
        return {key: value for key, value in found.items() if value is not None} or (None if path else {})
    here = path.rstrip(_DOT)
    return _value(str(kind), here, typed.get(here, "").strip(), units)


def _kind_of(path: str) -> Kind | None:
    """The kind of quantity at a path: by its last name, or by the list or object it is in."""
    return next(filter(None, map(kind_of, reversed(path.split(_DOT)))), None)


def _value(type_: str, path: str, text: str, units: System) -> Any:
    if not text:
        return None
    if type_ == "boolean":
        return {"true": True, "false": False}.get(text, text)
    if type_ not in ("number", "integer"):
        return text
    scale, kind = _scale(path, units), _kind_of(path)
    try:
        number = read_quantity(text.removesuffix("%"), kind, units)
    except InputError:
        return text
    if scale and kind is None:
        number = scale.keep(number)
    return int(number) if type_ == "integer" and number.is_integer() else number


def _text(value: Any) -> str:
    if not isinstance(value, float):
        return str(value)
    text = f"{value:.12g}"
    return text if "e" not in text else f"{value:.15f}".rstrip("0")


def _at(given: Any, path: str) -> Any:
    for name in path.split(_DOT):
        try:
            given = given[int(name)] if isinstance(given, list) else given[name]
        except (KeyError, IndexError, ValueError, TypeError):
            return None
    return given
