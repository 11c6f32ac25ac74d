"""Which motions are alike, and which are the same under other names."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from reflexa.library.features import BODY, LENGTH, distances, mirrored
from reflexa.library.light import Light, Strokes
from reflexa.motion.arrays import Array

# Features of equal motions differ by no more than this on the mean (rates and rounding), and their lengths by this share.
_EQUAL, _LENGTH = 0.02, 0.03
# How they go over the ground by no more than this (features of the body as a whole), their poses by this share of its size.
_GOES, _POSES = 0.01, 0.02

Poses = Callable[[int], tuple[Strokes, Light] | None]


def unpacked(kept: Sequence[object]) -> Array:
    """Features ``(clips, LENGTH)`` from the bytes that they were kept as; rows of NaN where those are none."""
    out = np.full((len(kept), LENGTH), np.nan)
    for i, data in enumerate(kept):
        if isinstance(data, bytes) and len(data) == 4 * LENGTH:
            out[i] = np.frombuffer(data, "<f4")
    return out


def off(features: Array, at: int) -> Array:
    """How far each is from one, itself or its mirror image, whichever is nearer; the one itself is at -1."""
    one = features[at]
    out = np.minimum(distances(one, features), distances(mirrored(one), features))
    out[at] = -1.0
    return out


def equal(features: Array, durations: Array, poses: Poses) -> list[list[int]]:
    """Groups of clips with equal motion. poses(i): the light figure of one."""
    from scipy.spatial import cKDTree  # large, and wanted here alone

    whole = np.flatnonzero(np.isfinite(features).any(axis=1))
    if len(whole) < 2:
        return []
    tree = cKDTree(np.nan_to_num(features[whole]))
    pairs = tree.query_pairs(_EQUAL * np.sqrt(LENGTH), output_type="ndarray")
    leader = {int(i): int(i) for i in whole}

    def lead(i: int) -> int:
        while leader[i] != i:
            i = leader[i]
        return i

    pairs = whole[pairs]
    long = durations[pairs]
    goes = np.nan_to_num(features[pairs[:, 0], -BODY:] - features[pairs[:, 1], -BODY:])
    near = (np.abs(long[:, 0] - long[:, 1]) <= _LENGTH * long.max(axis=1)) & (np.abs(goes).max(axis=1) < _GOES)
    known: dict[int, Array | None] = {}
    for a, b in pairs[near].tolist():
        a, b = lead(a), lead(b)
        if a == b:
            continue
        for i in (a, b):
            if i not in known:
                known[i] = _looks(poses(i))
        if _same(known[a], known[b]):
            leader[max(a, b)] = min(a, b)
    groups: dict[int, list[int]] = {}
    for i in leader:
        groups.setdefault(lead(i), []).append(i)
    return [g for g in groups.values() if len(g) > 1]


def _same(a: Array | None, b: Array | None) -> bool:
    return a is not None and b is not None and a.shape == b.shape and float(np.abs(a - b).max()) < _POSES


def _looks(shown: tuple[Strokes, Light] | None) -> Array | None:
    """A few poses over the whole of it, the figure as large as one."""
    if shown is None:
        return None
    light = shown[1]
    places = np.stack([light.places(p) for p in np.linspace(0, len(light.points) - 1, 9)])
    return np.asarray(places / max(float(np.ptp(places[..., 1])), 1e-6))
