"""Frames to pixels and back, for everything that stands under one time axis."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QWheelEvent

from reflexa.motion.arrays import Array
from reflexa.session import Session

GUTTER = 128


class TimeMap(QObject):
    """``first`` to ``last`` is what is visible."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.first, self.last = 0.0, 1.0
        self.width = 600

    def show_all(self) -> None:
        last = max(self.session.computed.frames - 1, 1)
        self.first, self.last = -0.015 * last, 1.015 * last
        self.changed.emit()

    def show(self, first: int, last: int) -> None:
        """Bring some frames into sight, with a little room."""
        room = max(2.0, 0.08 * (last - first))
        self.first, self.last = first - room, last + room
        self._keep_inside()

    def x(self, frame: float) -> float:
        return GUTTER + (frame - self.first) / (self.last - self.first) * (self.width - GUTTER - 10)

    def xs(self, frames: NDArray[np.intp]) -> Array:
        """Pixels of several frames."""
        return np.asarray(GUTTER + (frames - self.first) / (self.last - self.first) * (self.width - GUTTER - 10))

    def frame(self, x: float) -> float:
        return self.first + (x - GUTTER) / max(self.width - GUTTER - 10, 1) * (self.last - self.first)

    def frame_width(self) -> float:
        """Pixels between two frames."""
        return self.x(1) - self.x(0)

    def seen(self, values: Array, of: np.ufunc) -> tuple[list[float], Array]:
        """Those of some values a frame ``(frames,)`` that are in sight, one a pixel at most (what ``of`` makes of those
        that share one): their pixels, and the values ``(n,)``."""
        first, last = max(int(self.first), 0), min(int(self.last) + 2, len(values))
        step = max(1, int(1 / max(self.frame_width(), 1e-6)))
        at = np.arange(first, max(last, first + 1), step)
        return [self.x(float(f)) for f in at], of.reduceat(values[: max(last, first + 1)], at)

    def zoom(self, factor: float, x: float) -> None:
        """Zoom about a pixel; never out beyond the clip nor in below eight frames."""
        centre = self.frame(x)
        whole = max(self.session.computed.frames - 1, 1) * 1.03
        span = min(max((self.last - self.first) * factor, min(8.0, whole)), whole)
        share = (centre - self.first) / (self.last - self.first)
        self.first = centre - share * span
        self.last = self.first + span
        self._keep_inside()

    def wheel(self, e: QWheelEvent) -> None:
        """Wheel zooms about the pointer; sideways or with Shift it pans."""
        by, side = e.angleDelta().y(), e.angleDelta().x()
        if side or e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(-(side or by) / 120 * (self.last - self.first) * 0.08)
        else:
            self.zoom(0.9985**by, e.position().x())

    def pan(self, frames: float) -> None:
        self.first += frames
        self.last += frames
        self._keep_inside()

    def _keep_inside(self) -> None:
        end = max(self.session.computed.frames - 1, 1)
        low, high = -0.015 * end, 1.015 * end
        span = self.last - self.first
        self.first = min(max(self.first, low), max(high - span, low))
        self.last = self.first + span
        self.changed.emit()


def tick_step(frame_width: float) -> int:
    """Frames between numbered ticks, so that they stand at least 56 pixels apart."""
    for step in (1, 2, 5, 10, 20, 30, 60, 100, 150, 300, 600, 1200, 3000, 6000, 30000):
        if step * frame_width >= 56:
            return step
    return 60000
