"""The loop that a session lives in: calls handed over by other threads, and timers. Whoever shows the session gives its own."""

from __future__ import annotations

import contextlib
import queue
import time
from collections.abc import Callable
from typing import Protocol

Call = Callable[[], object]


class Timer(Protocol):
    """Makes a call after a time, again and again unless it was made for once."""

    def start(self) -> None:
        """Begin to count, anew where it runs already."""

    def stop(self) -> None: ...

    @property
    def active(self) -> bool:
        """True while a call is still to come."""


class Loop(Protocol):
    """What a session needs of the program around it."""

    def post(self, call: Call) -> None:
        """Have something called soon on the loop's own thread. May be called from any thread."""

    def timer(self, call: Call, milliseconds: int, once: bool = False) -> Timer:
        """A timer that stands still until it is started."""


class PlainLoop:
    """A loop without any toolkit: it turns while somebody waits for something (scripts, tests).

    >>> loop, seen = PlainLoop(), []
    >>> loop.post(lambda: seen.append("called"))
    >>> loop.run(lambda: bool(seen))
    True
    """

    def __init__(self) -> None:
        self._calls: queue.SimpleQueue[Call] = queue.SimpleQueue()
        self._timers: list[_PlainTimer] = []

    def post(self, call: Call) -> None:
        self._calls.put(call)

    def timer(self, call: Call, milliseconds: int, once: bool = False) -> Timer:
        made = _PlainTimer(call, milliseconds / 1000.0, once)
        self._timers.append(made)
        return made

    def run(self, until: Callable[[], bool], seconds: float = 60.0) -> bool:
        """Turn until something is so. False where it took longer than it may."""
        end = time.monotonic() + seconds
        while not until():
            now = time.monotonic()
            if now >= end:
                return False
            for timer in [t for t in self._timers if t.active and t.due <= now]:
                timer.fire()
            soonest = min((t.due for t in self._timers if t.active), default=end)
            with contextlib.suppress(queue.Empty):  # a timer that is always due keeps no call waiting
                self._calls.get(timeout=max(min(soonest, end) - time.monotonic(), 0.0))()
        return True


class _PlainTimer:
    def __init__(self, call: Call, seconds: float, once: bool) -> None:
        self._call, self._seconds, self._once = call, seconds, once
        self.active = False
        self.due = 0.0

    def start(self) -> None:
        self.active, self.due = True, time.monotonic() + self._seconds

    def stop(self) -> None:
        self.active = False

    def fire(self) -> None:
        if self._once:
            self.active = False
        else:
            self.due = time.monotonic() + self._seconds
        self._call()
