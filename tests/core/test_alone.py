"""The tests of the core stand alone: they import no database and no browser."""

import subprocess
import sys
from pathlib import Path

CORE = Path(__file__).parent


def test_core_tests_import_no_database_and_no_browser() -> None:
    """Collected in a process of their own, they bring neither in."""
    asked = (
        "import sys, pytest\n"
        f"status = pytest.main(['--collect-only', '-q', '-p', 'no:cacheprovider', '-p', 'no:xdist', {str(CORE)!r}])\n"
        "found = {'sqlalchemy', 'psycopg', 'playwright', 'fastapi'} & set(sys.modules)\n"
        "sys.exit(f'imported: {found}' if found or status else 0)"
    )
    run = subprocess.run(
        [sys.executable, "-c", asked], cwd=CORE.parents[1], capture_output=True, text=True, check=False
    )
    assert run.returncode == 0, run.stderr[-500:] + run.stdout[-500:]
