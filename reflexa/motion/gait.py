"""Where in its stride a figure is that walks or runs, and two clips brought into step where one fades into the other.

Both are led to one phase for the crossfade and back behind it, by maps of time (Kovar & Gleicher, Flexible Automatic Motion
Blending with Registration Curves, 2003). The knots of the phase are where one foot passes the other: a captured contact begins
and ends a frame earlier or later, feet that pass each other do not.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.motion.smoothing import gaussian

# Half a stride takes between these, seconds.
_QUICKEST, _SLOWEST = 0.15, 0.9
# Between two passings feet are apart by at least this share of the leg.
_APART = 0.15
# What is faster than this, seconds, is no step.
_NOISE = 0.04
# Of two phases that of the second clip may be so far ahead, strides: the first then hurries beyond its end, which is not there.
_AHEAD = 0.4
# Time is changed over so many strides on either side at most, and by this share of its pace.
_OVER, _PACE = 3.0, 0.3
# The pace changes over this share of that while at either end of it.
_EASE = 0.2


@dataclass(frozen=True, eq=False)
class Gait:
    """Frames at which one foot passes the other, in rising order ``(n,)``; lefts: whether it is the left one ``(n,)``; forward:
    the foot that is in the air goes ahead. Of a single passing nobody knows how long a stride is."""

    passings: Array
    lefts: NDArray[np.bool_]
    forward: bool

    @property
    def whole(self) -> bool:
        """True if the length of a stride is known."""
        return len(self.passings) > 1

    def completed(self, other: Gait) -> Gait:
        """The gait; one of a single passing with strides as long as the other's."""
        if self.whole:
            return self
        half = float(np.median(np.diff(other.passings)))
        passings = np.append(self.passings, self.passings[0] + half)
        return Gait(passings, np.append(self.lefts, ~self.lefts[:1]), self.forward)

    def stride(self, frame: float) -> float:
        """Frames from a passing to the next of the same foot, about a frame."""
        gaps = np.diff(self.passings)
        at = int(np.clip(np.searchsorted(self.passings, frame) - 1, 0, len(gaps) - 1))
        return float(2 * gaps[at])

    def phase(self, frame: float) -> float:
        """Where in its stride a figure is at a frame, 0 to 1: 0 where the left foot passes the right one."""
        p = self.passings
        at = int(np.clip(np.searchsorted(p, frame) - 1, 0, len(p) - 2))
        return float(((0.0 if self.lefts[at] else 0.5) + 0.5 * (frame - p[at]) / (p[at + 1] - p[at])) % 1.0)


def gait(left: Array, right: Array, ahead: Array, rate: float, leg: float, about: float) -> Gait | None:
    """The gait about a frame, of feet with tracks ``(frames, 3)`` of a figure that looks ``ahead`` ``(frames, 3)``; None where
    they do not pass each other in turn there."""
    if len(left) < 4:
        return None
    apart = gaussian(np.sum((left - right) * ahead, axis=1), _NOISE * rate, False)
    at = np.flatnonzero((apart[:-1] < 0) != (apart[1:] < 0))
    forward = float(np.sum((left - right)[1:, 1] * np.diff(apart))) > 0
    passings = at + apart[at] / (apart[at] - apart[at + 1])
    if len(at) == 1 and min(apart.max(), -apart.min()) > _APART * leg:
        return Gait(np.asarray(passings), apart[at] < 0, forward)
    gaps = np.diff(passings) / rate
    wide = np.array([np.abs(apart[i : j + 2]).max() for i, j in zip(at, at[1:], strict=False)])
    runs = stances.spans((gaps > _QUICKEST) & (gaps < _SLOWEST) & (wide > _APART * leg))
    for first, last in runs:
        own = passings[first : last + 2]
        if own[0] - (own[1] - own[0]) <= about <= own[-1] + (own[-1] - own[-2]):
            return Gait(own, apart[at[first : last + 2]] < 0, forward)
    return None


def _ramp(u: Array) -> Array:
    """From 0 at 0 to 1 at 1: a straight line with eased ends."""
    u = np.clip(u, 0.0, 1.0)
    curve = np.clip(np.minimum(u, 1 - u), 0, _EASE) ** 2 / (2 * _EASE) + np.clip(np.minimum(u, 1 - u) - _EASE, 0, None)
    half = curve / (1 - _EASE)
    return np.where(u < 0.5, half, 1 - half)


def in_step(a: tuple[Gait, int], b: tuple[Gait, int], overlap: int) -> tuple[Array, Array]:
    """Maps of time, old frames at new ones ``(frames,)``, of two gaits with their clips' lengths, the second of which fades in
    over the last frames of the first: in the middle of the overlap both are at one phase. Lengths, and what is further off than
    two strides, are as they were."""
    (of_a, long_a), (of_b, long_b) = a, b
    middle = (overlap - 1) / 2
    at_a, at_b = long_a - overlap + middle, middle
    stride_a, stride_b = of_a.stride(at_a), of_b.stride(at_b)
    ahead = (of_b.phase(at_b) - of_a.phase(at_a)) % 1.0
    ahead = ahead if ahead <= _AHEAD else ahead - 1.0
    # Each gives by how many strides there are for it.
    rooms = np.array([long_a - overlap, long_b - overlap], dtype=np.float64)
    rooms = np.minimum(rooms, _OVER * np.array([stride_a, stride_b]))
    strides = rooms / [stride_a, stride_b]
    total = float(strides.sum())
    if total <= 0:
        return np.arange(long_a, dtype=np.float64), np.arange(long_b, dtype=np.float64)
    most = _PACE * (1 - _EASE) * total
    ahead = float(np.clip(ahead, -most, most))
    by_a, by_b = ahead * stride_a * strides[0] / total, -ahead * stride_b * strides[1] / total
    frames_a, frames_b = np.arange(long_a, dtype=np.float64), np.arange(long_b, dtype=np.float64)
    led_a = _ramp((frames_a - (long_a - overlap - rooms[0])) / max(rooms[0], 1e-9))
    led_b = 1 - _ramp((frames_b - (overlap - 1)) / max(rooms[1], 1e-9))
    return (
        np.clip(frames_a + by_a * led_a, 0, long_a - 1),
        np.clip(frames_b + by_b * led_b, 0, long_b - 1),
    )
