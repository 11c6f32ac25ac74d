"""Keys on whole frames and the curves through them.

A curve holds its first value before its first key and its last value after the last. *Smooth* is
shape-preserving: between two equal keys nothing moves and no value overshoots its neighbours. It is the
monotone cubic of Fritsch & Carlson (1980) with the slopes of Fritsch & Butland (1984), which SciPy's
``PchipInterpolator`` uses too; the slope at the first and last key is zero, since the curve rests there.

*Eased* has a slope at each end of a span that hands may set; where they did not, it is that of a Catmull-Rom spline. It
is the only one that may overshoot its keys.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, Protocol, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from reflexa.motion.arrays import Array


class OnFrame(Protocol):
    """Whatever stands on a frame."""

    @property
    def frame(self) -> int: ...


K = TypeVar("K", bound=OnFrame)


def put_in(keys: Iterable[K], *new: K) -> tuple[K, ...]:
    """Keys with others put in, in rising order of frames; one on an occupied frame takes its place."""
    by_frame = {k.frame: k for k in keys} | {k.frame: k for k in new}
    return tuple(by_frame[f] for f in sorted(by_frame))


Interpolation = Literal["hold", "linear", "smooth", "eased"]


def smooth_slopes(times: Array, values: Array) -> Array:
    """Slopes ``(keys, channels)`` of the shape-preserving cubic through ``values`` ``(keys, channels)``."""
    slopes = np.zeros_like(values)
    if len(times) < 3:
        return slopes
    h = np.diff(times)[:, None]
    d = np.diff(values, axis=0) / h
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    same = d[:-1] * d[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        mean = (w1 + w2) / (w1 / d[:-1] + w2 / d[1:])
    slopes[1:-1] = np.where(same, mean, 0.0)
    return slopes


def eased_slopes(times: Array, values: Array) -> Array:
    """Slopes ``(keys, channels)`` of a Catmull-Rom spline: as from the key before to the key after; zero at both ends."""
    slopes = np.zeros_like(values)
    if len(times) > 2:
        slopes[1:-1] = (values[2:] - values[:-2]) / (times[2:] - times[:-2])[:, None]
    return slopes


def monotone(x: Array, y: Array, at: Array) -> Array:
    """Values at ``at`` ``(n,)`` of the shape-preserving cubic through points of rising x, as SciPy's PCHIP has it: straight
    where the points are, never beyond two neighbours; held outside."""
    from scipy.interpolate import PchipInterpolator

    if len(x) == 2:
        return np.interp(at, x, y)
    return np.asarray(PchipInterpolator(x, y)(np.clip(at, x[0], x[-1])))


def smoothstep(x: Array) -> Array:
    """0 below 0, 1 above 1, level at both, and half way at a half."""
    u = np.clip(x, 0.0, 1.0)
    return np.asarray(u * u * (3 - 2 * u))


def hermite(a: Array, b: Array, ma: Array, mb: Array, s: Array) -> Array:
    """Cubic from ``a`` to ``b`` with slopes per unit of ``s`` in [0, 1] (glTF 2.0 appendix C, cubic spline)."""
    # Written as a way from a, so that equal ends with flat slopes give exactly their value.
    s2, s3 = s * s, s * s * s
    return np.asarray(a + (3 * s2 - 2 * s3) * (b - a) + (s3 - 2 * s2 + s) * ma + (s3 - s2) * mb)


def sample(
    times: ArrayLike, values: ArrayLike, interpolation: list[Interpolation], at: ArrayLike,
    arrive: ArrayLike | None = None, leave: ArrayLike | None = None,
) -> Array:  # fmt: skip
    """Values ``(len(at), channels)`` of a key curve.

    times ``(keys,)`` strictly rising; values ``(keys, channels)``; interpolation: one per key, for the
    span that begins there. arrive, leave: slopes ``(keys, channels)`` per unit of time, with which an eased span ends
    at a key and begins there; NaN (or None) for those of the spline. Raises ValueError with no keys or times out of order.
    """
    t = np.asarray(times, dtype=np.float64)
    v = np.asarray(values, dtype=np.float64)
    x = np.asarray(at, dtype=np.float64)
    if len(t) == 0 or np.any(np.diff(t) <= 0):
        raise ValueError("key times must rise from key to key")
    if len(t) == 1:
        return np.repeat(v, len(x), axis=0)
    i = np.clip(np.searchsorted(t, x, side="right") - 1, 0, len(t) - 2)
    s = np.clip((x - t[i]) / (t[i + 1] - t[i]), 0.0, 1.0)[:, None]
    a, b = v[i], v[i + 1]
    used = set(interpolation)
    out = a + s * (b - a)
    if "smooth" in used:
        h = (t[i + 1] - t[i])[:, None]
        m = smooth_slopes(t, v)
        out = _where(used, interpolation, "smooth", i, hermite(a, b, m[i] * h, m[i + 1] * h, s), out)
    if "eased" in used:
        h = (t[i + 1] - t[i])[:, None]
        m = eased_slopes(t, v)
        begin = m if leave is None else np.where(np.isnan(leave), m, leave)
        end = m if arrive is None else np.where(np.isnan(arrive), m, arrive)
        out = _where(used, interpolation, "eased", i, hermite(a, b, begin[i] * h, end[i + 1] * h, s), out)
    if "hold" in used:
        out = _where(used, interpolation, "hold", i, a, out)
    # Ends and keys are exact, whatever rounding the polynomial would add.
    return np.where(s <= 0, a, np.where(s >= 1, b, out))


def _where(
    used: set[Interpolation],
    each: list[Interpolation],
    kind: Interpolation,
    span: NDArray[np.intp],
    then: Array,
    other: Array,
) -> Array:
    """``then`` in the spans that begin with a key of a kind, ``other`` elsewhere."""
    if len(used) == 1:
        return then
    return np.where(np.array([k == kind for k in each])[span][:, None], then, other)
