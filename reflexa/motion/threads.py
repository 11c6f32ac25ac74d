"""Threads that work is handed to: one small pool a purpose, and none carried over into a process that was forked."""

from __future__ import annotations

import os
import threading
from concurrent.futures import ThreadPoolExecutor

# How many threads this process may use at a time, where fewer than there are processors: others share them.
_share = 0


def cores() -> int:
    """How many processors this process may use: those that the system lets it run on, or its share of them."""
    return _share or len(os.sched_getaffinity(0))


def share_of_one(among: int) -> None:
    """From now on use one share of the processors, of so many equal ones; for processes that work beside each other."""
    global _share
    _share = max(1, len(os.sched_getaffinity(0)) // max(among, 1))


_pools: dict[tuple[int, str], ThreadPoolExecutor] = {}
_lock = threading.Lock()


def pool(purpose: str, threads: int) -> ThreadPoolExecutor:
    """The pool of this process for a purpose, begun with so many threads. A forked process has none of its parent's: their
    threads stayed behind, and what was handed to them would never be done."""
    own = os.getpid()
    with _lock:
        if (own, purpose) not in _pools:
            for stale in [k for k in _pools if k[0] != own]:
                del _pools[stale]
            _pools[own, purpose] = ThreadPoolExecutor(threads, purpose)
        return _pools[own, purpose]


def _unlocked() -> None:
    """A fork while another thread holds the lock must not leave it held."""
    global _lock
    _lock = threading.Lock()


os.register_at_fork(after_in_child=_unlocked)
