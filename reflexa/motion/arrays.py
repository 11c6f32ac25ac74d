"""Arrays as values: read-only, and out of everybody's reach once they are part of one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Vector = tuple[float, float, float]


def vector(v: Array) -> Vector:
    """Three numbers as a plain tuple, as settings hold them."""
    return float(v[0]), float(v[1]), float(v[2])


def owned(a: Array) -> Array:
    """Hand an array over: from here on it is read-only, for whoever made it too, and ``frozen`` need not copy it.

    For arrays that were made on the spot; a view of another array is copied.
    """
    if a.base is not None or not a.flags.owndata:
        a = np.array(a)
    a.flags.writeable = False
    return a


def frozen(a: object, shape: tuple[int | None, ...] | None = None, what: str = "array") -> Array:
    """``a`` as a read-only float64 array that nobody else can change: a copy, unless it is such an array already.

    shape: what it must have (None: any size). Raises ValueError when it differs.
    """
    out = np.asarray(a, dtype=np.float64)
    if shape is not None and (
        out.ndim != len(shape) or any(n is not None and n != m for n, m in zip(shape, out.shape, strict=True))
    ):
        raise ValueError(f"{what} has shape {out.shape}, not {shape}")
    return out if _settled(out) else owned(np.array(out))


def frozen_indices(a: object) -> NDArray[np.intp]:
    """The same for whole numbers, such as the parents of joints."""
    out = np.array(a, dtype=np.intp)
    out.flags.writeable = False
    return out


def _settled(a: NDArray[np.float64]) -> bool:
    """True if nobody can write to the memory of an array: it is read-only down to its owner."""
    at: object = a
    while isinstance(at, np.ndarray):
        if at.flags.writeable:
            return False
        if at.base is None:
            return bool(at.flags.owndata)
        at = at.base
    return isinstance(at, bytes)
