"""The one way in which the core refuses input: a sentence that names the field and the mend."""

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError


class InputError(ValueError):
    """Input that cannot be used.

    Args:
        code: a short stable name of the fault, for programs.
        message: one sentence that names the field and what to do about it.
        fields: dotted paths of the fields at fault, such as ``components.0.mass_kg``.
    """

    def __init__(self, code: str, message: str, fields: Sequence[str] = ()) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.fields = list(fields)

    def as_json(self) -> dict[str, Any]:
        """The error object that the command line and the API print."""
        return {"error": {"code": self.code, "message": self.message, "fields": self.fields}}


_MENDS: Mapping[str, str] = {
    "missing": "is missing: give it",
    "extra_forbidden": "is not a known field: check its spelling or leave it out",
    "finite_number": "must be a finite number",
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "bool_type": "must be true or false",
    "string_type": "must be text",
    "list_type": "must be a list",
    "dict_type": "must be an object with named fields",
    "model_type": "must be an object with named fields",
    "model_attributes_type": "must be an object with named fields",
}

# Names that Pydantic puts into a location for its own bookkeeping, not fields of the user's.
_NOT_FIELDS = frozenset({"[key]", "function-after", "function-before", "function-wrap"})


def sentence(error: Mapping[str, Any]) -> tuple[str, str]:
    """One Pydantic error as (field path, sentence). The value itself is never echoed: it may be NaN."""
    field = ".".join(str(part) for part in error["loc"] if part not in _NOT_FIELDS and "[" not in str(part))
    context = error.get("ctx", {})
    kind = error["type"]
    if kind in _MENDS:
        mend = _MENDS[kind]
    elif kind == "greater_than":
        mend = f"must be more than {context['gt']:g}"
    elif kind == "greater_than_equal":
        mend = f"must be {context['ge']:g} or more"
    elif kind == "less_than":
        mend = f"must be less than {context['lt']:g}"
    elif kind == "less_than_equal":
        mend = f"must be {context['le']:g} or less"
    elif kind in {"literal_error", "enum"}:
        mend = f"must be {context['expected']}"
    elif kind == "value_error":
        mend = str(context["error"])
    else:
        mend = error["msg"][0].lower() + error["msg"][1:]
    return field, f"{field or 'The input'} {mend}."


def from_validation(fault: ValidationError) -> InputError:
    """The refusal for everything Pydantic found wrong, each field once."""
    found = [sentence(dict(error)) for error in fault.errors(include_url=False, include_input=False)]
    fields = list(dict.fromkeys(field for field, _ in found))
    return InputError("bad_input", " ".join(dict.fromkeys(text for _, text in found)), fields)
