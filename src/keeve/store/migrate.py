"""Bringing a database to the newest schema."""

from pathlib import Path

from sqlalchemy import Engine, text

# Any number that nothing else locks; several workers starting at once migrate one after the other.
_LOCK = 5_338_203


def migrate(engine: Engine) -> None:
    """Run every migration that the database has not had, forward only."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _LOCK})
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
