"""Euler angles that go on from frame to frame: of two ways to say a rotation the one that lies nearer to the frame before."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array

# Where the cosine of the middle angle is below this, the outer two turn about one axis.
_LOCKED = 1e-7


def continued(q: Array, order: str) -> Array:
    """Euler angles ``(frames, 3)`` in radians of rotations ``(frames, 4)``, in any order of three axes. All three channels of a
    joint are looked at together: (a, b, c) and (a + π, π - b, c + π) are one rotation (of orders such as ZXZ the second is
    (a + π, -b, c + π)), and whole turns are added where that is nearer. The first frame has the smaller angles.

    Common practice; the two ways follow from the product of the three turns.
    """
    plain = _unlocked(quat.to_euler(q, order), order)
    other = plain + np.pi
    other[:, 1] = -plain[:, 1] if order[0] == order[2] else np.pi - plain[:, 1]
    if len(plain) > 1:
        # Going on in one way, or changing to the other, costs the same from either: so each change is told by itself.
        stays, changes = (np.abs(_wrapped(a[1:] - plain[:-1])).sum(axis=1) for a in (plain, other))
        turned = np.concatenate(([0], np.cumsum(changes < stays - 1e-9))) % 2 == 1
        plain[turned] = other[turned]
    return np.asarray(np.unwrap(plain, axis=0))


def _wrapped(a: Array) -> Array:
    return np.asarray((a + np.pi) % (2 * np.pi) - np.pi)


def _unlocked(angles: Array, order: str) -> Array:
    """Angles in which the outer two share what only their sum, or difference, says in gimbal lock, as in the frame before."""
    middle = np.abs(np.sin(angles[:, 1]) if order[0] == order[2] else np.cos(angles[:, 1]))
    for f in np.flatnonzero(middle < _LOCKED).tolist():
        if f == 0:
            continue
        a, b, c = angles[f]
        here, moved = quat.from_euler(np.array([[a, b, c], [a + 0.5, b, c + 0.5]]), order)
        way = 1.0 if abs(float(here @ moved)) > 1 - 1e-6 else -1.0
        off = _wrapped(angles[f - 1] - angles[f])
        share = (off[0] + way * off[2]) / 2
        angles[f, 0], angles[f, 2] = a + share, c + way * share
    return angles
