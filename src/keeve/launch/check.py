"""``./keeve test``: every check, in the order in which they fail fastest."""

import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from keeve.launch.system import ROOT, LaunchError, ensure_pango, install

_TOOLS = Path(sys.executable).parent


# The tests of the core need no database and no browser: they are there for the minute between two edits.
_CORE = ("tests/core",)
# Programs that the tests drive, each of a package of its name.
_PROGRAMS = {
    "chromium": "Chromium, which the tests drive,",
    "pgbouncer": "PgBouncer, through which two servers work,",
    "hunspell": "Hunspell, which checks the spelling,",
}
_DICTIONARY = Path("/usr/share/hunspell/en_GB.dic")
# A file's tests by one process: what they share, a demo or a server, is made once.
_IN_PARALLEL = ("-n", "2", "--dist", "loadfile")


def check(pytest: Sequence[str]) -> int:
    """Run every check, the tests of the core (``core``), or the tests named; gives the first status that fails."""
    if list(pytest) == ["core"]:
        return _run("pytest", *_IN_PARALLEL, *_CORE)
    try:
        for program, what_for in _PROGRAMS.items():
            if shutil.which(program, path=f"{os.environ['PATH']}:/usr/sbin") is None:
                install(program, what_for)
        if not _DICTIONARY.exists():
            install("hunspell-en-gb", "The British dictionary of Hunspell")
        ensure_pango()
    except LaunchError as fault:
        print(f"keeve: {fault}", file=sys.stderr)
        return 1
    if pytest:
        return _run("pytest", *pytest)
    checks = (
        ("ruff", "check", "."),
        ("ruff", "format", "--check", "."),
        ("mypy",),
        ("lint-imports",),
        ("pytest", *_IN_PARALLEL),
    )
    for command in checks:
        if status := _run(*command):
            print(f"keeve: {' '.join(command)} failed", file=sys.stderr)
            return status
    return 0


def _run(tool: str, *arguments: str) -> int:
    print(f"== {tool} {' '.join(arguments)}".rstrip(), flush=True)
    return subprocess.run([_TOOLS / tool, *arguments], cwd=ROOT, env=os.environ, check=False).returncode
