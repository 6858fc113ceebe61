"""The tests of the core stand alone: they import no database and no browser."""

import ast
from pathlib import Path

CORE = Path(__file__).parent
# What they may import of ours: the import contracts hold that these bring neither in.
OURS = ("keeve.core", "keeve.formats", "keeve.demo.jobs")
NEVER = {"sqlalchemy", "psycopg", "playwright", "fastapi", "starlette"}


def imported(file: Path) -> set[str]:
    """The modules that a file imports when it is imported."""
    found = set()
    for node in ast.parse(file.read_text()).body:
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            found.add(node.module or "")
    return found


def test_core_tests_import_no_database_and_no_browser() -> None:
    waiting, seen = [*CORE.rglob("*.py")], set()
    while waiting:
        file = waiting.pop()
        seen.add(file)
        for name in imported(file):
            assert name.partition(".")[0] not in NEVER, f"{file.name} imports {name}"
            assert not name.startswith("keeve") or name.startswith(OURS), f"{file.name} imports {name}"
            of_tests = CORE.parent / f"{name.replace('.', '/')}.py"
            if of_tests.exists() and of_tests not in seen:
                waiting.append(of_tests)
    assert CORE.parent / "helpers.py" in seen
