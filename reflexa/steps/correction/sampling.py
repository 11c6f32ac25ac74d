"""The curve through the keys of a track."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion import curves
from reflexa.motion.arrays import Array
from reflexa.steps.correction.settings import Key, Track

_AS_THE_CURVE = (np.nan,) * 7


class Closing(NamedTuple):
    """A loop's last frame (0: it is none), and over how many frames a change that does not meet itself there is led to where it
    does."""

    last: int
    over: int


_OPEN = Closing(0, 0)


def track_at(track: Track, frames: ArrayLike, closing: Closing = _OPEN) -> tuple[Array, Array, Array]:
    """Rotation vectors in degrees and moves in metres ``(n, 3)``, swings in degrees ``(n,)`` of a track's curve at frames."""
    out = sampled(track.keys, frames)
    if closing.last > 0:
        out = out + _closed(track, np.asarray(frames, dtype=np.float64), closing)
    return out[:, :3], out[:, 3:6], out[:, 6]


def _closed(track: Track, frames: Array, closing: Closing) -> Array:
    """What has to be added to a track's curve ``(n, 7)`` for it to end as it begins: before the end, where a key changes the
    beginning, or after the beginning, where one changes the end alone. Keys on both ends say themselves what is wanted there."""
    if {0, closing.last} <= {k.frame for k in track.keys}:
        return np.zeros((len(frames), 7))
    first, last = sampled(track.keys, [0.0, closing.last])
    off = first - last
    if not np.any(np.abs(off) > 1e-12):
        return np.zeros((len(frames), 7))
    over = max(min(closing.over, closing.last // 2), 1)
    if np.any(first != 0):
        share = curves.smoothstep((frames - (closing.last - over)) / over)
        return np.asarray(share[:, None] * off)
    share = curves.smoothstep(1 - frames / over)
    return np.asarray(-share[:, None] * off)


def sampled(keys: tuple[Key, ...], frames: ArrayLike) -> Array:
    """Turn in degrees, move in metres and swing in degrees ``(n, 7)`` of the curve through keys."""
    values = np.array([(*k.rotate, *k.move, k.swing) for k in keys], dtype=np.float64)
    arrive, leave = (
        np.array([a or _AS_THE_CURVE for a in way]) if any(way) else None
        for way in ([k.arrive for k in keys], [k.leave for k in keys])
    )
    return curves.sample([k.frame for k in keys], values, [k.then for k in keys], frames, arrive, leave)
