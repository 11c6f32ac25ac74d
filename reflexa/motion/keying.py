"""Keys of curves only where they are needed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip

Bools = NDArray[np.bool_]
# Curves that are straight to this much, radians and metres, need no key there: what rounding to 32 bits would hide.
_STRAIGHT, _STRAIGHT_M = 2e-6, 1e-7
_ROUNDS = 8


def needed(values: Array, within: Array) -> Bools:
    """At which frames each joint needs a key ``(joints, frames)``, so that slerp between rotations ``(frames, joints, 4)`` stays
    within radians ``(joints,)``, or straight lines between points ``(frames, joints, 3)`` within metres."""
    keep = np.empty((values.shape[1], len(values)), dtype=bool)
    kernels.moments.needed(values, within, np.arange(values.shape[1]), keep)
    return keep


def straight_keys(values: Array, rotation: bool) -> NDArray[np.intp]:
    """The frames that one channel ``(frames, 4 or fewer)`` cannot do without: all others lie on the way between them."""
    if rotation:
        return np.flatnonzero(needed(values[:, None], np.array([_STRAIGHT]))[0])
    padded = np.zeros((len(values), 1, 3))
    padded[:, 0, : values.shape[1]] = values
    return np.flatnonzero(needed(padded, np.array([_STRAIGHT_M]))[0])


@dataclass(frozen=True, eq=False)
class Reduced:
    """The clip, straight between its keys; how many keys its curves have of how many; how far it is off at most, in model
    space: degrees and mm."""

    clip: Clip
    keys: int
    of: int
    degrees: float
    mm: float


def reduced(clip: Clip, degrees: float, mm: float) -> Reduced:
    """A clip whose curves have keys only where they would else leave it by more than so much: no joint is turned further in
    the figure's space, none placed further off."""
    n, frames = len(clip.skeleton), clip.frames
    if frames < 3:
        return Reduced(clip, 2 * n * frames, 2 * n * frames, 0.0, 0.0)
    turned, placed = clip.model
    share = 0.6
    for _ in range(_ROUNDS):
        by_turn = needed(clip.rotations, np.full(n, np.radians(degrees) * share))
        by_place = needed(clip.translations, np.full(n, mm / 1000 * share))
        rotations = np.empty((n, frames, 4))
        kernels.moments.between_keys(clip.rotations, np.arange(n), by_turn, rotations)
        out = clip.with_motion(
            owned(quat.continuous(rotations.transpose(1, 0, 2))),
            owned(_straight(clip.translations, by_place)),
            reduced=True,
        )
        off = float(np.degrees(quat.angle(quat.multiply(quat.conjugate(turned), out.model[0]))).max())
        away = 1000 * float(np.linalg.norm(out.model[1] - placed, axis=-1).max())
        if off <= degrees and away <= mm:
            break
        share *= 0.8 * min(degrees / max(off, 1e-12), mm / max(away, 1e-12))
    else:
        out, by_turn, by_place, off, away = clip, np.ones((n, frames), bool), np.ones((n, frames), bool), 0.0, 0.0
    return Reduced(out, int(by_turn.sum() + by_place.sum()), 2 * n * frames, off, away)


def _straight(values: Array, keep: Bools) -> Array:
    out = np.array(values)
    for j in np.flatnonzero(~keep.all(axis=1)):
        at = np.flatnonzero(keep[j])
        for k in range(values.shape[2]):
            out[:, j, k] = np.interp(np.arange(len(values)), at, values[at, j, k])
    return out
