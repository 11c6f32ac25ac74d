"""Tracks made smoother in time; a loop's round its seam, its last frame being its first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Literal

import numpy as np

from reflexa.motion.arrays import Array

if TYPE_CHECKING:
    from scipy.sparse import csr_array

_Mode = Literal["wrap", "nearest"]


@dataclass(frozen=True)
class Timing:
    """What it takes to look at a change over time: the rate in frames a second, whether the clip is a loop, and the frames at
    which another piece of it begins, over whose edge nothing goes on."""

    rate: float = 30.0
    loop: bool = False
    cuts: tuple[int, ...] = ()


def gaussian(track: Array, sigma: float, loop: bool, cuts: tuple[int, ...] = ()) -> Array:
    """A track ``(frames, …)`` without what is faster than about ``sigma`` frames; what lies beyond its ends is as there. cuts:
    frames at which a piece begins that is smoothed by itself."""
    if sigma <= 0:
        return np.array(track)
    from scipy.ndimage import gaussian_filter1d

    return _round(track, loop, cuts, lambda a, mode: gaussian_filter1d(a, sigma, axis=0, mode=mode))


def highest(track: Array, width: int, loop: bool, cuts: tuple[int, ...] = ()) -> Array:
    """Of a track ``(frames,)``, the largest value within a window of ``width`` frames about each, and within its piece."""
    from scipy.ndimage import maximum_filter1d

    return _round(track, loop, cuts, lambda a, mode: maximum_filter1d(a, width, axis=0, mode=mode))


def _round(track: Array, loop: bool, cuts: tuple[int, ...], work: Callable[[Array, _Mode], Array]) -> Array:
    if cuts and loop:  # the last piece goes on with the first one
        begun = np.roll(track[:-1], -cuts[0], axis=0)
        out = np.roll(_round(begun, False, tuple(c - cuts[0] for c in cuts[1:]), work), cuts[0], axis=0)
        return np.concatenate([out, out[:1]])
    if cuts:
        return np.concatenate([work(piece, "nearest") for piece in np.split(track, cuts)])
    if not loop or len(track) < 3:
        return work(track, "nearest")
    out = work(track[:-1], "wrap")
    return np.concatenate([out, out[:1]])


def fitted_between(track: Array, spans: int, loop: bool) -> Array | None:
    """The nearest smooth curve to a track ``(frames, …)`` (least squares, cubic, in even spans) that is nothing at both ends, or
    in a loop comes back to itself; None where it would be the track itself. Fitted once more it stays as it is."""
    from scipy.sparse.linalg import spsolve

    n = len(track)
    basis = _splines(n, spans, loop)
    if basis.shape[1] >= n - (1 if loop else 2):
        return None
    found = spsolve((basis.T @ basis).tocsc(), basis.T @ track.reshape(n, -1)).reshape(basis.shape[1], -1)
    return np.asarray((basis @ found).reshape(track.shape))


@lru_cache(maxsize=16)
def _splines(frames: int, spans: int, loop: bool) -> csr_array:
    """Cubic B-splines over even spans, at frames ``(frames, splines)``: closed where they are for a loop, else such that are
    nothing at both ends."""
    from scipy.interpolate import BSpline
    from scipy.sparse import csr_array

    inner = np.linspace(0.0, frames - 1.0, spans + 1)
    step = inner[1] - inner[0]
    if loop:
        knots = np.concatenate([inner[0] - step * np.arange(3, 0, -1), inner, inner[-1] + step * np.arange(1, 4)])
    else:
        knots = np.concatenate([inner[:1]] * 3 + [inner] + [inner[-1:]] * 3)
    full = csr_array(BSpline.design_matrix(np.arange(frames, dtype=np.float64), knots, 3))
    if not loop:
        return full[:, 1:-1]
    # Round the seam: what goes out at the end comes in at the start.
    wrap = csr_array((np.ones(full.shape[1]), (np.arange(full.shape[1]), np.arange(full.shape[1]) % spans)))
    return csr_array(full @ wrap)
