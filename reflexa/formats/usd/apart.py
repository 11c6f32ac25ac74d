"""Reading in a process of its own: a damaged file can end the library that reads it, and must not end anybody else with it.

The process is kept for the next file. It is given so much time and memory, and what goes wrong with it is a ReadError.
"""

from __future__ import annotations

import atexit
import contextlib
import copyreg
import math
import os
import pickle
import resource
import select
import signal
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import MappingProxyType
from typing import Any

from reflexa.errors import ReadError, ReflexaError

# Longer than this nobody waits for a file, seconds; more memory than this none needs, bytes.
PATIENCE, MEMORY = 180.0, 6 << 30
# What a small file may take of computing and memory, and how much more for each byte: several times what sound files do.
# Damage makes the library ask for gigabytes, or repeat a whole file in every line of what it says of it.
_SECONDS, _SECONDS_PER_BYTE = 2.5, 0.6e-6
_ROOM, _ROOM_PER_BYTE = 3 << 29, 60
_LENGTH = struct.Struct("<Q")


def _frozen(d: dict[Any, Any]) -> MappingProxyType[Any, Any]:
    return MappingProxyType(d)


def _plain(m: MappingProxyType[Any, Any]) -> tuple[Any, ...]:
    return _frozen, (dict(m),)


# Values of ours hold mappings that nobody can change; they are sent as they are.
copyreg.pickle(MappingProxyType, _plain)


class _Reader:
    """The process, and one question at a time."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._owner = 0
        self._lock = threading.Lock()

    def ask(self, what: str, path: Path, *args: Any) -> Any:
        """What the reader says to a question about a file. Raises ReadError, and whatever error of ours it answers with."""
        with self._lock:
            process = self._running()
            try:
                _send(process.stdin, (what, path, args))
                answer = _receive(process.stdout, PATIENCE)
            except (OSError, EOFError, pickle.PickleError):
                slow = self.end() == -signal.SIGXCPU
                said = (
                    "it would take far longer to read than a file of its size does" if slow else "it ended its reader"
                )
                raise ReadError(f"is damaged: {said}", path) from None
            except TimeoutError:
                self.end()
                raise ReadError(f"could not be read within {PATIENCE:.0f} s", path) from None
        if isinstance(answer, ReflexaError):
            raise answer
        return answer

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._owner != os.getpid() or self._process.poll() is not None:
            if self._process is not None and self._owner == os.getpid():
                self.end()
            self._owner = os.getpid()
            # As this one finds its modules, so does that.
            variables = {**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}
            self._process = subprocess.Popen(
                [sys.executable, "-m", "reflexa.formats.usd.worker"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL, env=variables,
            )  # fmt: skip
        return self._process

    def end(self) -> int:
        """Let the process go: how it ended, as the system says."""
        process, self._process = self._process, None
        if process is not None and self._owner == os.getpid():
            with contextlib.suppress(subprocess.TimeoutExpired):  # one that ends by itself says how
                process.wait(0.2)
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    pipe.close()
            return process.returncode
        return 0


_reader = _Reader()
atexit.register(_reader.end)
ask = _reader.ask


def _unlocked() -> None:
    """A process that is forked has no reader of its parent's, and no lock that another thread of it holds."""
    _reader._lock = threading.Lock()
    _reader._process = None


os.register_at_fork(after_in_child=_unlocked)


def _send(pipe: Any, value: Any) -> None:
    data = pickle.dumps(value, pickle.HIGHEST_PROTOCOL)
    pipe.write(_LENGTH.pack(len(data)) + data)
    pipe.flush()


def _receive(pipe: Any, patience: float | None) -> Any:
    """The next value. Raises EOFError where there is none to come, TimeoutError."""
    end = None if patience is None else time.monotonic() + patience
    (length,) = _LENGTH.unpack(_exactly(pipe, _LENGTH.size, end))
    return pickle.loads(_exactly(pipe, length, end))


def _exactly(pipe: Any, count: int, end: float | None) -> bytes:
    handle, parts = pipe.fileno(), []
    while count > 0:
        if end is not None and not select.select([handle], [], [], max(end - time.monotonic(), 0.0))[0]:
            raise TimeoutError
        part = os.read(handle, min(count, 1 << 20))
        if not part:
            raise EOFError
        parts.append(part)
        count -= len(part)
    return b"".join(parts)


def _size(path: Path) -> int:
    """How many bytes of USD there are where a file lies: it may be put together of those beside it."""
    size = path.stat().st_size
    for part in (*path.parent.glob("*.usd*"), *path.parent.glob("*/*.usd*")):
        if part != path and part.is_file():
            size += part.stat().st_size
    return size


def _limit(size: int) -> None:
    """Give this process what files of that size need, and no more."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    seconds = used.ru_utime + used.ru_stime + _SECONDS + size * _SECONDS_PER_BYTE
    resource.setrlimit(resource.RLIMIT_CPU, (math.ceil(seconds), resource.RLIM_INFINITY))
    resource.setrlimit(resource.RLIMIT_AS, (min(_ROOM + size * _ROOM_PER_BYTE, MEMORY), MEMORY))


def serve(answers: Any) -> None:
    """Answer questions until nobody asks any more: what the process itself does."""
    out = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # what the library prints is no answer
    while True:
        try:
            what, path, args = _receive(sys.stdin.buffer, None)
        except EOFError:
            return
        try:
            _limit(_size(path))
            answer = answers[what](path, *args)
        except ReflexaError as e:
            answer = e
        except MemoryError:
            answer = ReadError("needs more memory than there is", path)
        except RecursionError:
            answer = ReadError("is nested too deeply", path)
        except Exception as e:  # whatever the library makes of damage
            said = (str(e).strip().splitlines() or [type(e).__name__])[0][:160]
            answer = ReadError(f"holds what makes no sense ({said})", path)
        _send(out, answer)
