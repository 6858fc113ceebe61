"""The processes that serve the application."""

import contextlib
import gc
import os
import signal
import socket
import sys
import time
import traceback
from collections.abc import Iterator
from multiprocessing import connection, get_context
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Literal, NamedTuple

import uvicorn
from starlette.types import ASGIApp, Receive, Scope, Send

from keeve import demo
from keeve.app import create_app
from keeve.launch.lines import BoundedLine
from keeve.launch.system import end_with
from keeve.store.database import connect

_SECONDS_FOR_OPEN_PAGES = 3
_PAUSE_SECONDS = 1.0
# A bench is tapped once or twice a minute: its line stays open, so that no tap has to open one.
_SECONDS_BETWEEN_TAPS = 75
# Things made before a collection, and collections before a wider one: a page makes some ten thousand things, and what
# refers to itself is little of it.
_COLLECTED_AFTER = (50_000, 20, 50)


# Whom the demo is for: whoever reaches the service, those at this machine, or nobody.
DemoFor = Literal["all", "this machine", "nobody"]


class Serving(NamedTuple):
    """The service: the database, where it is found, whether anybody may make an account, the files for HTTPS.

    ``proxy``: the address of what stands before it, whose word on where a request came from is taken; nobody's else.
    """

    database: str
    address: str
    open_to_all: bool
    certificate: Path | None
    key: Path | None
    proxy: str | None = None
    demo_for: DemoFor = "this machine"


class OneLine:
    """Says where a fault was that nobody foresaw, in one line: nothing of what was sent or asked of the database."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer, whatever happens; the answer to a fault was sent before it comes here."""
        try:
            await self.app(scope, receive, send)
        except Exception as fault:
            route = getattr(scope.get("route"), "path", "an unknown address")
            places = [
                place for place in traceback.extract_tb(fault.__traceback__) if "/keeve/" in place.filename
            ]
            where = f"{Path(places[-1].filename).name}:{places[-1].lineno}" if places else "a library"
            print(f"keeve: fault at {route}: {type(fault).__name__} in {where}", file=sys.stderr, flush=True)


def serve(serving: Serving, listener: socket.socket, workers: int) -> None:
    """Serve until Ctrl-C, by that many processes.

    They are forked: what was read in is read in once, and they share its memory. One that dies is made again.
    """
    if workers == 1:
        _work(serving, listener)
        return
    with _stopped_afterwards():
        gc.collect()
    _keep_what_is_read_in()
    launcher, fork = os.getpid(), get_context("fork")

    def work() -> None:
        end_with(launcher)
        with contextlib.suppress(KeyboardInterrupt):
            _work(serving, listener)

    def made() -> BaseProcess:
        process = fork.Process(target=work)
        process.start()
        return process

    processes = [made() for _ in range(workers)]
    try:
        while True:
            ended = connection.wait([process.sentinel for process in processes])
            print("keeve: a worker stopped and was restarted", file=sys.stderr)
            time.sleep(_PAUSE_SECONDS)  # one that dies at once is not made without end
            processes = [made() if process.sentinel in ended else process for process in processes]
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.join()


@contextlib.contextmanager
def _stopped_afterwards() -> Iterator[None]:
    """A Ctrl-C meanwhile counts afterwards: while things are let go it would be lost without a word."""
    held = signal.pthread_sigmask(signal.SIG_BLOCK, (signal.SIGINT, signal.SIGTERM))
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, held)


def _keep_what_is_read_in() -> None:
    """Keep what start-up made for as long as the process lives, so that no collection looks at it again."""
    gc.freeze()
    gc.set_threshold(*_COLLECTED_AFTER)
    gc.enable()


def _work(serving: Serving, listener: socket.socket) -> None:
    app = create_app(
        connect(serving.database),
        address=serving.address,
        open_to_all=serving.open_to_all,
        demo=demo if serving.demo_for != "nobody" else None,
        demo_for_all=serving.demo_for == "all",
    )
    config = uvicorn.Config(
        OneLine(app),
        http=BoundedLine,
        log_level="warning",
        ssl_certfile=serving.certificate,
        ssl_keyfile=serving.key,
        timeout_graceful_shutdown=_SECONDS_FOR_OPEN_PAGES,
        timeout_keep_alive=_SECONDS_BETWEEN_TAPS,
        proxy_headers=serving.proxy is not None,
        forwarded_allow_ips=serving.proxy,
        server_header=False,
    )
    _keep_what_is_read_in()
    uvicorn.Server(config).run(sockets=[listener])
