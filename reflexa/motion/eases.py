"""Changes that are given in some spans of time, led there from nothing and back to nothing."""

from __future__ import annotations

import numpy as np

from reflexa.motion import kernels
from reflexa.motion.arrays import Array


def eased(values: Array, ease_in: int, ease_out: int) -> Array:
    """A change that is given in spans ``(frames, n)`` (nan elsewhere), led to them from nothing and back to nothing over some
    frames, or straight from one to the next where they are closer: cubic, with continuous velocity; 0 elsewhere."""
    out = np.empty(values.shape)
    kernels.spans.eased(ease_in, ease_out, values, out)
    return out
