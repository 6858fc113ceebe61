"""``./keeve backup`` and ``./keeve restore``: everything in one file, by PostgreSQL's own tools."""

import contextlib
import subprocess
import sys
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.engine import URL, make_url

from keeve.launch.postgres import project_folder, running, server_programs
from keeve.launch.system import LaunchError, in_a_sentence


def backup(file: Path) -> int:
    """Write everything into a file that was not there before."""
    return _told(lambda: _backup(file), f"everything is in {file}")


def restore(file: Path) -> int:
    """Replace everything by what a backup holds. What was there is backed up first, beside the data."""
    return _told(lambda: _restore(file), f"everything is as it was in {file}")


def _told(act: Callable[[], None], done: str) -> int:
    try:
        act()
    except (LaunchError, OSError) as fault:
        print(f"keeve: {in_a_sentence(fault)}", file=sys.stderr)
        return 1
    print(f"keeve: {done}")
    return 0


def _backup(file: Path) -> None:
    if file.exists():
        raise LaunchError(f"{file} is there already: name a new file.")
    with running(project_folder()) as url:
        _dump(url, file)


def _restore(file: Path) -> None:
    if not file.is_file():
        raise LaunchError(f"There is no file {file}: name a file that ./keeve backup has written.")
    with running(project_folder()) as url:
        kept = project_folder() / f"before-restore-{datetime.now(UTC):%Y%m%d-%H%M%S}.backup"
        kept.parent.mkdir(parents=True, exist_ok=True)
        _dump(url, kept)
        print(f"keeve: what was there until now is in {kept}")
        # All in one transaction: a file that does not restore leaves everything as it is.
        _run(url, "pg_restore", "--clean", "--if-exists", "--no-owner", "--single-transaction", str(file))


def _dump(url: str, file: Path) -> None:
    try:
        _run(url, "pg_dump", "--format=custom", "--no-owner", f"--file={file}")
    except LaunchError:
        with contextlib.suppress(OSError):
            file.unlink()  # never half a backup
        raise


def _run(url: str, tool: str, *arguments: str) -> None:
    address = make_url(url)
    # The password goes by the environment, where no list of processes shows it.
    bare = URL.create(
        "postgresql", address.username, None, address.host, address.port, address.database, address.query
    ).render_as_string()
    done = subprocess.run(
        [server_programs() / tool, f"--dbname={bare}", *arguments],
        env={"PGPASSWORD": str(address.password or ""), "LC_ALL": "C.UTF-8"},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        reason = (done.stderr.strip().splitlines() or ["no reason given"])[0]
        raise LaunchError(
            f"{tool} did not finish ({reason}): nothing was changed. Mend that, then run it again."
        )
