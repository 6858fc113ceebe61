"""Bringing a database to the newest schema."""

from pathlib import Path

from sqlalchemy import Engine, text

# Any number that nothing else locks; several workers starting at once migrate one after the other.
_LOCK = 5_338_203


class NewerSchemaError(RuntimeError):
    """The database has had migrations that this version does not know."""


def migrate(engine: Engine) -> None:
    """Run every migration that the database has not had, forward only.

    Raises:
        NewerSchemaError: the database is ahead of this version.
    """
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        config.attributes["connection"] = connection
        try:
            command.upgrade(config, "head")
        except CommandError as fault:
            raise NewerSchemaError(str(fault)) from fault
