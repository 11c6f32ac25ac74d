"""Rows of channels, as motion files have them, to rotations."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel
from reflexa.motion.kernels.quaternions import mul

Ints = NDArray[np.int64]


@kernel(shared=2, out=1)
def turned(axes: Ints, columns: Ints, rows: Array, out: Array) -> None:
    """Rotations ``(frames, joints, 4)`` of angles in degrees in rows of channels ``(frames, channels)``.

    axes, columns ``(joints, 3)``: about which axis (0, 1, 2) each angle turns and where it stands, in the order in which the
    file has them (the first one turns last); -1 for no more.
    """
    for f in range(len(rows)):
        for j in range(len(axes)):
            q = (0.0, 0.0, 0.0, 1.0)
            for k in range(3):
                axis = axes[j, k]
                if axis < 0:
                    break
                half = math.radians(rows[f, columns[j, k]]) / 2.0
                s, c = math.sin(half), math.cos(half)
                if axis == 0:
                    q = mul(q, (s, 0.0, 0.0, c))
                elif axis == 1:
                    q = mul(q, (0.0, s, 0.0, c))
                else:
                    q = mul(q, (0.0, 0.0, s, c))
            out[f, j, 0], out[f, j, 1], out[f, j, 2], out[f, j, 3] = q
