"""The few words of the trade that differ between the United Kingdom and the United States, by the reader's units."""

import re
from collections.abc import Mapping
from functools import cache

from keeve.core.mixes import library
from keeve.core.mixes.model import Trade, Use
from keeve.core.units import System

US_TERMS: Mapping[str, str] = {
    "screed": "topping",
    "render": "stucco",
    "rendering": "stucco",
    "kerb": "curb",
    "perpend": "head joint",
    "lintel": "header",
    "polythene": "poly sheet",
}
_TERM = re.compile(rf"\b({'|'.join(US_TERMS)})(s?)\b", re.IGNORECASE)
# The uses of a mix as one says them; the stored ones are the keys.
USE_NAMES: Mapping[Use, str] = {
    "bed": "bedding",
    "point": "pointing",
    "render": "rendering",
    "plaster": "plastering",
    "lay floor": "floors",
    "pour": "pouring",
    "cast": "casting",
    "infill": "infill",
    "top": "overlay",
    "pack": "packing",
}
TRADE_NAMES: Mapping[Trade, str] = {"render and stucco": "render"}


def in_terms(text: str, units: System) -> str:
    """A text of Keeve's own with the reader's words of the trade; never a name that somebody typed."""
    return _TERM.sub(_swapped, text) if units == "us" else text


def _swapped(found: re.Match[str]) -> str:
    word = US_TERMS[found[1].lower()]
    return (word.capitalize() if found[1][0].isupper() else word) + found[2]


@cache
def _library_names() -> frozenset[str]:
    return frozenset(mix.name for mix in library().values())


def mix_name(name: str, units: System) -> str:
    """The name of a mix in the reader's words where it is one of the library; a crew's own name is left alone."""
    return in_terms(name, units) if name in _library_names() else name
