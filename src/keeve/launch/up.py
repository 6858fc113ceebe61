"""``./keeve up``: the database, the demo the first time, and the server."""

import ipaddress
import os
import signal
import socket
import sys
from datetime import UTC, datetime
from pathlib import Path

from keeve.launch.postgres import project_folder, running
from keeve.launch.serve import ADDRESS, CLOSED
from keeve.launch.system import LaunchError, ensure_pango

_SECONDS_FOR_OPEN_PAGES = 3


def up(
    *,
    host: str,
    port: int,
    certificate: Path | None,
    key: Path | None,
    workers: int = 1,
    is_closed: bool = False,
) -> int:
    """Serve until Ctrl-C, then stop everything that was started.

    ``is_closed``: nobody makes an account but by an invitation.
    """
    # A plain kill ends like Ctrl-C, so that PostgreSQL is stopped too.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    try:
        _check_address(host, certificate, key)
        ensure_pango()
        with _listener(host, port) as listener, running(project_folder()) as url:
            _prepare(url)
            if is_closed:
                os.environ[CLOSED] = "yes"
            _serve(listener, url, host, certificate, key, workers)
    except LaunchError as fault:
        print(f"keeve: {fault}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("keeve: stopped")
    return 0


def _check_address(host: str, certificate: Path | None, key: Path | None) -> None:
    for file, option in ((certificate, "--cert"), (key, "--key")):
        if file is not None and not file.is_file():
            raise LaunchError(f"There is no file {file}: give {option} the path of a PEM file.")
    try:
        loopback = host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        raise LaunchError(f"{host} is no address: give --host an IP address of this machine.") from None
    if not loopback and (certificate is None or key is None):
        raise LaunchError(f"To serve on {host} give --cert and --key: off this machine only HTTPS is safe.")


def _listener(host: str, port: int) -> socket.socket:
    try:
        listener = socket.create_server((host, port))
        # asyncio does this only for sockets it made itself; without it small answers wait 40 ms for an ACK.
        listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return listener
    except OSError as fault:
        raise LaunchError(
            f"Port {port} on {host} cannot be used ({fault.strerror}): stop what uses it, or give another --port."
        ) from None


def _prepare(url: str) -> None:
    """The newest schema, and the demo the first time."""
    from sqlalchemy.exc import ArgumentError, OperationalError

    from keeve.demo import load_demo
    from keeve.store.database import connect
    from keeve.store.migrate import NewerSchemaError, migrate

    try:
        engine = connect(url)
    except (ArgumentError, ImportError):
        raise LaunchError("DATABASE_URL is no PostgreSQL address: mend it, or unset it.") from None
    try:
        migrate(engine)
        load_demo(engine, datetime.now(UTC))
    except OperationalError as fault:
        reason = str(fault.orig).strip().splitlines()[0]
        raise LaunchError(f"The database does not let Keeve in ({reason}): check DATABASE_URL.") from None
    except NewerSchemaError:
        raise LaunchError(
            "The data was made by a newer Keeve: update this checkout, then run this again."
        ) from None
    finally:
        engine.dispose()


def _address(host: str, listener: socket.socket, certificate: Path | None) -> str:
    """Where it is found: on every address of the machine, by the machine's name."""
    name = socket.gethostname() if host in ("0.0.0.0", "::") else f"[{host}]" if ":" in host else host
    return f"{'https' if certificate else 'http'}://{name}:{listener.getsockname()[1]}"


def _serve(
    listener: socket.socket, url: str, host: str, certificate: Path | None, key: Path | None, workers: int
) -> None:
    import uvicorn
    from uvicorn.supervisors import Multiprocess

    from keeve.demo import PASSWORD, SIGN_IN_NAME

    os.environ["DATABASE_URL"] = url
    config = uvicorn.Config(
        "keeve.launch.serve:app_from_environment",
        factory=True,
        workers=workers,
        log_level="warning",
        ssl_certfile=certificate,
        ssl_keyfile=key,
        timeout_graceful_shutdown=_SECONDS_FOR_OPEN_PAGES,
    )
    print(f"Keeve is at {os.environ.setdefault(ADDRESS, _address(host, listener, certificate))}")
    print(f"Demo sign-in: name {SIGN_IN_NAME}, password {PASSWORD}")
    print("Ctrl-C stops it.", flush=True)
    if workers == 1:
        uvicorn.Server(config).run(sockets=[listener])
    else:
        Multiprocess(config, sockets=[listener]).run()
