"""The application's database user owns its database and nothing else; data of an older Keeve goes over to it."""

import shutil
import tempfile
from pathlib import Path

import psycopg
import pytest
from people import new_visitor
from sqlalchemy import text

from keeve.launch.postgres import Cluster, throwaway
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


def test_what_an_older_keeve_made_goes_over_to_it() -> None:
    folder = Path(tempfile.mkdtemp(prefix="keeve-older-"))
    folder.chmod(0o755)
    older = Cluster(folder, durable=False)
    older.start()
    # As it was: all of it belongs to the owner of the cluster, and the application has no user of its own.
    owner = older.url.replace("postgresql+psycopg", "postgresql").replace("keeve_app:", "keeve:")
    with psycopg.connect(owner, autocommit=True) as connection:
        connection.execute("alter database keeve owner to keeve")
        connection.execute("drop owned by keeve_app")
        connection.execute("drop role keeve_app")
    engine = connect(owner)
    migrate(engine)
    visitor, _ = new_visitor(engine, "Older crew")
    engine.dispose()
    older.stop()
    newer = Cluster(folder, durable=False)
    newer.start()
    engine = connect(newer.url)
    migrate(engine)
    with engine.begin() as connection:
        assert connection.scalar(text("select current_user")) == "keeve_app"
        connection.execute(text("update crew set name = 'Newer crew'"))
        connection.execute(text("create table mine (id int)"))
    assert new_visitor(engine)[0].account_id != visitor.account_id
    engine.dispose()
    newer.stop()
    shutil.rmtree(folder)
