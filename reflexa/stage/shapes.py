"""The outside of a prop as triangles, in its own axes: the middle of its base is the origin."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from reflexa.motion.arrays import Array, owned
from reflexa.stage.model import Prop

ROUND = 32  # sides of a cylinder

_BOX = [(0, 2, 1), (0, 3, 2), (4, 5, 6), (4, 6, 7), (0, 1, 5), (0, 5, 4), (2, 3, 7), (2, 7, 6), (1, 2, 6), (1, 6, 5),
        (0, 4, 7), (0, 7, 3)]  # fmt: skip
_RAMP = [(0, 2, 1), (0, 3, 2), (0, 1, 5), (0, 5, 4), (3, 4, 5), (3, 5, 2), (0, 4, 3), (1, 2, 5)]


@lru_cache(maxsize=256)
def corners(prop: Prop) -> Array:
    """Triangles ``(n, 3 corners, 3)`` of a prop in metres, counter-clockwise seen from outside. Kept by value."""
    w, h, d = prop.size
    if prop.shape == "mesh":
        v = np.array(prop.vertices, dtype=np.float64).reshape(-1, 3)
        return owned(v[np.array(prop.triangles, dtype=np.intp).reshape(-1, 3)])
    x, z = w / 2, d / 2
    if prop.shape == "box":
        v = np.array([(-x, 0, -z), (x, 0, -z), (x, 0, z), (-x, 0, z), (-x, h, -z), (x, h, -z), (x, h, z), (-x, h, z)])
        return owned(v[np.array([(a, c, b) for a, b, c in _BOX])])
    if prop.shape == "ramp":  # rises towards +z
        v = np.array([(-x, 0, z), (x, 0, z), (x, 0, -z), (-x, 0, -z), (-x, h, z), (x, h, z)])
        return owned(v[np.array(_RAMP)])
    a = np.arange(ROUND) * 2 * np.pi / ROUND
    rim = np.stack([x * np.cos(a), np.zeros(ROUND), -z * np.sin(a)], axis=-1)
    top, after = rim + [0, h, 0], np.roll(np.arange(ROUND), -1)
    low, high = np.zeros(3), np.array([0, h, 0])
    sides = [np.stack([rim, rim[after], top[after]], axis=1), np.stack([rim, top[after], top], axis=1)]
    caps = [
        np.stack([np.tile(low, (ROUND, 1)), rim[after], rim], axis=1),
        np.stack([np.tile(high, (ROUND, 1)), top, top[after]], axis=1),
    ]
    return owned(np.concatenate([*sides, *caps]))


def part(corners_: Array, place: tuple[float, float, float], axis: int | None = None) -> Array:
    """Triangles moved, and before that laid along an axis (0: x, 2: z) where one is given: for props of several parts."""
    if axis == 0:
        corners_ = corners_[..., [1, 0, 2]] * [1.0, -1.0, 1.0]
    elif axis == 2:
        corners_ = corners_[..., [0, 2, 1]] * [1.0, -1.0, 1.0]
    return np.asarray(corners_ + np.array(place))
