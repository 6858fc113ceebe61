"""How docstrings speak: of the thing itself, or by a verb; never of "what", "where" or "whoever" something is."""

import ast
import re

import pytest

from keeve.launch.system import ROOT

# The texts of rules are shown to readers, and kept by ``test_words``.
FILES = [
    path for top in ("src", "tools") for path in (ROOT / top).rglob("*.py") if path.parent.name != "rules"
]
BEGINS = re.compile(r"(?:^|[.!?]\s+|\n\s*\n\s*)(?:What|Where|Whoever)\b")
_DOCUMENTED = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT)))
def test_no_sentence_of_a_docstring_begins_with_what(path: object) -> None:
    nodes = ast.walk(ast.parse(path.read_text(encoding="utf-8")))  # type: ignore[attr-defined]
    texts = [ast.get_docstring(node) or "" for node in nodes if isinstance(node, _DOCUMENTED)]
    assert [text for text in texts if BEGINS.search(text)] == []
