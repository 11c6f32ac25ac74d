"""A process of our own beside this one: asked a question at a time, and what goes wrong with it harms nobody else."""

from __future__ import annotations

import contextlib
import copyreg
import multiprocessing
import multiprocessing.connection
import os
import pickle
import select
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import MappingProxyType
from typing import Any

_LENGTH = struct.Struct("<Q")


def _frozen(d: dict[Any, Any]) -> MappingProxyType[Any, Any]:
    return MappingProxyType(d)


def _plain(m: MappingProxyType[Any, Any]) -> tuple[Any, ...]:
    return _frozen, (dict(m),)


# Values of ours hold mappings that nobody can change; they are sent as they are.
copyreg.pickle(MappingProxyType, _plain)


class Ended(Exception):
    """The process ended before it answered. status: how, as the system says (a signal's number below 0)."""

    def __init__(self, status: int) -> None:
        super().__init__(f"the process ended with {status}")
        self.status = status


class Process:
    """Runs ``python -m module``, which calls ``serve``, from the first question on; anew where it has ended. One question is
    asked at a time, from whichever thread."""

    def __init__(self, module: str) -> None:
        self._module = module
        self._process: subprocess.Popen[bytes] | None = None
        self._owner = 0
        self._lock = threading.Lock()

    def ask(self, question: Any, patience: float) -> Any:
        """The answer to a question. Raises Ended where the process ends on it, TimeoutError after ``patience`` seconds, of its
        own processor time where it hardly gets any beside others: then it is ended."""
        with self._lock:
            process = self._running()
            try:
                _send(process.stdin, question)
                return _receive(process.stdout, _Patience(process.pid, patience))
            except (OSError, EOFError, pickle.PickleError) as e:
                if isinstance(e, TimeoutError):
                    self.end()
                    raise
                raise Ended(self.end()) from None

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._owner != os.getpid() or self._process.poll() is not None:
            if self._process is not None and self._owner == os.getpid():
                self.end()
            self._owner = os.getpid()
            # As this one finds its modules, so does that.
            variables = {**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}
            self._process = subprocess.Popen(
                [sys.executable, "-m", self._module], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
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

    def forked(self) -> None:
        """A process that is forked has none of its parent's, and no lock that another thread of it holds."""
        self._lock = threading.Lock()
        self._process = None


def _send(pipe: Any, value: Any) -> None:
    data = pickle.dumps(value, pickle.HIGHEST_PROTOCOL)
    pipe.write(_LENGTH.pack(len(data)) + data)
    pipe.flush()


# A process that has had this share of a while was at work; it is waited for so many such whiles at most.
_WORKED, _WHILES = 0.003, 20


class _Patience:
    """Until when a process is waited for: for so many seconds, or, as long as it is at work, until it has used up so much
    processor time itself. On a busy machine one that gives way to others may get a hundredth of a processor."""

    def __init__(self, process: int, seconds: float) -> None:
        self._process, self._seconds, self._left = process, seconds, _WHILES
        self._end = time.monotonic() + seconds
        self._began = self._seen = self._used()

    def _used(self) -> float:
        try:
            said = Path(f"/proc/{self._process}/stat").read_text(errors="replace").rpartition(")")[2].split()
            return (int(said[11]) + int(said[12])) / os.sysconf("SC_CLK_TCK")
        except (OSError, IndexError, ValueError):  # it has ended, which its pipe will say
            return 0.0

    def left(self) -> float:
        """For how long it is waited for yet, seconds; 0: no longer."""
        left = self._end - time.monotonic()
        if left > 0:
            return left
        used = self._used()
        works = used - self._seen > _WORKED * self._seconds and used - self._began < self._seconds
        self._left -= 1
        if not works or self._left <= 0:
            return 0.0
        self._seen, self._end = used, time.monotonic() + self._seconds
        return self._seconds


def _receive(pipe: Any, patience: _Patience | None) -> Any:
    """The next value. Raises EOFError where there is none to come, TimeoutError."""
    (length,) = _LENGTH.unpack(_exactly(pipe, _LENGTH.size, patience))
    return pickle.loads(_exactly(pipe, length, patience))


def _exactly(pipe: Any, count: int, patience: _Patience | None) -> bytes:
    handle, parts = pipe.fileno(), []
    while count > 0:
        while patience is not None and not select.select([handle], [], [], left := patience.left())[0]:
            if left <= 0:
                raise TimeoutError
        part = os.read(handle, min(count, 1 << 20))
        if not part:
            raise EOFError
        parts.append(part)
        count -= len(part)
    return b"".join(parts)


def end_with_parent() -> None:
    """Let this process end when the one that began it does, in whatever way: nobody would be told what it comes to."""
    beginner = multiprocessing.parent_process()

    def watch() -> None:
        if beginner is not None:
            multiprocessing.connection.wait([beginner.sentinel])
        else:
            parent = os.getppid()
            while os.getppid() == parent:
                time.sleep(_LOOKS)
        os._exit(1)

    threading.Thread(target=watch, name="parent", daemon=True).start()


# How often a process looks whether its parent lives, seconds.
_LOOKS = 0.5


def serve(answer: Callable[[Any], Any]) -> None:
    """Answer questions until nobody asks any more: what the process itself does."""
    end_with_parent()
    out = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # what a library prints is no answer
    while True:
        try:
            question = _receive(sys.stdin.buffer, None)
        except EOFError:
            return
        _send(out, answer(question))
