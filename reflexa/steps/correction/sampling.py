"""The curve through the keys of a track."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion import curves
from reflexa.motion.arrays import Array
from reflexa.steps.correction.settings import Key, Track

_AS_THE_CURVE = (np.nan,) * 7


def track_at(track: Track, frames: ArrayLike) -> tuple[Array, Array, Array]:
    """Rotation vectors in degrees and moves in metres ``(n, 3)``, swings in degrees ``(n,)`` of a track's curve at frames."""
    out = sampled(track.keys, frames)
    return out[:, :3], out[:, 3:6], out[:, 6]


def sampled(keys: tuple[Key, ...], frames: ArrayLike) -> Array:
    """Turn in degrees, move in metres and swing in degrees ``(n, 7)`` of the curve through keys."""
    values = np.array([(*k.rotate, *k.move, k.swing) for k in keys], dtype=np.float64)
    arrive, leave = (
        np.array([a or _AS_THE_CURVE for a in way]) if any(way) else None
        for way in ([k.arrive for k in keys], [k.leave for k in keys])
    )
    return curves.sample([k.frame for k in keys], values, [k.then for k in keys], frames, arrive, leave)
