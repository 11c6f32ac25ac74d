"""Runs long work on the interface thread in small pieces, so that the window stays responsive."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, QTimer


def when_idle(owner: QObject, calls: Iterable[Callable[[], object]]) -> None:
    """Make calls one after another, each in a turn of the event loop of its own, as long as the owner is there."""
    left, clock = iter(calls), QTimer(owner, interval=0)

    def next_one() -> None:
        call = next(left, None)
        if call is None:
            clock.stop()
            clock.deleteLater()
        else:
            call()

    clock.timeout.connect(next_one)
    clock.start()
