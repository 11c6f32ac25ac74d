"""Values to pixels and back: the other axis of curves."""

from __future__ import annotations

from reflexa.motion.arrays import Array

MARGIN = 6


class ValueMap:
    """normalised: each axis fills the height with its own range; else all are over the same, ``low`` to ``high``."""

    def __init__(self) -> None:
        self.low, self.high = -10.0, 10.0
        self.height = 100
        self.normalised = False
        self._each: list[tuple[float, float]] = []

    def fit(self, values: Array) -> None:
        """Bring values ``(frames, 3)`` into sight."""
        self.low, self.high = _room(values)
        self._each = [_room(values[:, axis]) for axis in range(3)]

    def zoom(self, by: float, y: float) -> None:
        """Zoom about a pixel."""
        share = (y - MARGIN) / (self.height - 2 * MARGIN)
        self.low, self.high = _zoomed((self.low, self.high), share, by)
        self._each = [_zoomed(each, share, by) for each in self._each]

    def _range(self, axis: int) -> tuple[float, float]:
        return self._each[axis] if self.normalised and self._each else (self.low, self.high)

    def pixel(self, value: float, axis: int) -> float:
        """Pixel of an axis' value."""
        low, high = self._range(axis)
        return MARGIN + (high - value) / (high - low) * (self.height - 2 * MARGIN)

    def value(self, y: float, axis: int) -> float:
        """The axis' value at a pixel."""
        low, high = self._range(axis)
        return high - (y - MARGIN) / (self.height - 2 * MARGIN) * (high - low)


def _room(values: Array) -> tuple[float, float]:
    """The range of values with some room about it."""
    low, high = float(values.min()), float(values.max())
    room = max(0.12 * (high - low), 1.0)
    return low - room, high + room


def _zoomed(ends: tuple[float, float], share: float, by: float) -> tuple[float, float]:
    low, high = ends
    at = high - share * (high - low)
    return at + (low - at) * by, at + (high - at) * by
