"""Texts: how long they may be, and of which signs: such as can be written and read again, and no control characters."""

import re
from typing import Annotated, TypeVar

from pydantic import Field

# Control characters, and what Unicode sets aside as none. The halves of a character no model takes anyway.
_UNWRITABLE = "\\x00-\\x1f\\x7f-\\x9f\ufdd0-\ufdef\ufffe\uffff"
_UNWRITABLE_SIGN = re.compile(f"[{_UNWRITABLE}\ud800-\udfff]")
_LINE_BREAKS = str.maketrans("", "", "\n\r\t")
_IN_A_LINE = f"^[^{_UNWRITABLE}]*$"
_IN_LINES = f"^(?:[\\n\\r\\t]|[^{_UNWRITABLE}])*$"
PATTERNS = frozenset({_IN_A_LINE, _IN_LINES})

# More names than any mix has materials, and more of anything than a job or a mix has.
MOST_NAMES = 30
MOST_OF_A_KIND = 60

Line = Annotated[str, Field(pattern=_IN_A_LINE)]
Lines = Annotated[str, Field(pattern=_IN_LINES)]
Name = Annotated[Line, Field(max_length=80)]
Sentence = Annotated[Line, Field(max_length=600)]

_T = TypeVar("_T")
ByName = Annotated[dict[Name, _T], Field(max_length=MOST_NAMES)]
Few = Annotated[list[_T], Field(max_length=MOST_OF_A_KIND)]


def capitalized(text: str) -> str:
    """The text with a capital to begin with, the rest as it is."""
    return text[:1].upper() + text[1:]


def counted(number: int, one: str, several: str = "") -> str:
    """A whole number of things: 1 load, 2 loads; ``several`` where that is not ``one`` with an s."""
    return f"{number} {one if number == 1 else several or one + 's'}"


def written(text: str, longest: int) -> str:
    """A text with what cannot be written left out, and cut where it is too long."""
    return _UNWRITABLE_SIGN.sub("", text)[:longest]


def why_unfit(field: str, text: str, longest: int, *, is_one_line: bool = True) -> str | None:
    """Why a text cannot be kept as it is; None where it can."""
    plain = text if is_one_line else text.translate(_LINE_BREAKS)
    if len(text) <= longest and not _UNWRITABLE_SIGN.search(plain):
        return None
    return f"{field} must be plain text, {longest} characters or fewer."
