"""The application as each serving process makes it."""

import gc
import os
from multiprocessing import parent_process

from fastapi import FastAPI

from keeve import demo
from keeve.launch.system import end_with
from keeve.store.database import connect
from keeve.web.app import create_app

# Set for an ``up`` whose crew is closed: nobody makes an account but by an invitation.
CLOSED = "KEEVE_CLOSED"
# Where it is found, for links and codes that leave it; what ``up`` was told, unless this is set already.
ADDRESS = "KEEVE_URL"


def app_from_environment() -> FastAPI:
    """The application on the database of DATABASE_URL."""
    if launcher := parent_process():
        end_with(
            launcher.pid or 0
        )  # of several workers none goes on, and keeps the port, when the launcher was killed
    gc.freeze()  # what start-up made lives as long as the process: no collection need look at it again
    return create_app(
        connect(os.environ["DATABASE_URL"]),
        address=os.environ[ADDRESS],
        open_to_all=CLOSED not in os.environ,
        demo=demo,
    )
