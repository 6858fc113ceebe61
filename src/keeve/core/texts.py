"""What may stand in a text: anything that can be written and read again, and no control characters."""

import unicodedata
from typing import Annotated

from pydantic import AfterValidator

# Control characters, halves of a character, and what is none.
_UNWRITABLE = frozenset({"Cc", "Cs", "Cn"})


_LINE_BREAKS = str.maketrans("", "", "\n\r\t")


def written(text: str, longest: int) -> str:
    """A text with what cannot be written left out, and cut where it is too long."""
    return "".join(sign for sign in text if unicodedata.category(sign) not in _UNWRITABLE)[:longest]


def why_unfit(field: str, text: str, longest: int, *, is_one_line: bool = True) -> str | None:
    """Why a text cannot be kept as it is; None where it can."""
    plain = text if is_one_line else text.translate(_LINE_BREAKS)
    if written(plain, longest) == plain and len(text) <= longest:
        return None
    return f"{field} must be plain text of at most {longest} characters."


def _line(text: str) -> str:
    """Refuse what cannot be written in a line."""
    if any(unicodedata.category(sign) in _UNWRITABLE for sign in text):
        raise ValueError("must be plain text: leave out control characters")
    return text


def _lines(text: str) -> str:
    """Refuse what cannot be written in lines."""
    _line(text.translate(_LINE_BREAKS))
    return text


Line = Annotated[str, AfterValidator(_line)]
Lines = Annotated[str, AfterValidator(_lines)]
