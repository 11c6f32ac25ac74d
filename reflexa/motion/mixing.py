"""Two clips of one skeleton, mixed joint by joint."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Track
from reflexa.motion.smoothing import gaussian


def mixed(below: Clip, above: Clip, weights: Array, tracks: Array | None = None) -> Clip:
    """From ``below`` (weight 0) to ``above`` (weight 1) per frame and joint ``(frames, joints)``: along an arc that is the same
    way round all through, and linear. tracks: weight of the scalar curves ``(frames,)``; None: as the joint that weighs the
    most. Both have the same joints and frames; raises ValueError where they have not."""
    if below.rotations.shape != above.rotations.shape:
        raise ValueError("clips of different joints or lengths cannot be mixed")
    rotations, translations = np.array(below.rotations), np.array(below.translations)
    differs = (below.rotations != above.rotations).any(axis=(0, 2))
    touched = np.flatnonzero(weights.any(axis=0) & differs)
    own = below.rotations[:, touched], above.rotations[:, touched], weights[:, touched]
    rotations[:, touched] = quat.continuous(_between(*own, (below.rate, below.loop)))
    w = weights[..., None]
    moved = np.flatnonzero(weights.any(axis=0) & (below.translations != above.translations).any(axis=(0, 2)))
    a, b = below.translations[:, moved], above.translations[:, moved]
    translations[:, moved] = np.where(w[:, moved] == 1, b, a + w[:, moved] * (b - a))
    scales = below.scales
    if above.scales is not None:
        base = np.ones_like(above.scales) if below.scales is None else below.scales
        scales = base + w * (above.scales - base)
    curves = mixed_tracks(below.tracks, above.tracks, weights.max(axis=1) if tracks is None else tracks)
    return replace(
        above, rotations=owned(rotations), translations=owned(translations), scales=scales, tracks=curves, reduced=False
    )


def mixed_tracks(below: tuple[Track, ...], above: tuple[Track, ...], weight: Array) -> tuple[Track, ...]:
    """Scalar curves from ``below`` to those of the same name ``above`` by weight ``(frames,)``; one that only one of both has
    stays as it is there."""
    others = {t.name: t.values for t in above}
    names = {t.name for t in below}
    out = [Track(t.name, t.values + weight * (others.get(t.name, t.values) - t.values)) for t in below]
    return (*out, *(t for t in above if t.name not in names))


# An arc is left for the other way round once it is longer than this (half the turn, radians), and the change takes so long
# (the spread of it, seconds).
_LONG, _TAKES = np.radians(120), 0.2


def _between(a: Array, b: Array, t: Array, timing: tuple[float, bool]) -> Array:
    """From a to b ``(frames, joints, 4)`` by t ``(frames, joints)``; timing: the rate, and whether it is a loop.

    The arc is continuous in time. Chosen frame by frame it would jump to the other side wherever the difference passes half a
    turn; kept for ever it would spin where the difference comes to a whole one. So it is kept until the other way round is half
    as long, and then changed over a while.
    """
    way, half = np.empty(a.shape), np.empty(a.shape[:2])
    kernels.chains.arcs(a, b, way, half)
    other = _other_way(half)
    if other.any():
        spread = gaussian(
            other.astype(np.float64), _TAKES * timing[0], timing[1] and bool(np.all(other[0] == other[-1]))
        )
        half = half - np.pi * spread
    out = np.empty(a.shape)
    kernels.chains.along(a, b, way, half, t, out)
    return out


def _other_way(half: Array) -> NDArray[np.bool_]:
    """When an arc, twice as long as ``half`` ``(frames, joints)`` radians, is gone the other way round: from where it is too
    long until that way is."""
    out = np.broadcast_to(half[:1] > np.pi / 2, half.shape).copy()
    for j in np.flatnonzero((half.min(axis=0) < np.pi - _LONG) & (half.max(axis=0) > _LONG)):
        says = np.where(half[:, j] > _LONG, 1, np.where(half[:, j] < np.pi - _LONG, 0, -1))
        says[0] = out[0, j]
        last = np.maximum.accumulate(np.where(says >= 0, np.arange(len(says)), 0))
        out[:, j] = says[last] == 1
    for j in np.flatnonzero((half.min(axis=0) >= np.pi - _LONG) | (half.max(axis=0) <= _LONG)):
        out[:, j] = np.median(half[:, j]) > np.pi / 2
    return out
