"""Transforms as matrices, taken apart."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array

# What is left over beyond this share of the largest number is shear, not rounding.
_SHEAR = 1e-5


def decomposed(m: Array) -> tuple[Array, Array, Array, NDArray[np.bool_]]:
    """Column matrices ``(…, 4, 4)`` as rotations ``(…, 4)``, translations and scales ``(…, 3)``, and which of them shear
    ``(…,)``; the shear is left out. A matrix that mirrors has a negative scale along x.

    The rotation is the nearest one (polar decomposition by SVD; Higham, Computing the polar decomposition, 1986).
    """
    linear = m[..., :3, :3]
    scale = np.linalg.norm(linear, axis=-2)
    flip = np.linalg.det(linear)[..., None] < 0
    scale = np.where(flip, scale * [-1.0, 1.0, 1.0], scale)
    safe = np.where(np.abs(scale) > 1e-12, scale, 1.0)
    u, _, vt = np.linalg.svd(linear / safe[..., None, :])
    turn = u @ vt
    most = np.abs(linear).max(axis=(-1, -2))
    sheared = np.abs(turn * safe[..., None, :] - linear).max(axis=(-1, -2)) > _SHEAR * np.maximum(1.0, most)
    return quat.from_matrix(turn), np.array(m[..., :3, 3]), scale, np.asarray(sheared)
