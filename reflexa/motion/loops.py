"""Pairs of frames of a clip between which it would make a loop: how near they are in pose, in velocity, and with their feet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip

Frames = NDArray[np.intp]

# No more frames than this are held against each other: those between are looked at around the best.
_MOST = 400
# What moves by less than this share of what the clip usually does counts the worse, by the third power of how much less.
_BUSY = 0.6
# Velocity counts as the pose does that it comes to in this time, seconds.
_AHEAD = 0.15


@dataclass(frozen=True)
class Pair:
    """Two frames, and how far they differ: joints' mean distance in cm, their mean difference in velocity in cm/s, and that of
    the joints that were asked for (feet) in cm."""

    first: int
    last: int
    pose: float
    velocity: float
    feet: float

    @property
    def score(self) -> float:
        """The less the better, cm."""
        return self.pose + _AHEAD * self.velocity + 0.5 * self.feet


@dataclass(frozen=True, eq=False)
class Matches:
    """at ``(n,)``: frames that were held against each other; distance ``(n, n)``, cm, of the one in the row, as the first, and
    the one in the column as the last (inf: too near to be a loop); pairs: the best, the best first."""

    at: Frames
    distance: Array
    pairs: tuple[Pair, ...]


@dataclass(frozen=True, eq=False)
class Seen:
    """A figure from where it stands: places ``(frames, joints, 3)`` and velocities of joints, along its own heading over its own
    place, metres and metres a second."""

    places: Array
    moving: Array


def seen(clip: Clip, joint: int, heading: Array, joints: list[int]) -> Seen:
    """joint: the one that carries the figure; heading ``(frames,)`` radians; joints: those that are looked at."""
    carrying, placed = clip.model[1][:, joint, None], clip.model[1][:, joints]
    away = travel.yaw(-heading)[:, None]
    places = quat.rotate(away, placed - carrying * [1.0, 0.0, 1.0])
    steps = np.gradient(placed, axis=0) * clip.rate if clip.frames > 1 else np.zeros_like(placed)
    return Seen(places, quat.rotate(away, steps))


def measured(a: Seen, b: Seen, i: int, j: int, feet: list[int]) -> Pair:
    """How far frame i of one figure and frame j of another differ; feet: which of the joints that are seen."""
    off = np.linalg.norm(a.places[i] - b.places[j], axis=-1)
    moving = np.linalg.norm(a.moving[i] - b.moving[j], axis=-1)
    own = float(off[feet].mean()) if feet else 0.0
    return Pair(i, j, 100 * float(off.mean()), 100 * float(moving.mean()), 100 * own)


def matches(clip: Clip, s: Seen, feet: list[int], least: int, most: int = 8) -> Matches:
    """The frames between which a clip would best make a loop of at least so many frames."""
    step = max(1, -(-clip.frames // _MOST))
    at = np.arange(0, clip.frames, step)
    distance = distances(s, s, at, at, feet)
    distance /= np.clip(_busy(s, at) / _BUSY, 0.05, 1.0) ** 3
    distance[np.subtract.outer(-at, -at) < least] = np.inf  # last - first
    pairs: list[Pair] = []
    left = distance.copy()
    apart = max(1, round(0.1 * clip.rate) // step)
    for _ in range(most):
        i, j = np.unravel_index(int(np.argmin(left)), left.shape)
        if not np.isfinite(left[i, j]):
            break
        pairs.append(_nearby(s, s, (int(at[i]), int(at[j])), step, feet, least))
        left[max(i - apart, 0) : i + apart + 1, max(j - apart, 0) : j + apart + 1] = np.inf
    return Matches(at, distance, tuple(sorted(pairs, key=lambda p: p.score)))


def _busy(s: Seen, at: Frames) -> Array:
    """How much moves between two frames ``(n, n)``, the one in the row first, beside what does in the same time in the whole
    clip: two frames of a pause are alike, and make no loop that anyone wants."""
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(s.places, axis=0), axis=-1).mean(axis=1))])
    usual = max(float(gone[-1]) / max(len(gone) - 1, 1), 1e-9)
    return np.asarray(np.subtract.outer(-gone[at], -gone[at]) / np.maximum(np.subtract.outer(-at, -at) * usual, 1e-9))


def distances(a: Seen, b: Seen, at_a: Frames, at_b: Frames, feet: list[int]) -> Array:
    """How far frames of one clip differ from those of another in all, cm ``(n, m)``: root mean squares, which one product
    gives for all pairs at once."""
    n = a.places.shape[1]
    weight = np.full(n, 1.0 / n)
    for j in feet:
        weight[j] += 0.5 / len(feet)

    def row(s: Seen, at: Frames) -> Array:
        parts = s.places[at] * np.sqrt(weight)[:, None], s.moving[at] * (_AHEAD / np.sqrt(n))
        return np.asarray(np.concatenate(parts, axis=1).reshape(len(at), -1))

    rows = row(a, at_a), row(b, at_b)
    square = (rows[0] ** 2).sum(1)[:, None] + (rows[1] ** 2).sum(1) - 2 * rows[0] @ rows[1].T
    return np.asarray(100 * np.sqrt(np.maximum(square, 0.0)))


def _nearby(a: Seen, b: Seen, near: tuple[int, int], step: int, feet: list[int], least: int) -> Pair:
    """The best pair within a step of another."""
    at_a = np.arange(max(near[0] - step + 1, 0), min(near[0] + step, len(a.places)))
    at_b = np.arange(max(near[1] - step + 1, 0), min(near[1] + step, len(b.places)))
    off = distances(a, b, at_a, at_b, feet)
    off[np.subtract.outer(-at_a, -at_b) < least] = np.inf
    i, j = np.unravel_index(int(np.argmin(off)), off.shape)
    return measured(a, b, int(at_a[i]), int(at_b[j]), feet)
