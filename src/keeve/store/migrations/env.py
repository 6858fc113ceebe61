"""Alembic's entry: runs on the connection that ``store.migrate`` hands over."""

from alembic import context

from keeve.store.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
