"""Bringing a database to the newest schema."""

from pathlib import Path

from sqlalchemy import Connection, Engine, text

# Any number that nothing else locks; several workers starting at once migrate one after the other.
_LOCK = 5_338_203
_MIGRATIONS = Path(__file__).parent / "migrations"
# How long a statement, a wait for a lock, and a transaction in which nothing happens may take.
_LIMITS_S = {"statement_timeout": 8, "lock_timeout": 5, "idle_in_transaction_session_timeout": 30}


class NewerSchemaError(RuntimeError):
    """The database has had migrations that this version does not know."""


def migrate(engine: Engine) -> None:
    """Run every migration that the database has not had, forward only.

    Raises:
        NewerSchemaError: the database is ahead of this version.
    """
    if _version(engine) == _newest():
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
            command.upgrade(config, "head")
        except CommandError as fault:
            raise NewerSchemaError(str(fault)) from fault
        _limit(connection)


def _newest() -> str:
    """The version that this code is of: the last of its migrations, which are numbered."""
    return max(path.name for path in (_MIGRATIONS / "versions").glob("[0-9]*.py")).partition("_")[0]


def _version(engine: Engine) -> str | None:
    """The version that the database is of; None before the first migration."""
    with engine.connect() as connection:
        if connection.scalar(text("select to_regclass('alembic_version')")) is None:
            return None
        found: str | None = connection.scalar(text("select version_num from alembic_version"))
        return found


def _limit(connection: Connection) -> None:
    """Give every later session of this user, in this database, its limits: also one that comes through a pooler."""
    where = connection.execute(
        text("select quote_ident(current_user), quote_ident(current_database())")
    ).one()
    for name, seconds in _LIMITS_S.items():
        connection.execute(text(f"alter role {where[0]} in database {where[1]} set {name} = '{seconds}s'"))
