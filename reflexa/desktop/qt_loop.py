"""Qt's event loop, as a session needs it."""

from __future__ import annotations

import contextlib
from collections import deque

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from shiboken6 import isValid

from reflexa.session import signals
from reflexa.session.loop import Call, Timer

# A widget's Python half may outlive it; nothing is told to it then.
signals.lives = lambda owner: not isinstance(owner, QObject) or isValid(owner)


class QtLoop(QObject):
    """Calls and timers of Qt; none comes any more once this object is gone."""

    # It says only that there is something: no Python object travels through Qt's queue, which may let go of it on any thread.
    _posted = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._calls: deque[Call] = deque()
        self._posted.connect(self._take_over, Qt.ConnectionType.QueuedConnection)

    def post(self, call: Call) -> None:
        self._calls.append(call)
        with contextlib.suppress(RuntimeError):  # the window is gone: nobody waits for it
            self._posted.emit()

    def _take_over(self) -> None:
        self._calls.popleft()()  # one a signal, so that others have their turn between

    def timer(self, call: Call, milliseconds: int, once: bool = False) -> Timer:
        return _QtTimer(QTimer(self, singleShot=once, interval=milliseconds), call)


class _QtTimer:
    def __init__(self, clock: QTimer, call: Call) -> None:
        self._clock = clock
        clock.timeout.connect(call)

    def start(self) -> None:
        self._clock.start()

    def stop(self) -> None:
        with contextlib.suppress(RuntimeError):  # it went with the window
            self._clock.stop()

    @property
    def active(self) -> bool:
        return self._clock.isActive()
