"""Rows of channels, as motion files have them, to rotations."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array

Ints = NDArray[np.int64]


def turned(axes: Ints, columns: Ints, rows: Array) -> Array:
    """Rotations ``(frames, joints, 4)`` of angles in degrees in rows of channels ``(frames, channels)``.

    axes, columns ``(joints, 3)``: about which axis (0, 1, 2) each angle turns and where it stands, in the order in which the file
    has them (the first one turns last); -1 for no more.
    """
    out = np.empty((len(rows), len(axes), 4))
    (kernels.rows.turned if kernels.use_compiled(rows.size, "rows.turned") else _turn_few)(axes, columns, rows, out)
    return out


def _turn_few(axes: Ints, columns: Ints, rows: Array, out: Array) -> None:
    """The same, to the same bits, without a compiler."""
    for i in range(len(axes)):
        out[:, i] = quat.IDENTITY
        for axis, column in zip(axes[i].tolist(), columns[i].tolist(), strict=True):
            if axis < 0:
                break
            halves = [math.radians(x) / 2.0 for x in rows[:, column].tolist()]
            about = np.zeros((len(rows), 4))
            about[:, axis], about[:, 3] = list(map(math.sin, halves)), list(map(math.cos, halves))
            out[:, i] = quat.multiply(out[:, i], about)
