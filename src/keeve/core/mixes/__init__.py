"""Mixes: the model, and the library of them as YAML files validated when they are read."""

from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import yaml

from keeve.core.errors import InputError, validated
from keeve.core.mixes.model import Material, Mix
from keeve.core.mixes.shorthand import written_out

# The parser in C where there is one: the library is read at every start.
_Loader: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
_LIBRARY = Path(__file__).parent / "library"
_MATERIALS = Path(__file__).parent / "materials.yaml"


def parse_mix(text: str) -> Mix:
    """A mix from YAML or JSON text, written out in full.

    Raises:
        InputError: broken text, references (with which a few lines can mean millions), or a field that is
            wrong, named.
    """
    raw = _yaml(text)
    if any(isinstance(token, yaml.AliasToken) for token in yaml.scan(text)):
        raise InputError("references", "The mix uses YAML references (*): write each value out.", ["mix"])
    return validated(Mix, raw)


def mix_text(mix: Mix) -> str:
    """The mix as YAML text, in full: what :func:`parse_mix` reads."""
    raw = mix.model_dump(mode="json", exclude_defaults=True)
    return yaml.safe_dump(raw, allow_unicode=True, sort_keys=False, width=110)


def _yaml(text: str) -> Any:
    try:
        return yaml.load(text, _Loader)
    except (yaml.YAMLError, RecursionError, ValueError) as fault:
        raise InputError("not_yaml", f"The mix is not valid YAML: {fault}.", ["mix"]) from None


@cache
def library() -> Mapping[str, Mix]:
    """Every mix of the library by its id."""
    files = (_yaml(path.read_text()) for path in sorted(_LIBRARY.glob("*.yaml")))
    return {mix.id: mix for mix in (validated(Mix, raw) for raw in written_out(files))}


def get_mix(mix_id: str) -> Mix:
    """The mix of that id.

    Raises:
        InputError: there is none; the message lists those there are.
    """
    if mix_id not in library():
        raise InputError(
            "unknown_mix",
            f"mix {mix_id!r} is not in the library: choose one of {', '.join(library())}.",
            ["mix"],
        )
    return library()[mix_id]


def has_stockpile(mix: Mix) -> bool:
    """Whether anything of the mix lies in a stockpile."""
    return any(materials()[part.material].is_stockpiled for part in mix.parts)


@cache
def materials() -> Mapping[str, Material]:
    """The default figures of every material by its id."""
    raw: dict[str, Any] = yaml.safe_load(_MATERIALS.read_text())
    return {name: Material.model_validate(figures) for name, figures in raw.items()}
