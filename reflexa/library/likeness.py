"""Which motions are alike, and which are the same under other names."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from reflexa.library.features import BODY, LENGTH, distances, mirrored
from reflexa.library.light import Light
from reflexa.motion.arrays import Array

# Features of equal motions differ by no more than this on the mean (rates and rounding), and their lengths by this share.
_EQUAL, _LENGTH = 0.02, 0.03
# How they go over the ground by no more than this (features of the body as a whole), their poses by this share of its size.
_GOES, _POSES = 0.01, 0.02
_LOOKS = 9  # poses of each that are compared
_BLOCK = 256  # clips compared with others at once

# The light figures of clips by their places in a list; those that are gone are not among them.
Lights = Callable[[Iterable[int]], dict[int, Light]]


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


def equal(features: Array, durations: Array, lights: Lights) -> list[list[int]]:
    """Groups of clips with equal motion."""
    whole = np.flatnonzero(np.isfinite(features).any(axis=1))
    pairs = whole[_near(np.nan_to_num(features[whole]), durations[whole])]
    leader = {int(i): int(i) for i in whole}

    def lead(i: int) -> int:
        while leader[i] != i:
            i = leader[i]
        return i

    goes = np.nan_to_num(features[pairs[:, 0], -BODY:] - features[pairs[:, 1], -BODY:])
    near = np.abs(goes).max(axis=1) < _GOES
    pairs = pairs[near]
    shown = lights(np.unique(pairs).tolist())
    for a, b in pairs[_same(pairs, shown)].tolist():
        a, b = lead(a), lead(b)
        leader[max(a, b)] = min(a, b)
    groups: dict[int, list[int]] = {}
    for i in leader:
        groups.setdefault(lead(i), []).append(i)
    return [g for g in groups.values() if len(g) > 1]


def _near(features: Array, durations: Array) -> NDArray[np.intp]:
    """Pairs ``(pairs, 2)`` of about equal features and lengths: in the order of their lengths, each block beside those alone that
    are not too long for it."""
    order = np.argsort(durations, kind="stable")
    sorted_, lengths = features[order], durations[order]
    squares = (sorted_**2).sum(axis=1)
    pairs = [np.empty((0, 2), np.intp)]
    for first in range(0, len(order), _BLOCK):
        last = min(first + _BLOCK, len(order))
        end = int(np.searchsorted(lengths, lengths[last - 1] / (1 - _LENGTH), side="right"))
        off = squares[first:last, None] + squares[first:end] - 2 * sorted_[first:last] @ sorted_[first:end].T
        a, b = np.nonzero(off <= _EQUAL**2 * LENGTH)
        a, b = a[b > a] + first, b[b > a] + first
        long_enough = lengths[b] - lengths[a] <= _LENGTH * lengths[b]
        pairs.append(np.sort(order[np.stack((a, b), axis=-1)[long_enough]], axis=1))
    both = np.concatenate(pairs)
    return both[np.lexsort(both.T[::-1])]


def _same(pairs: NDArray[np.intp], shown: dict[int, Light]) -> NDArray[np.bool_]:
    """Pairs of which both are shown, with about the same poses over the whole of them."""
    out = np.zeros(len(pairs), bool)
    figures: dict[int, list[int]] = {}
    for i, light in shown.items():
        figures.setdefault(light.points.shape[1], []).append(i)
    for alike in figures.values():
        row = np.full(max(alike) + 1, -1)
        row[alike] = np.arange(len(alike))
        looks = _looks([shown[i] for i in alike])
        of = np.where(pairs < len(row), row[np.minimum(pairs, len(row) - 1)], -1)
        both = np.flatnonzero((of >= 0).all(axis=1))
        for some in np.array_split(both, len(both) // _BLOCK + 1):
            out[some] = np.abs(looks[of[some, 0]] - looks[of[some, 1]]).max(axis=(1, 2, 3), initial=0.0) < _POSES
    return out


def _looks(lights: Sequence[Light]) -> Array:
    """A few poses over the whole of each ``(lights, poses, points, 3)``, the figure as large as one."""
    lasts = np.array([len(light.points) - 1 for light in lights])
    firsts = np.concatenate(([0], np.cumsum(lasts[:-1] + 1)))
    points = np.concatenate([light.points for light in lights])
    at = lasts[:, None] * np.linspace(0, 1, _LOOKS)
    a = np.minimum(at.astype(int), np.maximum(lasts - 1, 0)[:, None])
    share = (at - a)[..., None, None]
    after = np.minimum(a + 1, lasts[:, None])
    steps, lows = np.array([light.scale for light in lights]).T[..., None, None, None]
    places = (points[firsts[:, None] + a] * (1 - share) + points[firsts[:, None] + after] * share) * steps + lows
    heights = places[..., 1].reshape(len(lights), -1)
    return np.asarray(places / np.maximum(heights.max(axis=1) - heights.min(axis=1), 1e-6)[:, None, None, None])
