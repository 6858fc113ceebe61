"""The one way in which the core refuses input: a sentence that names the field and the mend."""

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from keeve.core.texts import PATTERNS, written

_T = TypeVar("_T")


class InputError(ValueError):
    """Input that cannot be used.

    Args:
        code: a short stable name of the fault, for programs.
        message: one sentence that names the field and what to do about it.
        fields: dotted paths of the fields at fault, such as ``components.0.mass_kg``.
        meant: what was likely meant, by field, where that can be guessed.
    """

    def __init__(
        self, code: str, message: str, fields: Sequence[str] = (), meant: Mapping[str, Any] | None = None
    ) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.fields = list(fields)
        self.meant = meant

    def __reduce__(self) -> tuple[Any, ...]:
        """How it comes back from another process."""
        return InputError, (self.code, self.message, self.fields, self.meant)

    def as_json(self) -> dict[str, Any]:
        """The error object that the command line and the API print."""
        error = {"code": self.code, "message": self.message, "fields": self.fields}
        return {"error": error | ({"meant": dict(self.meant)} if self.meant else {})}


# What is wrong and how to mend it, by Pydantic's name of the fault; braces take the fault's own figures.
_MENDS: Mapping[str, str] = {
    "missing": "is missing. Enter it",
    "extra_forbidden": "is not a known field. Check the spelling or leave it out",
    "finite_number": "must be a finite number",
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "bool_type": "must be true or false",
    "string_type": "must be text",
    "list_type": "must be a list",
    "tuple_type": "must be a list",
    "dict_type": "must be an object with named fields",
    "model_type": "must be an object with named fields",
    "model_attributes_type": "must be an object with named fields",
    "greater_than": "must be more than {gt:,.15g}",
    "greater_than_equal": "must be {ge:,.15g} or more",
    "less_than": "must be less than {lt:,.15g}",
    "less_than_equal": "must be {le:,.15g} or less",
    "literal_error": "must be {expected}",
    "enum": "must be {expected}",
    "union_tag_invalid": "must have as its kind one of {expected_tags}",
    "union_tag_not_found": "must be an object that names its kind",
    "too_short": "must have {min_length} or more",
    "too_long": "must have {max_length} or fewer",
    "string_too_short": "must have {min_length} characters or more",
    "string_too_long": "must have {max_length} characters or fewer",
    "string_unicode": "must be plain text",
    "value_error": "{error}",
}
# A name of a field that somebody made up is told no longer than that.
_LONGEST_KEY = 80
_NOT_PLAIN = "must be plain text, without control characters"


def validated(expected: type[_T] | TypeAdapter[_T], given: Any) -> _T:
    """Plain values as the model or type has them.

    Args:
        expected: a Pydantic model, or an adapter of any other type.
        given: plain values.

    Raises:
        InputError: a field that is wrong, named.
    """
    if isinstance(expected, TypeAdapter):
        adapter = expected
    else:
        adapter = _ADAPTERS.get(expected) or _ADAPTERS.setdefault(expected, TypeAdapter(expected))
    try:
        return adapter.validate_python(given)
    except ValidationError as fault:
        raise _refusal(fault, given) from None


# An adapter takes long to make, so each is kept.
_ADAPTERS: dict[Any, TypeAdapter[Any]] = {}


def _refusal(fault: ValidationError, given: Any) -> InputError:
    """The refusal for everything Pydantic found wrong in ``given``, each field once.

    The values themselves are never echoed: one may be NaN.
    """
    found = [_sentence(dict(error), given) for error in fault.errors(include_url=False, include_input=False)]
    fields = list(dict.fromkeys(field for field, _ in found))
    return InputError("bad_input", " ".join(dict.fromkeys(text for _, text in found)), fields)


def _sentence(error: Mapping[str, Any], given: Any) -> tuple[str, str]:
    field = _path(error["loc"], given)
    is_plain = error.get("ctx", {}).get("pattern") not in PATTERNS
    mend = _MENDS.get(error["type"]) if is_plain else _NOT_PLAIN
    words = mend.format(**error.get("ctx", {})) if mend else error["msg"][0].lower() + error["msg"][1:]
    return field, f"{field or 'The input'} {words}."


def _path(location: Sequence[str | int], given: Any) -> str:
    """The dotted path of a field in what was given.

    Pydantic also puts names of its own into a location (which model of a union it tried): they are no keys
    of the input and are left out.
    """
    parts: list[str] = []
    for index, part in enumerate(location):
        if isinstance(given, Mapping):
            if part not in given and index < len(location) - 1:
                continue
            given = given.get(part)
        elif isinstance(given, Sequence) and not isinstance(given, str) and isinstance(part, int):
            given = given[part] if part < len(given) else None
        else:
            continue
        parts.append(written(str(part), _LONGEST_KEY))
    return ".".join(parts)
