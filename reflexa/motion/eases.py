"""Changes that are given in some spans of time, led there from nothing and back to nothing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels
from reflexa.motion.arrays import Array
from reflexa.motion.curves import smoothstep


def eased(values: Array, ease_in: int, ease_out: int) -> Array:
    """A change that is given in spans ``(frames, n)`` (nan elsewhere), led to them from nothing and back to nothing over some
    frames, or straight from one to the next where they are closer: cubic, with continuous velocity; 0 elsewhere."""
    out = np.empty(values.shape)
    kernels.spans.eased(ease_in, ease_out, values, out)
    return out


def near(stands: NDArray[np.bool_], held: float, led: float, cuts: Sequence[int] = ()) -> Array:
    """By how much something counts ``(frames,)``: all while it stands and ``held`` frames beyond, led there and back over so many
    more. cuts: frames at which another piece begins, over whose edge nothing is led."""
    if len(cuts):
        return np.concatenate([near(piece, held, led) for piece in np.split(stands, cuts)])
    if not stands.any():
        return np.zeros(len(stands))
    from scipy.ndimage import distance_transform_edt

    return np.asarray(smoothstep(1 - (distance_transform_edt(~stands) - held) / max(led, 1.0)))
