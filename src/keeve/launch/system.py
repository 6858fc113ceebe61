"""Debian's packages and plain users: what the launcher needs of the machine it runs on."""

import ctypes
import os
import shutil
import signal
import subprocess
import sys
from ctypes.util import find_library
from pathlib import Path

_SET_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG, see prctl(2)
ROOT = Path(__file__).parents[3]


class LaunchError(RuntimeError):
    """The machine lacks something; the message says what to do."""


def in_a_sentence(fault: LaunchError | OSError) -> str:
    """The fault of a start in a sentence, with what to do about it."""
    if isinstance(fault, LaunchError):
        return str(fault)
    what = f"{fault.filename}: " if fault.filename else ""
    return f"{what}{fault.strerror or fault}. Fix that and run it again."


def end_with(parent_pid: int) -> None:
    """End this process at once when the one that started it ends, however that ends."""
    ctypes.CDLL(None).prctl(_SET_DEATH_SIGNAL, signal.SIGKILL)
    if os.getppid() != parent_pid:  # it ended before this was said
        os.kill(os.getpid(), signal.SIGKILL)


def is_root() -> bool:
    """Whether this process runs as root."""
    return os.geteuid() == 0


def install(package: str, what_for: str) -> None:
    """Install a Debian package.

    Raises:
        LaunchError: it may not or cannot be installed from here.
    """
    advice = f"{what_for} is missing. Install it with 'apt-get install {package}' and run it again."
    prefix = [] if is_root() else ["sudo"]
    if shutil.which("apt-get") is None or (prefix and shutil.which("sudo") is None):
        raise LaunchError(advice)
    print(f"keeve: installing the Debian package {package} ...", file=sys.stderr)
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    for command in (["apt-get", "update", "-qq"], ["apt-get", "install", "-y", "-qq", package]):
        done = subprocess.run([*prefix, *command], env=environment, stdout=sys.stderr, check=False)
        if done.returncode:
            raise LaunchError(advice)


def ensure_pango() -> None:
    """The library that sets type on paper.

    Raises:
        LaunchError: it is missing and cannot be installed from here.
    """
    if find_library("pangoft2-1.0") is None:
        install("libpangoft2-1.0-0", "Pango, which sets the type on paper,")
