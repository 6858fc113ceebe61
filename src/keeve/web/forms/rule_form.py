"""A live form for any rule: fields from its inputs, what was typed back to plain JSON values."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from docstring_parser import parse

from keeve.core.errors import InputError
from keeve.core.quantities import read_quantity
from keeve.core.rules.registry import Rule
from keeve.core.units import Kind
from keeve.web.forms.fields import place
from keeve.web.pages import name_in_words

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


@dataclass(frozen=True)
class RuleGroup:
    """A list or an object of figures: its path, name and members; ``grows`` by ``number`` or by ``name``."""

    path: str
    name: str
    members: list["RuleField | RuleGroup"] = field(default_factory=list)
    grows: str = ""


def fields_of(rule: Rule, given: Mapping[str, Any]) -> list[RuleField | RuleGroup]:
    """The fields of a rule's inputs, with ``given`` (plain JSON values, possibly wrong ones) in them."""
    schema = _schema(rule)
    return list(_properties(schema, schema.get("$defs", {}), given, ""))


def typed_values(rule: Rule, typed: Mapping[str, str]) -> dict[str, Any]:
    """Plain JSON values from what was typed. What is no number stays text, for the core to refuse."""
    schema = _schema(rule)
    found: dict[str, Any] = _read(schema, schema.get("$defs", {}), typed, "")
    return found


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


def in_words(rule: Rule, given: Mapping[str, Any], fault: InputError) -> str:
    """A refusal with the words of the form for the names of its inputs."""
    labels: dict[str, str] = {}
    waiting = fields_of(rule, given)
    while waiting:
        item = waiting.pop()
        labels[item.path] = name_in_words(item.name)
        waiting += item.members if isinstance(item, RuleGroup) else []
    message, _ = place(fault, labels)
    return message


@lru_cache(maxsize=64)
def explained(rule: Rule) -> dict[str, Any]:
    """What the rule's documentation says: the answer it gives, each input, its results, what it refuses."""
    parsed = parse(rule.documentation.replace("``", ""))
    return {
        "answers": parsed.short_description or "",
        "more": parsed.long_description or "",
        "inputs": {item.arg_name: item.description or "" for item in parsed.params},
        "returns": (parsed.returns.description if parsed.returns else "") or "",
        "refuses": [item.description or "" for item in parsed.raises],
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
            _node(chosen["additionalProperties"], defs, item, f"{path}{_DOT}{key}", key, True)
            for key, item in items_by_name.items()
        ]
        return RuleGroup(path, name, members, "name")
    choices = tuple(chosen.get("enum", ())) or (("true", "false") if kind == "boolean" else ())
    shown = "" if value is None else str(value).lower() if isinstance(value, bool) else _text(value)
    default = schema.get("default")
    limits = _limits(chosen) + ("" if default is None else f"; {_text(default)} unless given")
    return RuleField(
        path, name, "choice" if choices else str(kind), shown, needed, limits.strip("; "), choices
    )


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


def _limits(schema: Schema) -> str:
    """The bounds in words."""
    words = {
        "exclusiveMinimum": "more than {:g}",
        "minimum": "{:g} or more",
        "exclusiveMaximum": "less than {:g}",
        "maximum": "{:g} or less",
    }
    return ", ".join(text.format(schema[name]) for name, text in words.items() if name in schema)


def _read(schema: Schema, defs: Schema, typed: Mapping[str, str], path: str) -> Any:
    """The values under a path; None where nothing was typed."""
    under = [name.removeprefix(path) for name in typed if name.startswith(path)] if path else list(typed)
    keys = list(dict.fromkeys(name.split(_DOT)[0] for name in under if name))
    chosen = _resolved(schema, defs, {} if path and keys else None)
    kind = chosen.get("type")
    if kind == "array":
        return [_read(chosen["items"], defs, typed, f"{path}{key}{_DOT}") for key in keys]
    if kind == "object":
        named: Mapping[str, Schema] = chosen.get("properties", {})
        by_name: Schema = chosen.get("additionalProperties", {})
        inner = named or dict.fromkeys(keys, by_name)
        found = {key: _read(part, defs, typed, f"{path}{key}{_DOT}") for key, part in inner.items()}
        return {key: value for key, value in found.items() if value is not None} or (None if path else {})
    here = path.rstrip(_DOT)
    return _value(str(kind), here, typed.get(here, "").strip())


# The kind of quantity by the ending of a name, the longer endings first: kept and shown in that unit.
_KINDS: Mapping[str, Kind] = {
    "_kg_m3": "density", "_m3": "volume", "_m2": "area", "_mm": "size", "_m": "length", "_kg": "mass",
    "_ml": "admixture", "_l": "mixed_volume", "_mpa": "strength", "_c": "temperature",
}  # fmt: skip


def _kind_of(path: str) -> Kind | None:
    """The kind of quantity at a path: by its last name, or by the list or object it is in."""
    for name in reversed(path.split(_DOT)):
        for ending, kind in _KINDS.items():
            if name.endswith(ending):
                return kind
    return None


def _value(type_: str, path: str, text: str) -> Any:
    if not text:
        return None
    if type_ == "boolean":
        return {"true": True, "false": False}.get(text, text)
    if type_ not in ("number", "integer"):
        return text
    try:
        number = read_quantity(text, _kind_of(path), "metric")
    except InputError:
        return text
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
