"""The codes of refusals and warnings, read from the source: what docs/error-codes.md lists."""

import ast
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

_SOURCE = Path(__file__).parents[1]
_HEAD = """# Error codes

Written by `./keeve schemas` from the source. A refusal is `{"error": {"code", "message", "fields", "meant"?}}`, on the
command line with exit status 2, over HTTP with the status 422 (401, 403, 404 or 503 where that says more). A warning is
in `warnings` of a plan or of a rule's answer, with `code`, `message`, `field`, `suggestion` and `meant`. Codes are
stable; messages are not.

"""


class Coded(NamedTuple):
    """A code, what it is (refusal or warning), its message with … for figures, and the module it comes from."""

    code: str
    kind: str
    message: str
    module: str


def coded() -> list[Coded]:
    """Every code in the source, in order."""
    found = {
        item.code: item for path in sorted(_SOURCE.rglob("*.py")) for item in _coded_in(path) if item.message
    }
    return [found[code] for code in sorted(found)]


def error_codes_text() -> str:
    """The page of the codes, as Markdown."""
    lines = ["| code | | message | from |", "|---|---|---|---|"]
    lines += [f"| `{item.code}` | {item.kind} | {item.message} | `{item.module}` |" for item in coded()]
    return _HEAD + "\n".join(lines) + "\n"


# Where each call has its code and its message: by place, or by name.
_CALLS = {"InputError": ("refusal", 0, 1), "_json": ("refusal", 1, 2), "RuleWarning": ("warning", 0, 1)}


def _coded_in(path: Path) -> Iterator[Coded]:
    module = ".".join(path.relative_to(_SOURCE).with_suffix("").parts)
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if (
            not isinstance(node, ast.Call)
            or not isinstance(node.func, ast.Name)
            or node.func.id not in _CALLS
        ):
            continue
        kind, at_code, at_message = _CALLS[node.func.id]
        given = {item.arg: item.value for item in node.keywords} | dict(enumerate(node.args))
        codes = _codes(given.get(at_code) or given.get("code"))
        message = _words(given.get(at_message) or given.get("message"))
        for code in codes:
            yield Coded(code, kind, " ".join(message.replace("|", "\\|").split()), module)


def _codes(node: ast.expr | None) -> list[str]:
    """The codes of an expression: a text, or one of two."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return [node.value]
    return [*_codes(node.body), *_codes(node.orelse)] if isinstance(node, ast.IfExp) else []


def _words(node: ast.expr | None) -> str:
    """The text of an expression, with … for what is worked out."""
    match node:
        case ast.Constant(value=str() as text):
            return text
        case ast.JoinedStr(values=parts):
            return "".join(map(_words, parts))
        case ast.BinOp(left=left, right=right):
            return _words(left) + _words(right)
        case ast.IfExp(body=body):
            return _words(body)
        case _:
            return "…"
