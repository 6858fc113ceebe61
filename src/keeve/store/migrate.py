"""Bringing a database to the newest schema."""

from pathlib import Path

from sqlalchemy import Connection, Engine, text

# Any number that nothing else locks; several workers starting at once migrate one after the other.
_LOCK = 5_338_203
_MIGRATIONS = Path(__file__).parent / "migrations"
# How long a statement, a wait for a lock, and a transaction in which nothing happens may take; what reading costs.
_SETTINGS = {
    "statement_timeout": "8s",
    "lock_timeout": "5s",
    "idle_in_transaction_session_timeout": "30s",
    # Disks of today: a row found by an index costs little more than the next one.
    "random_page_cost": "1.1",
}


class ForeignSchemaError(RuntimeError):
    """The database was made by a Keeve from before version 1, or by a newer one than this."""


def migrate(engine: Engine, to: str = "head") -> None:
    """Run every migration that the database has not had, forward only.

    Args:
        engine: the database.
        to: the last of them.

    Raises:
        ForeignSchemaError: the database has had migrations that this version does not know.
    """
    if _version(engine) == newest_version():
        return  # reading in what migrates takes longer than all the rest of a start
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    with engine.begin() as connection:
        # A migration takes as long as it takes.
        connection.execute(text("set local statement_timeout = 0"))
        connection.execute(text("set local lock_timeout = 0"))
        connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        config.attributes["connection"] = connection
        try:
            command.upgrade(config, to)
        except CommandError as fault:
            raise ForeignSchemaError(str(fault)) from fault
        _settle(connection)


def newest_version() -> str:
    """The version that this code is of: the last of its migrations, which are numbered."""
    return f"v{max(_numbers())}"


def is_known_version(version: str) -> bool:
    """Whether this code can bring a database of that version to its own."""
    return version in {f"v{number}" for number in _numbers()}


def _numbers() -> list[int]:
    return [int(path.stem[1:].partition("_")[0]) for path in (_MIGRATIONS / "versions").glob("v*.py")]


def _version(engine: Engine) -> str | None:
    """The version that the database is of; None before the first migration."""
    with engine.connect() as connection:
        if connection.scalar(text("select to_regclass('alembic_version')")) is None:
            return None
        found: str | None = connection.scalar(text("select version_num from alembic_version"))
        return found


def _settle(connection: Connection) -> None:
    """Give every later session of this user, in this database, its settings: also one that comes through a pooler."""
    where = connection.execute(
        text("select quote_ident(current_user), quote_ident(current_database())")
    ).one()
    for name, value in _SETTINGS.items():
        connection.execute(text(f"alter role {where[0]} in database {where[1]} set {name} = '{value}'"))
