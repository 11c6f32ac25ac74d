"""A track is times and values plus an interpolant, as glTF 2.0 (appendix C) defines them. Each is tested alone."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.curves import hermite


def _spans(times: Array, at: Array) -> tuple[Array, Array, Array, Array]:
    """Per sample: index of the key before and after, position between them in [0, 1], and the span's length."""
    if len(times) == 1:
        zero = np.zeros(len(at), dtype=np.intp)
        return zero, zero, np.zeros(len(at)), np.zeros(len(at))  # type: ignore[return-value]
    i = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 2)
    length = times[i + 1] - times[i]
    s = np.clip((at - times[i]) / np.where(length > 0, length, 1.0), 0.0, 1.0)
    return i, i + 1, s, length  # type: ignore[return-value]


def sample(times: Array, values: Array, interpolation: str, at: Array, rotation: bool = False) -> Array:
    """Values ``(len(at), …, n)`` of tracks with keys at the same rising ``times`` ``(keys,)``.

    values ``(keys, …, n)`` for STEP and LINEAR, ``(keys, 3, …, n)`` (in-tangent, value, out-tangent) for CUBICSPLINE.
    Rotations go by slerp and come back unit. Outside the keys the first and last value hold.
    """
    i, j, s, length = _spans(times, at)
    each = (slice(None), *(None,) * (values.ndim - (2 if interpolation == "CUBICSPLINE" else 1)))
    s1 = s[each]
    if interpolation == "STEP":
        out = np.where(s1 >= 1, values[j], values[i])
    elif interpolation == "CUBICSPLINE":
        h = length[each]
        out = hermite(values[i, 1], values[j, 1], values[i, 2] * h, values[j, 0] * h, s1)
    elif rotation:
        return quat.slerp(quat.normalise(values[i]), quat.normalise(values[j]), s1[..., 0])
    else:
        out = values[i] + s1 * (values[j] - values[i])
    return quat.normalise(out) if rotation else out
