"""Keeve as a user starts it, for the tests that attack it."""

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from keeve.launch.postgres import Cluster, free_port
from keeve.launch.system import ROOT


@contextlib.contextmanager
def a_machine() -> Iterator["Machine"]:
    """One that is started, until it is no more needed; with its folder it goes."""
    folder = Path(tempfile.mkdtemp(prefix="keeve-machine-"))
    folder.chmod(0o755)
    machine = Machine(folder)
    machine.start()
    yield machine
    machine.stop()
    shutil.rmtree(folder)


class Machine:
    """``./keeve up`` on a data folder of its own, as a process that can be killed and started again."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = free_port()

    def start(self) -> None:
        environment = {**os.environ, "KEEVE_DATA": str(self.folder), "PYTHONPATH": str(ROOT / "src")}
        environment.pop("DATABASE_URL", None)
        command = [sys.executable, "-m", "keeve", "up", "--port", str(self.port)]
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        assert "Keeve is at" in self.process.stdout.readline()

    def kill_server(self) -> None:
        self.process.kill()
        self._reap()

    def kill_database(self) -> None:
        pid = int((self.folder / "postgres" / "postmaster.pid").read_text().split()[0])
        os.kill(pid, signal.SIGKILL)

    def kill_worker(self) -> None:
        """One of the processes that serve, where there is one just now."""
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        workers = [pid for pid in children if "postgres" not in Path(f"/proc/{pid}/comm").read_text()]
        if workers:
            os.kill(int(workers[0]), signal.SIGKILL)

    def kill_and_start(self) -> None:
        self.kill_server()
        self.start()

    def kill_all_and_start(self) -> None:
        self.kill_server()
        with contextlib.suppress(FileNotFoundError, ProcessLookupError):  # it went with its launcher
            self.kill_database()
        self.start()

    def database(self) -> str:
        """Its address, as long as nothing of it is killed."""
        cluster = Cluster(self.folder)
        cluster.port = int((self.folder / "postgres" / "postmaster.pid").read_text().splitlines()[3])
        return cluster.url

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self._reap()

    def _reap(self) -> None:
        self.process.wait(timeout=30)
        assert self.process.stdout is not None
        self.process.stdout.close()
