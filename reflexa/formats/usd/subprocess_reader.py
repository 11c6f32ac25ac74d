"""Reads a file in a subprocess: a damaged file can crash the library that reads it, and must not crash the application.

The process is kept for the next file. It is given so much time and memory, and what goes wrong with it is a ReadError.
"""

from __future__ import annotations

import atexit
import math
import os
import resource
import signal
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from reflexa import processes
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats.usd.messages import damaged
from reflexa.processes import Ended, Process

# Longer than this nobody waits for a file, seconds; more memory than this none needs, bytes.
PATIENCE, MEMORY = 180.0, 6 << 30
# What a small file may take of computing and memory, and how much more for each byte: several times what sound files do.
# Damage makes the library ask for gigabytes, or repeat a whole file in every line of what it says of it.
_SECONDS, _SECONDS_PER_BYTE = 2.5, 0.6e-6
_ROOM, _ROOM_PER_BYTE = 3 << 29, 60

_reader = Process("reflexa.formats.usd.worker")
atexit.register(_reader.end)
os.register_at_fork(after_in_child=_reader.forked)


def ask(what: str, path: Path, *args: Any) -> Any:
    """What the reader says to a question about a file. Raises ReadError, and whatever error of ours it answers with."""
    try:
        answer = _reader.ask((what, path, args), PATIENCE)
    except TimeoutError:
        raise ReadError(f"could not be read within {PATIENCE:.0f} s", path) from None
    except Ended as e:
        slow = e.status == -signal.SIGXCPU
        said = "it would take far longer to read than other files of its size" if slow else "it crashed its reader"
        raise ReadError(f"is damaged: {said}", path) from None
    if isinstance(answer, ReflexaError):
        raise answer
    return answer


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


def serve(answers: Mapping[str, Callable[..., Any]]) -> None:
    """Answer questions until nobody asks any more: what the process itself does."""

    def answer(question: tuple[str, Path, tuple[Any, ...]]) -> Any:
        what, path, args = question
        try:
            _limit(_size(path))
            return answers[what](path, *args)
        except ReflexaError as e:
            return e
        except MemoryError:
            return ReadError("needs more memory than there is", path)
        except RecursionError:
            return ReadError("is nested too deeply", path)
        except Exception as e:  # whatever the library makes of damage
            return damaged(e, path)

    processes.serve(answer)
