"""``./keeve up``: the database, the demo the first time, and the server."""

import errno
import gc
import importlib
import ipaddress
import os
import secrets
import signal
import socket
import ssl
import sys
import threading
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from keeve.launch.postgres import project_folder, running
from keeve.launch.system import LaunchError, ensure_pango, in_a_sentence

if TYPE_CHECKING:
    from sqlalchemy import Engine

_BACKLOG = 512
_FIRST = "lead"
_TRIES, _PAUSE_SECONDS = 25, 0.1


def up(
    *,
    host: str,
    port: int,
    certificate: Path | None,
    key: Path | None,
    workers: int | None = None,
    is_closed: bool = False,
    proxy: str | None = None,
    with_demo: bool = False,
    backups: Path | None = None,
) -> int:
    """Serve until Ctrl-C, then stop everything that was started.

    Args:
        host: the address to serve on.
        port: the port; 0 for any that is free.
        certificate: the file of the certificate, for HTTPS.
        key: the file of its key.
        workers: the processes that serve; as many as the machine has processors unless given.
        is_closed: nobody makes an account but by an invitation.
        proxy: the address of a proxy before it, whose forwarded headers are believed.
        backups: the folder into which a backup is written every night.
        with_demo: the demo is there on other addresses than this machine's own too, with a password of its own.
    """
    # A plain kill ends like Ctrl-C, so that PostgreSQL is stopped too; a script that starts this has Ctrl-C ignored.
    for stop in (signal.SIGTERM, signal.SIGINT):
        signal.signal(stop, signal.default_int_handler)
    # What is read in now stays: looking for what can go would take a tenth of the start. It begins again with serving.
    gc.disable()
    try:
        # What a proxy passes on comes from anywhere.
        is_local = _check_address(host, port, certificate, key) and proxy is None
        processes = _processes(workers)
        if backups is not None and not backups.is_dir():
            raise LaunchError(f"There is no folder {backups}. Create it, or use another with --backups.")
        ensure_pango()
        # Reading in the application takes as long as PostgreSQL takes to start.
        reading = threading.Thread(target=importlib.import_module, args=["keeve.launch.serve"])
        reading.start()
        with _listener(host, port) as listener, running(project_folder()) as url:
            reading.join()
            who = prepare(url, is_local=is_local, with_demo=with_demo)
            address = os.environ.get("KEEVE_URL") or _address(host, listener, certificate)
            if backups is not None:
                from keeve.launch.backup import each_night

                threading.Thread(target=each_night, args=[url, backups], daemon=True).start()
            print(f"Keeve is at {address}")
            print(who)
            print("Ctrl-C stops it.", flush=True)
            from keeve.launch.serve import DemoFor, Serving, serve

            demo_for: DemoFor = "all" if with_demo else "this machine" if is_local else "nobody"
            serving = Serving(url, address, not is_closed, certificate, key, proxy, demo_for)
            serve(serving, listener, processes)
    except (LaunchError, OSError) as fault:
        print(f"keeve: {in_a_sentence(fault)}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("keeve: stopped")
    finally:
        gc.enable()
    return 0


def _processes(workers: int | None) -> int:
    processors = len(os.sched_getaffinity(0))
    if workers is not None and not 1 <= workers <= processors:
        raise LaunchError(f"This machine has {processors} processors. Use --workers from 1 to {processors}.")
    return workers or processors


def _check_address(host: str, port: int, certificate: Path | None, key: Path | None) -> bool:
    """Whether the address is one of this machine's own, that no other reaches."""
    if not 0 <= port < 2**16:
        raise LaunchError(f"There is no port {port}. Use --port from 1 to 65535.")
    for file, option in ((certificate, "--cert"), (key, "--key")):
        if file is not None and not file.is_file():
            raise LaunchError(f"There is no file {file}. {option} needs the path of a PEM file.")
    try:
        loopback = host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        raise LaunchError(f"{host} isn't an address. --host needs an IP address of this machine.") from None
    if not loopback and (certificate is None or key is None):
        raise LaunchError(f"To serve on {host}, add --cert and --key. Off this machine only HTTPS is safe.")
    if (certificate is None) != (key is None):
        raise LaunchError("Use --cert and --key together: the certificate and its key.")
    if certificate and key:
        try:
            ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(certificate, key)
        except OSError as fault:  # what is wrong with a certificate is one too
            reason = fault.strerror or str(fault)
            raise LaunchError(
                f"{certificate} and {key} don't match as certificate and key ({reason}). Use PEM files that match."
            ) from None
    return loopback


def _listener(host: str, port: int) -> socket.socket:
    try:
        listener = _bound(host, port)
        # asyncio does this only for sockets it made itself; without it small answers wait 40 ms for an ACK.
        listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return listener
    except OSError as fault:
        raise LaunchError(
            f"Port {port} on {host} is in use or blocked ({fault.strerror}). Stop what uses it, or pick another --port."
        ) from None


def _bound(host: str, port: int) -> socket.socket:
    """A socket on a port; what a launcher that was killed just now has left on it is gone in a moment."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for tries_left in range(_TRIES, -1, -1):
        try:
            return socket.create_server((host, port), family=family, backlog=_BACKLOG)
        except OSError as fault:
            if fault.errno != errno.EADDRINUSE or not tries_left:
                raise
        time.sleep(_PAUSE_SECONDS)
    raise AssertionError


def prepare(url: str, *, is_local: bool = True, with_demo: bool = False) -> str:
    """The newest schema, and the demo or a first account the first time; says who may sign in.

    Args:
        url: the database.
        is_local: whether nobody but this machine reaches it: the demo is there then, with its known password.
        with_demo: whether it is there also elsewhere, with a password that is made now.
    """
    from sqlalchemy.exc import ArgumentError, OperationalError

    from keeve.store.database import connect
    from keeve.store.migrate import ForeignSchemaError, migrate

    try:
        engine = connect(url)
    except (ArgumentError, ImportError):
        raise LaunchError("DATABASE_URL isn't a PostgreSQL address. Fix it, or unset it.") from None
    try:
        migrate(engine)
        return _who_may_sign_in(engine, is_local=is_local, with_demo=with_demo)
    except OperationalError as fault:
        reason = str(fault.orig).strip().splitlines()[0]
        raise LaunchError(f"The database refused Keeve ({reason}). Check DATABASE_URL.") from None
    except ForeignSchemaError:
        raise LaunchError(
            "This data was made by another version of Keeve. It was left as it is. "
            "Update this checkout, or name an empty folder in KEEVE_DATA."
        ) from None
    finally:
        engine.dispose()


def _who_may_sign_in(engine: "Engine", *, is_local: bool, with_demo: bool) -> str:
    from keeve.data import accounts, crews
    from keeve.demo import PASSWORD, close_demo, load_demo

    now, fresh = datetime.now(UTC), secrets.token_urlsafe(12)
    if is_local or with_demo:
        password = PASSWORD if is_local else fresh
        name = load_demo(engine, now, password)
        return f"Demo sign-in: name {name}, password {password}"
    close_demo(engine, now)
    if accounts.has_anybody(engine):
        return "Sign in with your account."
    crews.start_crew(engine, sign_in_name=_FIRST, name="Lead", password=fresh, crew_name="Our crew")
    return f"First account: name {_FIRST}, password {fresh}. Sign in and change the password."


def _address(host: str, listener: socket.socket, certificate: Path | None) -> str:
    """Its address: on every address of the machine, by the machine's name."""
    name = socket.gethostname() if host in ("0.0.0.0", "::") else f"[{host}]" if ":" in host else host
    return f"{'https' if certificate else 'http'}://{name}:{listener.getsockname()[1]}"
