"""Mixes: the model, and the library of them as YAML files validated when they are read."""

from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import yaml

from keeve.core.errors import InputError, validated
from keeve.core.mixes.model import Material, Mix
from keeve.core.mixes.shorthand import written_out
from keeve.core.rules.yaml_tables import Loader, read_table

# What a mix file is at most: its letters, how deep its lists and objects lie in each other, its longest text.
_MOST_CHARACTERS = 200_000
_DEEPEST = 12
_LONGEST_SCALAR = 1000

_LIBRARY = Path(__file__).parent / "library"
_MATERIALS = Path(__file__).parent / "materials.yaml"


def parse_mix(text: str) -> Mix:
    """A mix from YAML or JSON text, written out in full.

    Raises:
        InputError: broken text, text that grows without end when it is built, or a field that is wrong, named.
    """
    if len(text) > _MOST_CHARACTERS:
        raise InputError("too_large", "That file is too large for a mix. Choose a mix file.", ["mix"])
    try:
        _refuse_what_grows(text)
    except yaml.YAMLError as fault:
        raise _not_yaml(fault) from None
    return validated(Mix, _yaml(text))


def mix_text(mix: Mix) -> str:
    """The mix as YAML text, in full: what :func:`parse_mix` reads."""
    raw = mix.model_dump(mode="json", exclude_defaults=True)
    return yaml.safe_dump(raw, allow_unicode=True, sort_keys=False, width=110)


def _refuse_what_grows(text: str) -> None:
    """Refuse what a few letters can make large, seen as it comes by, before anything of it is built."""
    depth = 0
    for event in yaml.parse(text, Loader):
        if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None):
            raise InputError(
                "references", "The mix uses YAML references (& *). Write each value out.", ["mix"]
            )
        if isinstance(event, yaml.ScalarEvent):
            if event.value == "<<":
                raise InputError("references", "The mix uses merge keys (<<). Write each value out.", ["mix"])
            if len(event.value) > _LONGEST_SCALAR:
                raise InputError(
                    "too_large", f"A text has over {_LONGEST_SCALAR} letters. Shorten it.", ["mix"]
                )
        depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
        if depth > _DEEPEST:
            raise InputError("too_large", "The lists are nested too deep for a mix.", ["mix"])


def _yaml(text: str) -> Any:
    try:
        return yaml.load(text, Loader)
    except (yaml.YAMLError, ArithmeticError, ValueError) as fault:
        raise _not_yaml(fault) from None


def _not_yaml(fault: Exception) -> InputError:
    return InputError("not_yaml", f"The mix is not valid YAML: {fault}.", ["mix"])


@cache
def library() -> Mapping[str, Mix]:
    """Every mix of the library by its id."""
    files = map(read_table, sorted(_LIBRARY.glob("*.yaml")))
    return {mix.id: mix for mix in (validated(Mix, raw) for raw in written_out(files))}


def with_library(own: Mapping[str, Mix]) -> dict[str, Mix]:
    """The library and a crew's own mixes, by id, in the order of their names."""
    return dict(sorted({**library(), **own}.items(), key=lambda item: item[1].name))


def get_mix(mix_id: str) -> Mix:
    """The mix of that id.

    Raises:
        InputError: there is none; the message lists those there are.
    """
    if mix_id not in library():
        raise InputError(
            "unknown_mix",
            f"mix {mix_id!r} is not in the library. Choose: {', '.join(library())}.",
            ["mix"],
        )
    return library()[mix_id]


def has_stockpile(mix: Mix) -> bool:
    """Whether anything of the mix lies in a stockpile."""
    return any(materials()[part.material].is_stockpiled for part in mix.parts)


@cache
def materials() -> Mapping[str, Material]:
    """The default figures of every material by its id."""
    raw: dict[str, Any] = read_table(_MATERIALS)
    return {name: Material.model_validate(figures) for name, figures in raw.items()}
