"""``./keeve backup`` and ``./keeve restore``: everything in one file, by PostgreSQL's own tools."""

import contextlib
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, timedelta
from datetime import time as clock_time
from pathlib import Path

import psycopg
from sqlalchemy.engine import URL, make_url

from keeve.data.open_links import close_every_door
from keeve.launch.postgres import as_reader_of_all, project_folder, running, server_programs, throwaway
from keeve.launch.system import LaunchError, in_a_sentence


def backup(file: Path) -> int:
    """Write everything into a file that was not there before."""
    return _told(lambda: _backup(file), f"everything is in {file}")


def restore(file: Path) -> int:
    """Replace everything by what a backup holds. The data there is backed up first, beside the data."""
    return _told(lambda: _restore(file), f"everything is as it was in {file}")


def verify(file: Path) -> int:
    """Restore a backup into a database of its own, bring it to this version, and say what is in it."""
    counted: list[str] = []
    return _told(lambda: counted.append(_verify(file)), f"{file} restores", counted)


def each_night(url: str, folder: Path) -> None:
    """Write a backup into a folder every night, as long as this process lives; a day that has none yet gets one now."""
    while True:
        now = datetime.now().astimezone()
        try:
            keep_tonights(url, folder, now.date())
        except (LaunchError, OSError) as fault:
            print(f"keeve: no backup was made: {in_a_sentence(fault)}", file=sys.stderr)
        time.sleep(until_night(now).total_seconds())


def until_night(now: datetime) -> timedelta:
    """How long it is until the next night's backup."""
    tonight = datetime.combine(now.date(), _NIGHT, now.tzinfo)
    return (tonight if tonight > now else tonight + timedelta(days=1)) - now


def keep_tonights(url: str, folder: Path, day: date) -> None:
    """Write the backup of a day, unless it is there, and remove those that were kept long enough.

    It has another name until it is whole and was looked through: one that was broken off is told, and made again.
    """
    file = folder / f"keeve-{day:%Y-%m-%d}.backup"
    for broken in sorted(folder.glob(f"keeve-????-??-??.backup{_UNFINISHED}")):
        print(f"keeve: the backup {broken.name} was broken off. It is made again.", file=sys.stderr)
        broken.unlink()
    if not file.exists():
        unfinished = file.with_name(file.name + _UNFINISHED)
        _dump(url, unfinished)
        # Reads all of it, as a restore would.
        _run(url, "pg_restore", "--file=/dev/null", str(unfinished), reads_url=False)
        unfinished.rename(file)
    for old in sorted(folder.glob("keeve-????-??-??.backup"))[:-_NIGHTS_KEPT]:
        old.unlink()


# When nobody mixes; common practice, no source. Two weeks tell a mistake that was seen late.
_NIGHT = clock_time(2, 0)
_NIGHTS_KEPT = 14
_UNFINISHED = ".unfinished"


def _told(act: Callable[[], None], done: str, counted: Sequence[str] = ()) -> int:
    try:
        act()
    except (LaunchError, OSError) as fault:
        print(f"keeve: {in_a_sentence(fault)}", file=sys.stderr)
        return 1
    print(f"keeve: {': '.join([done, *counted])}")
    return 0


def _backup(file: Path) -> None:
    if file.exists():
        raise LaunchError(f"{file} already exists. Name a new file.")
    with running(project_folder()) as url:
        _dump(url, file)


def _check_there(file: Path) -> None:
    if not file.is_file():
        raise LaunchError(f"There is no file {file}. Name one written by ./keeve backup.")


def _restore(file: Path) -> None:
    _check_there(file)
    with running(project_folder()) as url:
        kept = project_folder() / f"before-restore-{datetime.now(UTC):%Y%m%d-%H%M%S}.backup"
        kept.parent.mkdir(parents=True, exist_ok=True)
        _dump(url, kept)
        print(f"keeve: the data from before is in {kept}")
        _put_back(url, file)


def _put_back(url: str, file: Path) -> None:
    """Replace everything in a database by what a backup holds, and sign everybody out.

    It is replaced in one transaction: a file that does not restore leaves everything as it is.
    """
    from keeve.store.database import connect
    from keeve.store.migrate import migrate

    with tempfile.TemporaryDirectory() as scratch:
        statements = Path(scratch) / "statements.sql"
        _run(
            url,
            "pg_restore",
            "--no-owner",
            "--no-privileges",
            f"--file={statements}",
            str(file),
            reads_url=False,
        )
        _check_version(statements)
        first = ("--single-transaction", "--set=ON_ERROR_STOP=1", "--quiet", "--output=/dev/null")
        _run(url, "psql", *first, "--command=drop owned by current_user", f"--file={statements}")
    engine = connect(url)
    try:
        migrate(engine)
        # Who was signed in when it was made, or since, is not meant to be now; nor is what was open then.
        close_every_door(engine, datetime.now(UTC))
    finally:
        engine.dispose()


def _check_version(statements: Path) -> None:
    """Refuse what another Keeve has written before anything is replaced by it."""
    from keeve.store.migrate import is_known_version

    with statements.open() as lines:
        for line in lines:
            if line.startswith("COPY public.alembic_version") and is_known_version(next(lines).strip()):
                return
    raise LaunchError("This file was made by another version of Keeve. Nothing was changed.")


def _verify(file: Path) -> str:
    _check_there(file)
    with throwaway() as cluster:
        _put_back(cluster.url, file)
        with psycopg.connect(as_reader_of_all(cluster.url).replace("+psycopg", "")) as connection:
            counts = [
                f"{connection.execute(f'select count(*) from {table}').fetchone()[0]} {words}"  # type: ignore[index]
                for table, words in _COUNTED.items()
            ]
    return ", ".join(counts)


_COUNTED = {"crew": "crews", "account": "accounts", "plan": "plans", "load": "loads", "event": "events"}


def _dump(url: str, file: Path) -> None:
    try:
        _run(as_reader_of_all(url), "pg_dump", "--format=custom", "--no-owner", f"--file={file}")
    except LaunchError:
        with contextlib.suppress(OSError):
            file.unlink()  # never half a backup
        raise


def _run(url: str, tool: str, *arguments: str, reads_url: bool = True) -> None:
    address = make_url(url)
    # The password goes by the environment, where no list of processes shows it.
    bare = URL.create(
        "postgresql", address.username, None, address.host, address.port, address.database, address.query
    ).render_as_string()
    done = subprocess.run(
        [server_programs() / tool, *([f"--dbname={bare}"] if reads_url else []), *arguments],
        umask=0o077,  # what it writes is for its owner only
        env={"PGPASSWORD": str(address.password or ""), "LC_ALL": "C.UTF-8"},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        reason = (done.stderr.strip().splitlines() or ["no reason given"])[0]
        if "row-level security" in reason:
            raise LaunchError(
                "The database user can't read every crew's rows. Set KEEVE_BACKUP_URL to the address of one who can: "
                "a superuser, or one with BYPASSRLS."
            )
        raise LaunchError(
            f"{tool} did not finish ({reason}). Nothing was changed. Fix that and run it again."
        )
