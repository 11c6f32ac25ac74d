"""One window at a time edits a project: who does is written in its own folder, and held by the system while the process lives."""

from __future__ import annotations

import contextlib
import fcntl
import os
import socket
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import IO

import msgspec

from reflexa.project.transaction import OWN, own

_NAME = "lock"


class Holder(msgspec.Struct, frozen=True):
    """Who has the project open: host and process, and the machine, whatever it is called. Empty: nobody, but it cannot be
    locked either (it is read-only)."""

    host: str = ""
    pid: int = 0
    machine: str = ""

    @property
    def text(self) -> str:
        """In words."""
        return f"process {self.pid} on {self.host}" if self.host else "nobody, and it is read-only"


@dataclass(eq=False)
class Lock:
    """Held until it is released, or the process ends in whatever way."""

    path: Path
    _file: IO[bytes]

    def release(self) -> None:
        """Let others have it."""
        with contextlib.suppress(OSError, ValueError):
            self._file.truncate(0)
            fcntl.flock(self._file, fcntl.LOCK_UN)
        self._file.close()


def take(folder: Path, by_force: bool = False) -> Lock | Holder:
    """Lock a project; who has it, where somebody does. A lock whose process is no more on this host counts for nothing; one of
    another host is believed, unless it is taken ``by_force``."""
    try:
        path = own(folder) / _NAME
        file = path.open("a+b")
    except OSError:
        return Holder()
    file.seek(0)
    said = _holder(file.read())
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        held = False
    except OSError:
        held = True
    elsewhere = said is not None and not _is_here(said)
    if (held or elsewhere) and not by_force:
        file.close()
        return said or Holder("another host", 0)
    with contextlib.suppress(OSError):
        file.seek(0)
        file.truncate(0)
        file.write(msgspec.json.encode(Holder(socket.gethostname(), os.getpid(), _machine())))
        file.flush()
    return Lock(path, file)


def is_free(folder: Path) -> bool:
    """Has nobody who lives the project open? What the system says of the lock, whatever is written in it."""
    try:
        with (folder / OWN / _NAME).open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except FileNotFoundError:
        return True
    except OSError:
        return False
    return True


def _is_here(holder: Holder) -> bool:
    """True for a process of this machine, also if the machine was renamed."""
    return holder.machine == _machine() if holder.machine and _machine() else holder.host == socket.gethostname()


@cache
def _machine() -> str:
    """What tells this machine from others; empty where the system gives it no number."""
    with contextlib.suppress(OSError, UnicodeDecodeError):
        return Path("/etc/machine-id").read_text().strip()[:64]
    return ""


def _holder(data: bytes) -> Holder | None:
    try:
        return msgspec.json.decode(data, type=Holder)
    except msgspec.MsgspecError:
        return None
