"""The database as the screens hold it: a handle to pass to services, never to look into."""

from sqlalchemy import Engine

from keeve.store.database import connect

__all__ = ["Engine", "connect"]
