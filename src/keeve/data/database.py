"""The database as the screens hold it: a handle to pass to services, never to look into."""

from sqlalchemy import Engine
from sqlalchemy.exc import IntegrityError as ChangedMeanwhile
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as NoConnection

from keeve.store.database import connect, crew_reading

# It does not answer, was too slow, or has no connection left.
DatabaseDown = (OperationalError, NoConnection)

__all__ = ["ChangedMeanwhile", "DatabaseDown", "Engine", "connect", "crew_reading"]
