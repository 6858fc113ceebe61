"""The application's database user owns its database and nothing else."""

import pytest
from sqlalchemy import text

from keeve.launch.postgres import throwaway
from keeve.store.database import connect
from keeve.store.migrate import migrate


def test_it_owns_its_database_and_nothing_else() -> None:
    with throwaway() as cluster:
        engine = connect(cluster.url)
        migrate(engine)
        with engine.connect() as connection:
            rights = connection.execute(
                text("select rolsuper, rolcreatedb, rolcreaterole from pg_roles where rolname = current_user")
            ).one()
            assert tuple(rights) == (False, False, False)
            owners = connection.execute(
                text("select distinct tableowner from pg_tables where schemaname = 'public'")
            )
            assert owners.scalars().all() == ["keeve_app"]
        for statement in ("create database mine", "create role friend", "select pg_read_file('/etc/passwd')",
                          "copy crew to '/tmp/crew.csv'", "select rolpassword from pg_authid"):  # fmt: skip
            with pytest.raises(Exception, match=r"permission denied|must be"), engine.connect() as connection:
                connection.execution_options(isolation_level="AUTOCOMMIT").execute(text(statement))
        engine.dispose()
