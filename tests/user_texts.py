"""Every text that a user of Keeve reads, with where it stands: templates, mix library, sentences in Python and scripts,
the pages of the docs that are theirs.
"""

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import yaml

ROOT = Path(__file__).parent.parent
_SOURCE = ROOT / "src" / "keeve"
DOCS = ("README.md", "docs/how-to-use.md", "docs/glossary.md", "docs/running-it.md")
# Keys of the YAML files whose values are read by people.
_READ_KEYS = {
    "name", "text", "why", "do", "until", "how", "holds", "otherwise", "words", "when", "use", "looks", "right",
    "too-dry", "too-wet", "not-mixed-yet", "richer", "leaner", "question", "here", "ways", "leftovers", "placing",
    "over_mixing", "too_much_water", "too_little_water", "retempering_why", "weight", "volume", "refuses", "figure",
    "origin", "cautions",
}  # fmt: skip


class UserText(NamedTuple):
    """A text, and the file and line it stands in."""

    file: str
    line: int
    text: str


def user_texts() -> Iterator[UserText]:
    """All of them, a line or a sentence each."""
    for path in sorted(_SOURCE.rglob("*")):
        if "vendor" in path.parts or "migrations" in path.parts or "demo" in path.parts:
            continue
        name = str(path.relative_to(ROOT))
        read = {".html": _of_template, ".py": _of_python, ".js": _of_script, ".yaml": _of_yaml}.get(
            path.suffix
        )
        if read is not None:
            yield from (UserText(name, line, text) for line, text in read(path.read_text(encoding="utf-8")))
    for name in DOCS:
        yield from (UserText(name, line, text) for line, text in _of_page((ROOT / name).read_text("utf-8")))


# What is drawn or set, not read: style sheets, comments, the inside of tags but for the labels in them.
_UNREAD = re.compile(r"<style>.*?</style>|\{#.*?#\}", re.DOTALL)
_LABEL = re.compile(r'(?:aria-label|placeholder|alt|title|content)="([^"]*)"')


def _of_template(source: str) -> Iterator[tuple[int, str]]:
    source = _UNREAD.sub(_blank, source)
    for found in _JINJA.finditer(source):
        line = source.count("\n", 0, found.start()) + 1
        yield from ((line, text) for text in _sentences(found[0]))
    shown = _JINJA.sub(_blank, source)
    for found in _LABEL.finditer(shown):
        yield shown.count("\n", 0, found.start()) + 1, found[1]
    for number, line in enumerate(_TAG.sub(_blank, shown).splitlines(), 1):
        if re.search(r"[A-Za-z]{3}", line):
            yield number, line


_JINJA = re.compile(r"\{[{%].*?[%}]\}", re.DOTALL)
_TAG = re.compile(r"<[^>]*>", re.DOTALL)


def _blank(found: re.Match[str]) -> str:
    """Nothing, over as many lines."""
    return " " + "\n" * found[0].count("\n")


def _sentences(code: str) -> list[str]:
    """The quoted texts of an expression that are no names of code."""
    return [
        text for text in re.findall(r'"([^"]*)"', code) if re.search(r"[a-z][,.:]? [a-z(]|^[A-Z][a-z]+", text)
    ]


def _of_python(source: str) -> Iterator[tuple[int, str]]:
    tree = ast.parse(source)
    unread = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            unread.add(id(node.value))
        if isinstance(node, ast.JoinedStr):
            unread.update(
                id(part)
                for one in node.values
                if isinstance(one, ast.FormattedValue)
                for part in ast.walk(one)
            )
        if isinstance(node, ast.Call) and ast.unparse(node.func).endswith(
            ("execute", "text", "op", "ValueError")
        ):
            unread.update(id(part) for part in ast.walk(node))
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in unread:
            text = node.value
            if re.search(r"[A-Za-z]{2}[,.:]? [a-z(]", text) and not re.search(r"[\\<]|\bpg_|::", text):
                yield node.lineno, text


def _of_script(source: str) -> Iterator[tuple[int, str]]:
    for number, line in enumerate(source.splitlines(), 1):
        code = line.partition("// ")[0]
        for text in re.findall(r'"([^"]*)"|`([^`]*)`', code):
            said = re.sub(r"\$\{[^}]*\}", " ", "".join(text))
            if re.search(r"[A-Za-z]{3,}[,.:]? [a-z]", said) and not re.search(r"[\[\]=<>#]", said):
                yield number, said


def _of_yaml(source: str) -> Iterator[tuple[int, str]]:
    loaded = yaml.compose(source)
    if loaded is not None:
        yield from _read(loaded, is_read=False)


def _read(node: yaml.Node, *, is_read: bool) -> Iterator[tuple[int, str]]:
    if isinstance(node, yaml.ScalarNode):
        if is_read:
            yield node.start_mark.line + 1, node.value
    elif isinstance(node, yaml.SequenceNode):
        for item in node.value:
            yield from _read(item, is_read=is_read)
    elif isinstance(node, yaml.MappingNode):
        for key, value in node.value:
            yield from _read(value, is_read=is_read or key.value in _READ_KEYS)


def _of_page(source: str) -> Iterator[tuple[int, str]]:
    is_code = False
    for number, line in enumerate(source.splitlines(), 1):
        if line.startswith("```"):
            is_code = not is_code
        elif not is_code and not line.startswith("    "):
            yield number, re.sub(r"`[^`]*`|\]\([^)]*\)", " ", line)
