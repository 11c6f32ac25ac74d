"""Courses in time: near to what is wanted, with little change from frame to frame."""

from __future__ import annotations

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper


@helper
def settle(weight: Array, wanted: Array, stiff: float, out: Array) -> None:
    """The course ``(frames,)`` of least squares: near what is wanted by its weight, and with little change from frame to frame
    (a tridiagonal system, by Thomas's algorithm)."""
    n = len(out)
    upper = np.empty(n)
    for f in range(n):
        below = stiff if f > 0 else 0.0
        above = stiff if f < n - 1 else 0.0
        main = weight[f] + below + above
        right = weight[f] * wanted[f]
        if f > 0:
            main -= below * upper[f - 1]
            right += below * out[f - 1]
        upper[f] = above / main
        out[f] = right / main
    for f in range(n - 2, -1, -1):
        out[f] += upper[f] * out[f + 1]
