"""The database as the screens hold it: a handle to pass to services, never to look into."""

from sqlalchemy import Engine
from sqlalchemy.exc import IntegrityError as ChangedMeanwhile
from sqlalchemy.exc import OperationalError as DatabaseDown

from keeve.store.database import connect

__all__ = ["ChangedMeanwhile", "DatabaseDown", "Engine", "connect"]
